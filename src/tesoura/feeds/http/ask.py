"""One question to an HTTP address, and every way in which the answer can be wrong."""

from __future__ import annotations

import asyncio
import time
import zlib
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from typing import Any
from urllib.parse import quote, urlsplit, urlunsplit

import httpx

from tesoura.errors import CredentialsRejected, ResponseNotUnderstood, SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched, NameMatch
from tesoura.feeds.connecting import no_connection
from tesoura.feeds.http.address import host
from tesoura.feeds.own_words import own_words

TIMEOUT_S = 5.0
MAX_BYTES = 2_000_000
MAX_MATCHES = 20
ACCEPTED = {"json": "application/json", "csv": "text/csv, */*", "html": "text/html, */*"}
ID_FIELDS = ("id", "name", "login", "key")
NAME_FIELDS = ("name", "display_name", "title", "login", "id")


async def fetch(context: FetchContext) -> Fetched:
    """Ask once. Raises SourceError, whose message holds neither the key nor the address's parameters."""
    choices = context.choices
    address = named(str(choices["address"]), str(choices.get("id", "")))
    started = time.monotonic()
    response, body = await get(context, address, context.scratch.get("if_changed", {}))
    took_ms = (time.monotonic() - started) * 1000
    if response.status_code == 304:
        return Fetched(unchanged=True, took_ms=took_ms)
    form = str(choices.get("form", "json"))
    text, selector = body.decode("utf-8", "replace"), str(choices.get("selector", ""))
    payload = await context.read(text, form, host(address), selector)
    context.scratch["if_changed"] = _if_changed(response)
    return Fetched(payload, len(body), took_ms)


def named(address: str, known: str) -> str:
    """The address with what was found by name in its place."""
    return address.replace("{id}", quote(known, safe=""))


def _if_changed(response: httpx.Response) -> dict[str, str]:
    """With which headers to ask whether there is anything new."""
    answered = {"If-None-Match": "etag", "If-Modified-Since": "last-modified"}
    told = {asked: response.headers[name] for asked, name in answered.items() if name in response.headers}
    # What cannot stand in a question is not asked with.
    return {asked: value for asked, value in told.items() if value.isascii() and value.isprintable()}


async def get(context: FetchContext, address: str, headers: Mapping[str, str]) -> tuple[httpx.Response, bytes]:
    """Ask an address with the feed's key; its answer, which is a good one or 304. Raises SourceError."""
    where = host(address)
    keyed, address = with_key(address, context.choices, context.secrets)
    try:
        async with asyncio.timeout(TIMEOUT_S):
            response, body = await _ask(context.client, address, {**keyed, **headers}, where)
    except TimeoutError:
        raise SourceUnavailable(
            f"No answer from {where} in {TIMEOUT_S:.0f} s. It may be busy. Check the address."
        ) from None
    except httpx.ConnectError as error:
        raise SourceUnavailable(no_connection(where, error)) from None
    except httpx.HTTPError as error:
        raise SourceUnavailable(f"The response from {where} was cut off ({type(error).__name__}). Retrying.") from None
    except (httpx.InvalidURL, UnicodeError, ValueError):
        raise SourceUnavailable("The address can't be used. Paste it again.") from None
    if response.status_code != 304:
        check_status(response, where, bool(context.secrets.get("key")), body)
    return response, body


async def look_up(context: FetchContext, name: str) -> list[NameMatch]:
    """What the service offers for a name. Raises SourceError."""
    address = str(context.choices["look_up"]).replace("{name}", quote(name, safe=""))
    _, body = await get(context, address, {})
    return matches(await context.read(body.decode("utf-8", "replace"), "json", host(address)))


def matches(payload: object) -> list[NameMatch]:
    """The things with a name in an answer: the first list of groups in it, or the one group that it is."""
    groups = _first_list(payload, 0)
    found = []
    for group in groups[:MAX_MATCHES]:
        known = next((group[key] for key in ID_FIELDS if _plain(group.get(key))), None)
        shown = next((group[key] for key in NAME_FIELDS if _plain(group.get(key))), known)
        if known is not None:
            rest = [str(value) for key, value in group.items() if _plain(value) and value not in (known, shown)]
            found.append(NameMatch(str(known), str(shown), " · ".join(rest[:3])[:120]))
    return found


