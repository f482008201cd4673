"""Following a growing file: whole lines only, from where it was left, through rotation and truncation."""

from __future__ import annotations

import asyncio
import hashlib
import os
import time
from collections.abc import AsyncIterator, Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import regex

from tesoura.core.instants import told_instant
from tesoura.errors import SourceUnavailable, TooMuch
from tesoura.feeds.api import NOTHING, FetchContext, Fetched, Folders, Item
from tesoura.feeds.follow.cost import MOST, cost
from tesoura.feeds.paths import allowed, is_file, unreadable
from tesoura.plain_files import open_plain

LOOK_EVERY_S = 0.25
CHUNK = 256_000
TRY_BYTES = 64_000
MAX_LINE = 4_000
HEAD = 256
SEARCH_S, BATCH_S = 0.05, 2.0


async def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the log tells, until it cannot be read. Before the feed is kept, what its last lines would have told."""
    path = await asyncio.to_thread(allowed, str(context.choices["path"]), context.folders)
    finder = Finder(str(context.choices["pattern"]), str(context.choices.get("type", "line")))
    if context.trying:
        yield await asyncio.to_thread(_tried, path, finder)
        return
    tail = Tail(path, context.memory, lambda: allowed(str(context.choices["path"]), context.folders))
    try:
        note = await asyncio.to_thread(_quietly, path, tail.open)
        yield Fetched(memory=tail.memory(), note=note)
        while True:
            lines, note = await asyncio.to_thread(_quietly, path, tail.read)
            if lines or note:
                items = await asyncio.to_thread(finder.items, lines)
                last = items[-1].data if items else None
                payload = {"last": last, "line": lines[-1]} if last else NOTHING
                yield Fetched(payload, items=items, memory=tail.memory(), note=note or finder.problem)
            if not lines:
                await asyncio.sleep(LOOK_EVERY_S)
    finally:
        tail.close()


def _quietly(path: Path, job: Any) -> Any:
    try:
        return job()
    except OSError as error:
        raise unreadable(path, error) from None


TRIED_LINES = 20


async def fitting(path: str, pattern: str, folders: Folders) -> list[tuple[str, Mapping[str, Any] | None]]:
    """The last lines of a log, each with what a pattern finds in it. Raises SourceError."""
    where = await asyncio.to_thread(allowed, path, folders)
    finder = Finder(pattern, "line")
    lines = (await asyncio.to_thread(_last_lines, where))[-TRIED_LINES:]

    def find() -> list[tuple[str, Mapping[str, Any] | None]]:
        return [(line[:400], item.data if (item := finder.item(line)) else None) for line in lines]

    return await asyncio.to_thread(find)


def _last_lines(path: Path) -> list[str]:
    try:
        with open_plain(path) as file:
            file.seek(max(file.seek(0, os.SEEK_END) - TRY_BYTES, 0))
            return file.read().decode("utf-8", "replace").splitlines()
    except OSError as error:
        raise unreadable(path, error) from None


def _tried(path: Path, finder: Finder) -> Fetched:
    lines = _last_lines(path)
    found = [dict(item.data) for item in finder.items(lines)]
    note = f"{len(found)} of the last {len(lines)} lines match the pattern."
    return Fetched({"last": found[-1] if found else None, "found": found[-10:], "lines": lines[-10:]}, note=note)


class Finder:
    """A pattern at work. One that takes too long over a line is given up for that line, and it is said."""

    def __init__(self, pattern: str, kind: str) -> None:
        if cost(pattern) > MOST:
            raise TooMuch("The pattern's repeat counts are too large. Use smaller ones, then resume the feed.")
        self._pattern, self._kind = regex.compile(pattern), kind
        self.problem = ""

    def items(self, lines: Sequence[str]) -> tuple[Item, ...]:
        """The events that lines make. Raises TooMuch when the pattern takes too long over all of them."""
        began = time.monotonic()
        found: list[Item] = []
        for line in lines:
            if (item := self.item(line)) is not None:
                found.append(item)
            if time.monotonic() - began > BATCH_S:
                raise TooMuch(
                    f"The pattern takes over {BATCH_S:g} s for a few lines, so the feed was paused. Simplify it, "
                    "then resume."
                )
        return tuple(found)

    def item(self, line: str) -> Item | None:
        """The event that a line makes, if it does."""
        try:
            found = self._pattern.search(line[:MAX_LINE], timeout=SEARCH_S)
        except TimeoutError:
            self.problem = "The pattern takes too long on some lines, which are skipped. Simplify it."
            return None
        if found is None:
            return None
        groups = {name: _value(text) for name, text in found.groupdict().items() if text is not None}
        at = told_instant(groups.get("time")) if "time" in groups else None
        kind = groups.pop("type", None)
        return Item(str(kind) if kind else self._kind, groups, time=at)


def _value(text: str) -> str | int | float:
    plain = text.strip()
    if plain.lstrip("+-").isdecimal() and len(plain) < 20 and plain.isascii():
        return int(plain)
    if plain.lstrip("+-").replace(".", "", 1).isdecimal() and len(plain) < 30 and plain.isascii():
        return float(plain)
    return plain


@dataclass(slots=True)
class _At:
    file: IO[bytes]
    inode: int
    offset: int


class Tail:
    """One growing file. `memory` tells where it was left, so that a restart loses no line and repeats none."""

    def __init__(self, path: Path, memory: Mapping[str, Any], allowed_now: Callable[[], Path] | None = None) -> None:
        self._path, self._memory, self._allowed_now = path, memory, allowed_now or (lambda: path)
        self._at: _At | None = None

    def open(self) -> str:
        """Go to where it was left, or to the end of a file that is new; what to say about it."""
        before = self._left_behind()
        if before is not None:
            self._at = before
            return ""
        file = self._path.open("rb")
        size = file.seek(0, os.SEEK_END)
        known = bool(self._memory)
        self._at = _At(file, os.fstat(file.fileno()).st_ino, 0 if known else size)
        return "The log was replaced. Reading from the start." if known else ""

    def _left_behind(self) -> _At | None:
        """The file that was being read, under its name or the one it was rotated to."""
        if not self._memory:
            return None
        others = sorted(self._path.parent.glob(f"{self._path.name}*"))
        for path in [self._path, *[one for one in others if one != self._path]][:50]:
            try:
                file = open_plain(path)
            except OSError:
                continue
            at = _At(file, os.fstat(file.fileno()).st_ino, int(self._memory["offset"]))
            if at.inode == self._memory["inode"] and _head(at) == self._memory["head"]:
                return at
            file.close()
        return None

    def read(self) -> tuple[list[str], str]:
        """The whole lines that have come since, and what to say about the file."""
        at = self._at
        if at is None:
            return [], ""
        size = os.fstat(at.file.fileno()).st_size
        if size < at.offset:
            at.offset = 0
            return [], "The log was truncated. Reading from the start."
        lines = self._lines(at)
        if lines:
            return lines, ""
        return [], self._rotated(at)

    def _lines(self, at: _At) -> list[str]:
        at.file.seek(at.offset)
        chunk = at.file.read(CHUNK)
        end = chunk.rfind(b"\n") + 1
        if not end and len(chunk) == CHUNK:
            end = CHUNK  # a line without end is taken in parts
        at.offset += end
        return chunk[:end].decode("utf-8", "replace").splitlines()

    def _rotated(self, at: _At) -> str:
        try:
            present = os.stat(self._path).st_ino
        except FileNotFoundError:
            return ""  # between two of them
        if present == at.inode:
            return ""
        # What stands there now may be a link that leads elsewhere, or something that is no file.
        self._path = is_file(self._allowed_now())
        at.file.close()
        file = self._path.open("rb")
        self._at = _At(file, os.fstat(file.fileno()).st_ino, 0)
        return "The log was rotated. Reading the new one."

    def memory(self) -> dict[str, Any]:
        """Where it is left."""
        if self._at is None:
            raise SourceUnavailable("The log is not open.")
        return {"inode": self._at.inode, "offset": self._at.offset, "head": _head(self._at)}

    def close(self) -> None:
        """Let the file go."""
        if self._at is not None:
            self._at.file.close()
            self._at = None


def _head(at: _At) -> str:
    """What tells this file from another that got its place on the disk: how it begins, as far as it was read."""
    at.file.seek(0)
    return hashlib.sha256(at.file.read(min(HEAD, at.offset))).hexdigest()[:16]
