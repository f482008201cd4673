"""One question to an HTTP address, and every way in which the answer can be wrong."""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import Mapping
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from typing import Any
from urllib.parse import urlsplit, urlunsplit

import httpx

from tesoura.feeds.errors import CredentialsRejected, ResponseNotUnderstood, SourceUnavailable
from tesoura.feeds.http.address import host
from tesoura.feeds.kind import Fetched

TIMEOUT_S = 5.0
MAX_BYTES = 2_000_000


async def fetch(client: httpx.AsyncClient, choices: Mapping[str, Any], secrets: Mapping[str, str]) -> Fetched:
    """Ask once. Raises SourceError, whose message holds neither the key nor the address's parameters."""
    address = str(choices["address"])
    where = host(address)
    headers, address = _with_key(address, choices, secrets)
    started = time.monotonic()
    try:
        async with asyncio.timeout(TIMEOUT_S):
            response, body = await _ask(client, address, headers, where)
    except TimeoutError:
        raise SourceUnavailable(
            f"No answer from {where} in {TIMEOUT_S:.0f} s. Is it busy, or the address another?"
        ) from None
    except httpx.ConnectError as error:
        raise SourceUnavailable(_no_connection(where, error)) from None
    except httpx.HTTPError as error:
        raise SourceUnavailable(
            f"The answer from {where} broke off ({type(error).__name__}). Give it a little time."
        ) from None
    except (httpx.InvalidURL, UnicodeError, ValueError):
        raise SourceUnavailable("The address cannot be used as it is. Paste it again, whole.") from None
    _check_status(response, where, keyed=bool(secrets.get("key")))
    return Fetched(_payload(response, body, where), len(body), (time.monotonic() - started) * 1000)


def _with_key(address: str, choices: Mapping[str, Any], secrets: Mapping[str, str]) -> tuple[dict[str, str], str]:
    headers = {"Accept": "application/json"}
    key, name = secrets.get("key", ""), str(choices.get("key_name", ""))
    if key and choices.get("key_in") == "header":
        headers[name] = key
    elif key and choices.get("key_in") == "query":
        parts = urlsplit(address)
        added = str(httpx.QueryParams({name: key}))
        query = f"{parts.query}&{added}" if parts.query else added
        address = urlunsplit(parts._replace(query=query))
    return headers, address


async def _ask(
    client: httpx.AsyncClient, address: str, headers: Mapping[str, str], where: str
) -> tuple[httpx.Response, bytes]:
    async with client.stream("GET", address, headers=headers) as response:
        body = bytearray()
        async for chunk in response.aiter_bytes():
            body += chunk
            if len(body) > MAX_BYTES:
                raise ResponseNotUnderstood(
                    f"{where} sent more than {MAX_BYTES // 1_000_000} MB. Ask it for less, or for one channel only.",
                    body[:300].decode(errors="replace"),
                )
        return response, bytes(body)


def _no_connection(where: str, error: httpx.ConnectError) -> str:
    reason = str(error).lower()
    if "certificate" in reason or "ssl" in reason:
        return f"{where} cannot prove who it is (its certificate was refused). See that the address is right."
    if (
        ("name" in reason and "resol" in reason)
        or "getaddrinfo" in reason
        or "nodename" in reason
        or "address associated" in reason
    ):
        return f"There is no {where} to be found. See that the address is spelled right and that you are online."
    return f"Nothing answers at {where}: the connection was refused. Is the program running, and is the port right?"


def _check_status(response: httpx.Response, where: str, keyed: bool) -> None:
    status = response.status_code
    if status < 300:
        return
    if status == 401 and keyed:
        raise CredentialsRejected(
            f"{where} did not take the key (401). See that it was pasted whole, and that its name is the right one."
        )
    if status == 401:
        raise CredentialsRejected(
            f"{where} wants a key (401). Give it under “Key”; the service tells where to get one."
        )
    if status == 403:
        raise CredentialsRejected(
            f"{where} knows the key but refuses it here (403). Is it the right one, with the right to read this?"
        )
    if status in (404, 410):
        raise SourceUnavailable(
            f"{where} has nothing at this address ({status}). See that the path and the name in it are right."
        )
    if status == 429:
        wait = _retry_after(response)
        when = f"It asks to wait {wait:.0f} s." if wait else "Wait a minute, and ask it less often."
        raise SourceUnavailable(f"{where} was asked too often (429). {when}", wait)
    if status < 400:
        onward = host(response.headers.get("location", "")) or "another address"
        raise SourceUnavailable(
            f"{where} sends on to {onward} ({status}). If you trust that, give its address instead."
        )
    retry = _retry_after(response) if status == 503 else None
    raise SourceUnavailable(f"{where} has trouble of its own ({status}). Give it a little time.", retry)


def _retry_after(response: httpx.Response) -> float | None:
    given = response.headers.get("retry-after", "").strip()
    if given.isdecimal():
        return float(given[:6])
    try:
        return max((parsedate_to_datetime(given) - datetime.now(UTC)).total_seconds(), 1.0)
    except (TypeError, ValueError):
        return None


def _payload(response: httpx.Response, body: bytes, where: str) -> object:
    start = body[:300].decode(errors="replace")
    try:
        return json.loads(body.decode("utf-8-sig"), parse_constant=lambda _: None)
    except (ValueError, RecursionError) as error:
        problem = error
    if not body.strip():
        raise ResponseNotUnderstood(f"{where} answered with nothing at all. Is this the address of the data?", start)
    if b"<html" in body[:2_000].lower() or b"<!doctype html" in body[:2_000].lower():
        raise ResponseNotUnderstood(
            f"{where} sent a web page, not JSON. Give the address of the data; its path often has “api” in it.", start
        )
    if start.lstrip()[:1] in "{[" and getattr(problem, "pos", 0) >= len(body.decode(errors="replace")) - 1:
        raise ResponseNotUnderstood(f"{where} stopped in the middle of its answer. Give it a little time.", start)
    raise ResponseNotUnderstood(f"{where} sent something that is not JSON. Is this the address of the data?", start)
