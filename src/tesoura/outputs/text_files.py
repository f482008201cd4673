"""Text files that another program reads at any moment: each is replaced whole, never written in place."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

TRIES = 6
PAUSE_S = 0.05
TEMPORARY = ".tesoura-"

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Written:
    """What a file holds, when it was last written, and why the last try failed, if it did."""

    text: str
    at: datetime | None = None
    problem: str | None = None


def replace_file(path: Path, text: str) -> None:
    """Put this text in the place of what the file held. A reader sees the one or the other, never half."""
    temporary = path.with_name(f"{TEMPORARY}{uuid.uuid4().hex[:12]}")
    try:
        temporary.write_bytes(text.encode("utf-8"))
        for left in reversed(range(TRIES)):
            try:
                os.replace(temporary, path)
                return
            except PermissionError:
                # On Windows a file that is open for reading cannot be replaced at that very moment.
                if not left:
                    raise
                time.sleep(PAUSE_S)
    finally:
        with contextlib.suppress(OSError):
            temporary.unlink(missing_ok=True)


def sweep(folder: Path) -> None:
    """Take away what a crash in the middle of writing left behind."""
    with contextlib.suppress(OSError):
        for left in folder.glob(f"{TEMPORARY}*"):
            left.unlink(missing_ok=True)


class FileWriter:
    """Writes the latest text of each file, beside the loop; texts that were overtaken are never written."""

    def __init__(self, clock: Callable[[], datetime], written: Callable[[], None] = lambda: None) -> None:
        self._clock, self._told = clock, written
        self._wanted: dict[Path, str] = {}
        self._written: dict[Path, Written] = {}
        self._wake = asyncio.Event()
        self._busy: Path | None = None
        self._present: asyncio.Future[None] | None = None
        self._task: asyncio.Task[None] | None = None

    def put(self, path: Path, text: str) -> None:
        """Let the file hold this text."""
        known = self._written.get(path)
        there = known is not None and known.text == text and known.problem is None
        # While another text is being written, what was written before is not what the file will hold.
        if there and path not in self._wanted and path != self._busy:
            return
        self._wanted[path] = text
        self._wake.set()
        if self._task is None:
            self._task = asyncio.create_task(self._run(), name="text files")

    def state(self, path: Path) -> Written | None:
        """How a file fares."""
        return self._written.get(path)

    def forget(self, path: Path) -> None:
        """The file is left as it is."""
        self._wanted.pop(path, None)
        self._written.pop(path, None)

    async def remove(self, path: Path) -> None:
        """Take a file away, once what is being written has been."""
        self._wanted.pop(path, None)
        while self._busy == path and self._present is not None:
            await asyncio.gather(self._present, return_exceptions=True)
            await asyncio.sleep(0)
        self.forget(path)
        with contextlib.suppress(OSError):
            await asyncio.to_thread(path.unlink, missing_ok=True)

    async def _run(self) -> None:
        while True:
            await self._wake.wait()
            self._wake.clear()
            try:
                await self._flush()
            except Exception:
                log.exception("A text file couldn't be written; the others are")
                self._wake.set()

    async def _flush(self) -> None:
        while self._wanted:
            path, text = next(iter(self._wanted.items()))
            del self._wanted[path]
            self._busy = path
            try:
                self._present = asyncio.ensure_future(asyncio.to_thread(replace_file, path, text))
                # Told to stop, a write that is under way is still waited for: a later one must not be overtaken by it.
                await asyncio.shield(self._present)
                self._written[path] = Written(text, self._clock())
            except (OSError, ValueError) as error:
                before = self._written.get(path)
                self._written[path] = Written(
                    before.text if before else "", before.at if before else None, _problem(path, error)
                )
            finally:
                self._busy = None
            self._told()

    async def stop(self) -> None:
        """Write what is still to be written, then stop."""
        if self._task is not None:
            self._task.cancel()
            await asyncio.gather(self._task, return_exceptions=True)
            self._task = None
        if self._present is not None:
            await asyncio.gather(self._present, return_exceptions=True)
        await self._flush()


def _problem(path: Path, error: OSError | ValueError) -> str:
    if not path.parent.is_dir():
        return f"There is no folder {path.parent.name} any more. Create it, or choose another one."
    why = getattr(error, "strerror", None) or error
    return f"{path.name} couldn't be written ({why}). Check the permissions and the free space."
