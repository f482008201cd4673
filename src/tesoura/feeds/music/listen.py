"""One player, asked again and again, or heard over its WebSocket."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator

from tesoura.core.values import from_json
from tesoura.errors import ResponseNotUnderstood
from tesoura.feeds.api import NOTHING, FetchContext, Fetched
from tesoura.feeds.http.address import host
from tesoura.feeds.http.ask import get
from tesoura.feeds.music.telling import Teller


async def listen(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the player tells, until it breaks. Raises SourceError."""
    address = str(context.choices["address"])
    teller = Teller(context.choices, host(address))
    told = _told(context, teller) if address.lower().startswith(("ws://", "wss://")) else _asked(context, teller)
    async for came in told:
        yield came
        if context.trying and came.payload is not NOTHING:
            return


async def _asked(context: FetchContext, teller: Teller) -> AsyncIterator[Fetched]:
    address = str(context.choices["address"])
    while True:
        started = time.monotonic()
        _, body = await get(context, address, {})
        took_ms = (time.monotonic() - started) * 1000
        yield teller.fetched(_json(body, address) if body.strip() else {}, len(body), took_ms)
        await asyncio.sleep(max(float(context.choices["period_s"]) - took_ms / 1000, 0.1))


def _json(body: bytes, address: str) -> object:
    try:
        return from_json(body)
    except ValueError:
        raise ResponseNotUnderstood(
            f"{host(address)} sent something other than JSON. Check the address.", body[:300].decode("utf-8", "replace")
        ) from None


async def _told(context: FetchContext, teller: Teller) -> AsyncIterator[Fetched]:
    from tesoura.feeds.socket.listen import listen as open_socket

    known: dict[str, object] = {}
    async for came in open_socket(context):
        if came.payload is NOTHING:
            yield came
        elif isinstance(came.payload, dict):
            # A message may tell all there is, or only what has changed.
            known = {**known, **came.payload}
            yield teller.fetched(known, came.size_bytes)
