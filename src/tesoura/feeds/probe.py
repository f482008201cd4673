"""Trying a feed once, before it is kept: what it gives, or that it is there and has said nothing yet."""

from __future__ import annotations

import asyncio
import contextlib

from tesoura.errors import SourceUnavailable
from tesoura.feeds.api import NOTHING, FeedKind, FetchContext, Fetched

ANSWER_S = 12.0
SILENCE_S = 3.0


async def try_once(kind: FeedKind, context: FetchContext) -> Fetched:
    """What one try gives. Raises SourceError."""
    if kind.sign_in is not None and "tokens" not in context.secrets:
        await kind.sign_in.begin(context, "http://127.0.0.1/", "try", "t" * 48)
        return Fetched(note="Service found. Now sign in there.")
    if kind.fetch is not None:
        return await kind.fetch(context)
    if kind.follow is None:
        return Fetched(note="Saved. Waiting for data.")
    stream = kind.follow(context)
    last: Fetched | None = None
    try:
        while last is None or last.payload is NOTHING:
            async with asyncio.timeout(ANSWER_S if last is None else SILENCE_S):
                last = await anext(stream)
                context.keep(last)
    except TimeoutError:
        if last is None:
            raise SourceUnavailable(f"Nothing received in {ANSWER_S:.0f} s. Check that it's running.") from None
        return Fetched(note=f"Connected. Nothing received in {SILENCE_S:.0f} s, which can be normal.")
    except StopAsyncIteration:
        if last is None:
            raise SourceUnavailable("It ended before sending anything.") from None
    finally:
        with contextlib.suppress(Exception):
            await stream.aclose()  # type: ignore[attr-defined]
    return last
