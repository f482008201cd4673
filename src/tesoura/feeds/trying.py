"""Trying a feed once, before it is kept: what it gives, or that it is there and has said nothing yet."""

from __future__ import annotations

import asyncio
import contextlib

from tesoura.feeds.errors import SourceUnavailable
from tesoura.feeds.kind import NOTHING, Asking, Came, FeedKind

ANSWER_S = 12.0
SILENCE_S = 3.0


async def try_once(kind: FeedKind, asking: Asking) -> Came:
    """What one try gives. Raises SourceError."""
    if kind.sign_in is not None and "tokens" not in asking.secrets:
        await kind.sign_in.begin(asking, "http://127.0.0.1/", "try", "t" * 48)
        return Came(note="The service was found. Now sign in there.")
    if kind.fetch is not None:
        return await kind.fetch(asking)
    if kind.follow is None:
        return Came(note="It is kept, and waits for what comes.")
    stream = kind.follow(asking)
    last: Came | None = None
    try:
        while last is None or last.payload is NOTHING:
            async with asyncio.timeout(ANSWER_S if last is None else SILENCE_S):
                last = await anext(stream)
                asking.keep(last)
    except TimeoutError:
        if last is None:
            raise SourceUnavailable(f"Nothing came in {ANSWER_S:.0f} s. Is it running?") from None
        return Came(note=f"It is connected. Nothing has come in {SILENCE_S:.0f} s; that may well be right.")
    except StopAsyncIteration:
        if last is None:
            raise SourceUnavailable("It ended before anything came.") from None
    finally:
        with contextlib.suppress(Exception):
            await stream.aclose()  # type: ignore[attr-defined]
    return last