def _plain(value: object) -> bool:
    return isinstance(value, str | int | float) and not isinstance(value, bool) and value != ""


def _first_list(payload: object, depth: int) -> list[dict[str, Any]]:
    if isinstance(payload, list):
        return [one for one in payload if isinstance(one, dict)]
    if isinstance(payload, dict) and depth < 3:
        for value in payload.values():
            if isinstance(value, list) and any(isinstance(one, dict) for one in value):
                return _first_list(value, depth + 1)
        inner = [value for value in payload.values() if isinstance(value, dict)]
        return _first_list(inner[0], depth + 1) or inner[:1] if len(inner) == 1 else [payload] if payload else []
    return []


def with_key(address: str, choices: Mapping[str, Any], secrets: Mapping[str, str]) -> tuple[dict[str, str], str]:
    """Headers and address of a question, the feed's key in the place chosen for it."""
    headers = {"Accept": ACCEPTED.get(str(choices.get("form", "json")), "*/*")}
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
    # Packed only in the one way whose unpacking can be bounded.
    async with client.stream("GET", address, headers={"Accept-Encoding": "gzip", **headers}) as response:
        unpack, body = unpacker(response.headers.get("content-encoding", ""), where), bytearray()
        async for chunk in response.aiter_raw():
            body += unpack(chunk, MAX_BYTES + 1 - len(body))
            if len(body) > MAX_BYTES:
                raise ResponseNotUnderstood(
                    f"{where} sent more than {MAX_BYTES // 1_000_000} MB. Request less data.",
                    body[:300].decode(errors="replace"),
                )
        return response, bytes(body)


def unpacker(encoding: str, where: str) -> Callable[[bytes, int], bytes]:
    """What unpacks an answer bit by bit, each time at most so many bytes. Raises ResponseNotUnderstood."""
    encoding = encoding.strip().lower()
    if encoding in ("", "identity"):
        return lambda chunk, most: chunk
    if encoding not in ("gzip", "x-gzip", "deflate"):
        raise ResponseNotUnderstood(
            f"{where} sent a compressed response: “{encoding[:20]}”, which was not requested.", ""
        )
    packed = zlib.decompressobj(32 + zlib.MAX_WBITS)

    def unpack(chunk: bytes, most: int) -> bytes:
        try:
            return packed.decompress(chunk, max(most, 1))
        except zlib.error:
            raise ResponseNotUnderstood(f"What {where} sent can't be unpacked.", "") from None

    return unpack


def check_status(response: httpx.Response, where: str, keyed: bool, body: bytes = b"") -> None:
    """Raise the SourceError that goes with an answer that is not a good one."""
    status, said = response.status_code, own_words(body)
    if status < 300:
        return
    if status == 401 and keyed:
        raise CredentialsRejected(
            f"{where} refused the key (401). Check that the key is complete and its name is right.{said}"
        )
    if status == 401:
        raise CredentialsRejected(f"{where} needs a key (401). Enter it under “Key”.{said}")
    if status == 403:
        raise CredentialsRejected(
            f"{where} refused access (403). Check that the key has permission to read this.{said}"
        )
    if status in (404, 410):
        raise SourceUnavailable(f"{where} has nothing at this address ({status}). Check the path and the name in it.")
    if status == 429:
        wait = _retry_after(response)
        when = f"It asks to wait {wait:.0f} s." if wait else "Wait a minute, and fetch less often."
        raise SourceUnavailable(f"{where} was polled too often (429). {when}", wait)
    if status < 400:
        onward = host(response.headers.get("location", "")) or "another address"
        raise SourceUnavailable(f"{where} redirects to {onward} ({status}). If you trust it, use that address instead.")
    retry = _retry_after(response) if status == 503 else None
    raise SourceUnavailable(f"{where} has a server error ({status}). Retrying.", retry)


def _retry_after(response: httpx.Response) -> float | None:
    given = response.headers.get("retry-after", "").strip()
    if given.isdecimal():
        return float(given[:6])
    try:
        return max((parsedate_to_datetime(given) - datetime.now(UTC)).total_seconds(), 1.0)
    except (TypeError, ValueError):
        return None
