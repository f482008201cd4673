"""Watching a folder for clips: a file that still grows is never touched."""

from __future__ import annotations

import asyncio
import os
import time
from collections.abc import AsyncIterator, Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from tesoura.errors import SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched, FoundClip, Item
from tesoura.feeds.paths import allowed, unreadable

ENDINGS = frozenset({".mp4", ".m4v", ".mov", ".mkv", ".webm", ".ts"})
LOOK_S, MANY_LOOK_S, GROWING_LOOK_S = 0.2, 0.5, 0.1
"""How often is looked: at a folder of few files, of many, and while one of them grows."""
MANY = 300
STEADY_S, OLD_S = 0.4, 10.0
"""A file that has been the same for so long is whole; and one that was written so long ago when it is first seen."""
MOST_FILES = 20_000


@dataclass(frozen=True, slots=True)
class FileLook:
    """A file as it was seen: its size, and when it was last written, ns since 1970."""

    size: int
    written: int


class ClipFolder:
    """A folder, as it was last seen."""

    def __init__(self, folder: Path, wait_s: float, clock: Callable[[], datetime]) -> None:
        self._folder, self._wait_s, self._clock = folder, wait_s, clock
        self._steady: dict[str, tuple[FileLook, float]] = {}
        self._changed = asyncio.Event()
        self.whole: dict[str, FileLook] = {}
        self.growing = 0
        self._settling = False
        self._strange: dict[str, FileLook] = {}

    async def clip(self, begin: datetime, end: datetime) -> FoundClip:
        """The first whole file whose end is not before the end of what is wished for. Raises SourceError."""
        wanted = int(end.timestamp() * 1e9)
        try:
            async with asyncio.timeout(self._wait_s + max((end - self._clock()).total_seconds(), 0)):
                while True:
                    found = [
                        (look.written, name)
                        for name, look in self.whole.items()
                        if look.written >= wanted and self._strange.get(name) != look
                    ]
                    if found:
                        written, name = min(found)
                        at = datetime.fromtimestamp(written / 1e9, UTC)
                        return FoundClip(allowed_in(self._folder, name), at, whole=True)
                    self._changed.clear()
                    await self._changed.wait()
        except TimeoutError:
            raise SourceUnavailable(
                f"No clip arrived in the folder within {self._wait_s:g} s. Check that the other program saves "
                "clips there."
            ) from None

    def pass_over(self, found: FoundClip) -> None:
        """This one is no clip, or not of what is wished for: the next one is."""
        name = found.path.name
        if name in self.whole:
            self._strange[name] = self.whole[name]

    def standing(self) -> Mapping[str, Any]:
        """How it stands, for its page."""
        return {"note": self.note(), "files": len(self.whole)}

    def note(self) -> str:
        """What is in it, in a sentence."""
        count = len(self.whole)
        grows = f", {self.growing} still being written" if self.growing else ""
        return f"{count} {'clip' if count == 1 else 'clips'} in the folder{grows}."

    @property
    def pause_s(self) -> float:
        """How long it may be until the next look."""
        if self._settling:
            return GROWING_LOOK_S
        return LOOK_S if len(self.whole) < MANY else MANY_LOOK_S

    def look(self) -> list[tuple[str, FileLook]]:
        """Look once; the files that have become whole since the last look. Raises SourceError."""
        present: dict[str, tuple[FileLook, float]] = {}
        now, wall = time.monotonic(), self._clock().timestamp()
        try:
            with os.scandir(self._folder) as listed:
                for count, one in enumerate(listed):
                    if count >= MOST_FILES:
                        break
                    if not one.name.startswith(".") and Path(one.name).suffix.lower() in ENDINGS and one.is_file():
                        told = one.stat()
                        seen = FileLook(told.st_size, told.st_mtime_ns)
                        before = self._steady.get(one.name)
                        same = before is not None and before[0] == seen
                        present[one.name] = before if before is not None and same else (seen, now)
        except OSError as error:
            raise unreadable(self._folder, error) from error
        self._steady = present
        whole = {
            name: seen
            for name, (seen, since) in present.items()
            if seen.size and (now - since >= STEADY_S or wall - seen.written / 1e9 >= OLD_S)
        }
        fresh = [(name, seen) for name, seen in whole.items() if self.whole.get(name) != seen]
        self.whole, self.growing = whole, len(present) - len(whole)
        # What is empty, or stopped halfway, may stay so for ever: it is not looked at so often.
        self._settling = any(now - since < 5 * STEADY_S for name, (_, since) in present.items() if name not in whole)
        if fresh:
            self._changed.set()
        return fresh


def allowed_in(folder: Path, name: str) -> Path:
    """A file of the folder, unless it leads out of it. Raises SourceUnavailable."""
    real = (folder / name).resolve()
    if not real.is_relative_to(folder.resolve()):
        raise SourceUnavailable(f"{name} points outside its folder, so it was skipped.")
    return real


async def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """Tell of each clip that comes, once it is whole. Raises SourceError."""
    folder = allowed(str(context.choices["path"]), context.folders)
    if not await asyncio.to_thread(folder.is_dir):
        raise SourceUnavailable(f"There is no folder {folder.name}. Give the folder that clips are saved to.")
    seen = ClipFolder(folder, float(context.choices["wait_s"]), context.clock)
    await asyncio.to_thread(seen.look)
    context.link = seen
    try:
        yield Fetched({"clips": len(seen.whole)}, quiet=True, note=seen.note())
        if context.trying:
            return
        growing = seen.growing
        while True:
            await asyncio.sleep(seen.pause_s)
            fresh = await asyncio.to_thread(seen.look)
            if fresh or growing != seen.growing:
                growing = seen.growing
                yield Fetched({"clips": len(seen.whole)}, quiet=True, note=seen.note(), items=tuple(map(_item, fresh)))
    finally:
        context.link = None


def _item(one: tuple[str, FileLook]) -> Item:
    name, seen = one
    at = datetime.fromtimestamp(seen.written / 1e9, UTC)
    return Item("clip.saved", {"file": name, "size": seen.size}, id=f"{name}:{seen.written}:{seen.size}", time=at)
