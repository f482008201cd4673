"""One open WebSocket, and every way in which it can fail."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Mapping
from typing import Any
from urllib.parse import quote, urlsplit, urlunsplit

from websockets.asyncio.client import connect
from websockets.exceptions import ConnectionClosed, InvalidHandshake, InvalidStatus, InvalidURI, PayloadTooBig

from tesoura.errors import CredentialsRejected, ResponseNotUnderstood, SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched
from tesoura.feeds.connecting import no_connection
from tesoura.feeds.formats import line_payload
from tesoura.feeds.own_words import own_words

OPEN_S = 5.0
MAX_BYTES = 1_000_000


async def listen(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the socket tells, until it breaks. Raises SourceError, whose message holds no key."""
    address, headers = _with_key(context)
    where = urlsplit(address).netloc
    ping_s = float(context.choices.get("ping_s", 20.0))
    try:
        async with connect(
            address,
            additional_headers=headers,
            open_timeout=OPEN_S,
            ping_interval=ping_s,
            ping_timeout=ping_s,
            max_size=MAX_BYTES,
            proxy=None,
            close_timeout=1,
        ) as socket:
            for line in str(context.choices.get("subscribe", "")).splitlines():
                if line.strip():
                    await socket.send(line)
            yield Fetched(note="Connected. Messages appear here.")
            async for message in socket:
                text = message if isinstance(message, str) else message.decode("utf-8", "replace")
                payload = line_payload(text)
                yield Fetched(payload, len(message), message=payload)
    except InvalidStatus as error:
        raise _refused(where, error.response.status_code, bytes(error.response.body or b"")) from None
    except TimeoutError:
        raise SourceUnavailable(f"No answer from {where} in {OPEN_S:.0f} s. Check the address.") from None
    except PayloadTooBig:
        raise ResponseNotUnderstood(f"{where} sent a message over 1 MB. Subscribe to less.", "") from None
    except ConnectionClosed as error:
        raise _closed(where, error) from None
    except (InvalidHandshake, InvalidURI, EOFError):
        raise SourceUnavailable(f"The server at {where} is not a WebSocket. Check the path.") from None
    except OSError as error:
        raise SourceUnavailable(no_connection(where, error)) from None
    except asyncio.IncompleteReadError:
        raise SourceUnavailable(f"{where} disconnected. Reconnecting.") from None


def _closed(where: str, error: ConnectionClosed) -> SourceUnavailable:
    if error.sent is not None and error.sent.code == 1011 and "ping" in error.sent.reason:
        return SourceUnavailable(f"{where} stopped answering. Reconnecting.")
    if error.sent is not None and error.sent.code == 1009:
        return SourceUnavailable(f"{where} sent a message over 1 MB. Subscribe to less.")
    code, reason = (error.rcvd.code, error.rcvd.reason) if error.rcvd else (1006, "")
    said = f", saying “{reason[:100]}”" if reason else ""
    return SourceUnavailable(f"{where} closed the connection ({code}{said}). Reconnecting.")


def _refused(where: str, status: int, body: bytes) -> SourceUnavailable | CredentialsRejected:
    if status in (401, 403):
        return CredentialsRejected(f"{where} refused the connection ({status}). Check the key.{own_words(body)}")
    if status == 404:
        return SourceUnavailable(f"{where} has no WebSocket at this path (404). Check the address.")
    return SourceUnavailable(f"{where} didn't accept the connection ({status}). Retrying.")


def _with_key(context: FetchContext) -> tuple[str, Mapping[str, str]]:
    choices: Mapping[str, Any] = context.choices
    address, key, name = str(choices["address"]), context.secrets.get("key", ""), str(choices.get("key_name", ""))
    if key and choices.get("key_in") == "header":
        return address, {name: key}
    if key and choices.get("key_in") == "query":
        parts = urlsplit(address)
        added = f"{quote(name)}={quote(key, safe='')}"
        return urlunsplit(parts._replace(query=f"{parts.query}&{added}" if parts.query else added)), {}
    return address, {}
