"""One open stream of server-sent events, and every way in which it can fail."""

from __future__ import annotations

import codecs
import re
from collections.abc import AsyncIterator
from typing import Any

import httpx
from httpx_sse import EventSource, ServerSentEvent, SSEError, aconnect_sse
from httpx_sse._decoders import SSEDecoder

from tesoura.errors import SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched
from tesoura.feeds.connecting import no_connection
from tesoura.feeds.formats import line_payload
from tesoura.feeds.http.address import host
from tesoura.feeds.http.ask import check_status, unpacker, with_key

OPEN_S = 5.0
MAX_DATA = 1_000_000
_NEW_LINE = re.compile(r"\r\n|\n|\r(?=.)", re.DOTALL)


async def listen(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the stream tells, until it breaks. Raises SourceError, whose message holds no key."""
    headers, address = with_key(str(context.choices["address"]), context.choices, context.secrets)
    only = {name.strip() for name in str(context.choices.get("only", "")).split(",") if name.strip()}
    async for event in events(context, address, headers, float(context.choices.get("silence_s", 90.0))):
        if event is None:
            yield Fetched(note="Connected. Messages appear here.")
        elif not only or event.event in only:
            payload = line_payload(event.data)
            message: Any = {"event": event.event, "data": payload}
            # Kept with what it brought, so that neither a break nor a crash loses or repeats one.
            memory = {"last_id": event.id} if event.id else None
            yield Fetched(message, len(event.data), message=message, message_id=event.id or None, memory=memory)


async def _within(source: EventSource, where: str) -> AsyncIterator[ServerSentEvent]:
    """The events of a stream, none of them larger than may be, whatever line it is that has no end."""
    decoder, decode = SSEDecoder(), codecs.getincrementaldecoder("utf-8")("replace")
    waiting, taken = "", 0
    unpack = unpacker(source.response.headers.get("content-encoding", ""), where)
    async for chunk in source.response.aiter_raw():
        text = decode.decode(unpack(chunk, MAX_DATA + 1))
        taken += len(text)
        *lines, waiting = _NEW_LINE.split(waiting + text)
        for line in lines:
            event = decoder.decode(line)
            if event is not None:
                taken = len(waiting)
                yield event
        if taken > MAX_DATA:
            raise SourceUnavailable(f"{where} sent an event over 1 MB.")


async def events(context: FetchContext, address: str, headers: dict[str, str], silence_s: float) -> AsyncIterator[Any]:
    """None once it is open, then each event as it comes."""
    where = host(address)
    headers = {**headers, "Accept": "text/event-stream", "Accept-Encoding": "identity"}
    if (last := context.memory.get("last_id")) and str(last).isascii() and str(last).isprintable():
        headers["Last-Event-ID"] = str(last)
    timeout = httpx.Timeout(OPEN_S, read=silence_s)
    try:
        async with aconnect_sse(context.client, "GET", address, headers=headers, timeout=timeout) as source:
            check_status(source.response, where, keyed=bool(context.secrets.get("key")))
            yield None
            async for event in _within(source, where):
                # One without data is a comment or a sign of life, and no event.
                if event.data:
                    yield event
    except SSEError:
        raise SourceUnavailable(
            f"The server at {where} is not an event stream. For a polled address, use “A web address”."
        ) from None
    except httpx.ConnectError as error:
        raise SourceUnavailable(no_connection(where, error)) from None
    except httpx.ReadTimeout:
        raise SourceUnavailable(f"Nothing received from {where} for {silence_s:.0f} s. Reconnecting.") from None
    except httpx.HTTPError as error:
        raise SourceUnavailable(
            f"The stream from {where} broke ({type(error).__name__}). It is opened again."
        ) from None
    except (httpx.InvalidURL, UnicodeError, ValueError):
        raise SourceUnavailable("The address can't be used. Paste it again.") from None
