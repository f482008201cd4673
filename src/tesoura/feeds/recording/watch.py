"""Watching a recording grow, and saying which of its last bytes hold the wished seconds."""

from __future__ import annotations

import asyncio
import os
from collections import deque
from collections.abc import AsyncIterator, Callable, Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from tesoura.errors import SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched, FoundClip
from tesoura.feeds.clips.watch import ENDINGS, allowed_in
from tesoura.feeds.paths import allowed, unreadable

LOOK_S = 0.25
STANDS_S = 4.0
"""A recording that has not grown for so long has ended, or is paused."""
WRITTEN_S = 1.0
"""What was seen is in the file by so much later; programs write in pieces."""
WAIT_S = 20.0
LEAST_TAIL, MOST_TAIL = 12_000_000, 600_000_000
REMEMBERED = 240


class GrowingFile:
    """A recording, as it was last seen."""

    def __init__(self, path: Path, clock: Callable[[], datetime]) -> None:
        self._place, self._clock = path, clock
        self.path: Path | None = None
        self._sizes: deque[tuple[float, int]] = deque(maxlen=REMEMBERED)
        self._changed = asyncio.Event()
        self.grew_at = 0.0

    def look(self) -> bool:
        """Look once; whether it has grown. Raises SourceError."""
        try:
            path = newest(self._place) if self._place.is_dir() else self._place
            told = path.stat()
        except OSError as error:
            raise unreadable(self._place, error) from error
        if path != self.path:
            self.path = path
            self._sizes.clear()
        grown = not self._sizes or told.st_size != self._sizes[-1][1]
        if grown:
            self._sizes.append((told.st_mtime, told.st_size))
            self.grew_at = told.st_mtime
            self._changed.set()
        return grown

    def grows(self, now: float) -> bool:
        """Whether it grows now."""
        return now - self.grew_at < STANDS_S

    def rate(self) -> float:
        """How many bytes a second it grows by."""
        if len(self._sizes) < 2:
            return 0.0
        (begin, small), (end, large) = self._sizes[0], self._sizes[-1]
        return max(large - small, 0) / max(end - begin, LOOK_S)

    async def clip(self, begin: datetime, end: datetime) -> FoundClip:
        """The recording, once what was seen up to `end` is written. Raises SourceError."""
        wanted = end.timestamp() + WRITTEN_S
        wait_s = WAIT_S + max(wanted - self._clock().timestamp(), 0)
        try:
            async with asyncio.timeout(wait_s):
                while self.grew_at < wanted:
                    self._changed.clear()
                    await self._changed.wait()
        except TimeoutError:
            raise SourceUnavailable("The recording is not growing. It may be stopped or paused.") from None
        assert self.path is not None
        whole_s = max(self.grew_at - begin.timestamp(), 1.0) + 12.0
        tail = min(max(int(self.rate() * whole_s * 1.5), LEAST_TAIL), MOST_TAIL)
        return FoundClip(self.path, datetime.fromtimestamp(self.grew_at, UTC), tail)

    def standing(self) -> Mapping[str, Any]:
        """How it stands, for its page."""
        return {"note": self.note(self._clock().timestamp())}

    def note(self, now: float) -> str:
        """How it grows, in a sentence."""
        name = self.path.name if self.path else "It"
        if not self.grows(now):
            return f"{name} is not growing."
        return f"{name} grows by {self.rate() * 8 / 1e6:.1f} Mbit/s."


def newest(folder: Path) -> Path:
    """The recording of a folder that was written last. Raises SourceUnavailable."""
    found: list[tuple[float, str]] = []
    with os.scandir(folder) as listed:
        for one in listed:
            if not one.name.startswith(".") and Path(one.name).suffix.lower() in ENDINGS and one.is_file():
                found.append((one.stat().st_mtime, one.name))
    if not found:
        raise SourceUnavailable(f"There is no recording in {folder.name} yet. Start recording in the other program.")
    return allowed_in(folder, max(found)[1])


async def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """Tell how it grows. Raises SourceError."""
    seen = GrowingFile(allowed(str(context.choices["path"]), context.folders), context.clock)
    await asyncio.to_thread(seen.look)
    context.link = seen
    try:
        last: bool | None = None
        while True:
            now = context.clock().timestamp()
            if seen.grows(now) is not last:
                last = seen.grows(now)
                yield Fetched({"growing": last}, quiet=True, note=seen.note(now))
                if context.trying:
                    return
            await asyncio.sleep(LOOK_S)
            await asyncio.to_thread(seen.look)
    finally:
        context.link = None
