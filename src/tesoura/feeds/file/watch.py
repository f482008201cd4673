"""Reading a file that another program may be writing: never half of it."""

from __future__ import annotations

import asyncio
import os
import time
from pathlib import Path

from tesoura.errors import ResponseNotUnderstood, SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched
from tesoura.feeds.paths import allowed, unreadable
from tesoura.plain_files import open_plain

MAX_BYTES = 5_000_000
SETTLED_S = 0.25
PATIENCE_S = 2.0
Stamp = tuple[int, int, int]


async def look(context: FetchContext, typed: str, form: str, may_be_empty: bool = False) -> Fetched:
    """What the file holds; unchanged when it is as it was. Raises SourceError.

    A file is read once it has lain untouched for a quarter of a second, and again when it was touched meanwhile. One
    that does not read well while it is still fresh is taken as half written: what it held before stands. One without
    anything in it does not read well, unless it may be empty.
    """
    path = await asyncio.to_thread(allowed, typed, context.folders)
    end = time.monotonic() + PATIENCE_S
    while True:
        stamp, age_s = await _stamp(path)
        if stamp == context.scratch.get("stamp"):
            return Fetched(unchanged=True)
        if age_s >= SETTLED_S:
            text = await read_text(path)
            if (await _stamp(path))[0] == stamp:
                try:
                    empty = may_be_empty and not text.strip()
                    payload = "" if empty else await context.read(text, form, path.name)
                except ResponseNotUnderstood:
                    if age_s > PATIENCE_S or time.monotonic() > end:
                        raise
                    if "stamp" in context.scratch:
                        return Fetched(unchanged=True)
                else:
                    context.scratch["stamp"] = stamp
                    return Fetched(payload, len(text))
        elif time.monotonic() > end and "stamp" in context.scratch:
            return Fetched(unchanged=True)
        await asyncio.sleep(SETTLED_S / 2)


async def _stamp(path: Path) -> tuple[Stamp, float]:
    """What tells one writing of the file from another, and its age in seconds; negative ages count as old."""
    try:
        stat = await asyncio.to_thread(os.stat, path)
    except OSError as error:
        raise unreadable(path, error) from None
    age_s = time.time() - stat.st_mtime
    return (stat.st_mtime_ns, stat.st_size, stat.st_ino), age_s if age_s >= 0 else PATIENCE_S * 2


async def read_text(path: Path) -> str:
    """All that a file holds, as text. Raises SourceError."""

    def job() -> bytes:
        with open_plain(path) as file:
            return file.read(MAX_BYTES + 1)

    try:
        content = await asyncio.to_thread(job)
    except OSError as error:
        raise unreadable(path, error) from None
    if len(content) > MAX_BYTES:
        raise SourceUnavailable(
            f"{path.name} has more than {MAX_BYTES // 1_000_000} MB. For a log, use “A growing log”."
        )
    return content.decode("utf-8", "replace")
