"""The room that clips take: what goes beyond its bounds is let go of, told before and told when it happens."""

from __future__ import annotations

import asyncio
import shutil
import uuid
from collections.abc import Callable, Coroutine
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tesoura.core.values import Event
from tesoura.errors import FileRefused
from tesoura.store import clips as stored
from tesoura.store import state
from tesoura.store.clips import ShelfBounds

if TYPE_CHECKING:
    from tesoura.runtime.facade import Runtime

FREE_BYTES = 500_000_000
"""With less free on the disk no clip is kept."""
DEFAULT_GB, DEFAULT_DAYS = 10, 30
TOLD_FROM = 0.8
"""From this share of the room on it is told that the oldest will go."""
LOOK_EVERY_S = 3_600
LET_GO, NEARLY_FULL = "tesoura.clips_let_go", "tesoura.clips_nearly_full"


class ClipRoom:
    """Looks after the room that clips take, with each new one and each hour."""

    def __init__(self, runtime: Runtime, folder: Path) -> None:
        self._runtime, self._folder = runtime, folder
        self._nearly_told = False
        self._looking: asyncio.Task[Any] | None = None

    def begin(self, start: Callable[[Coroutine[Any, Any, Any], str], asyncio.Task[Any]]) -> None:
        """Look after it from now on."""
        self._looking = start(self._look(), "Looking after the room that clips take")

    def stop(self) -> None:
        """Look after it no longer."""
        if self._looking is not None:
            self._looking.cancel()

    async def _look(self) -> None:
        while True:
            await self.make()
            await asyncio.sleep(LOOK_EVERY_S)

    async def bounds(self) -> ShelfBounds:
        """The room that clips may take, and for how long they are kept."""

        def ask(session: Any) -> tuple[str | None, str | None]:
            return state.choice(session, "clips_gb"), state.choice(session, "clips_days")

        gigabytes, days = await asyncio.to_thread(self._runtime.store.read, ask)
        kept = int(days if days not in (None, "") else DEFAULT_DAYS)
        return ShelfBounds(round(float(gigabytes or DEFAULT_GB) * 1e9), kept)

    async def make(self) -> int:
        """Let go of what goes beyond the bounds; how many went. That, and that they soon will, is told."""
        bounds, now = await self.bounds(), self._runtime.settings.clock()
        gone = await asyncio.wrap_future(
            self._runtime.store.writer.submit(lambda session: stored.make_room(session, bounds, now))
        )

        def remove() -> None:
            for name in gone.files:
                (self._folder / name).unlink(missing_ok=True)

        await asyncio.to_thread(remove)
        events = []
        if gone.titles:
            told: dict[str, Any] = {"clips": len(gone.titles), "titles": ", ".join(gone.titles[:5])}
            events.append(Event(uuid.uuid4().hex, "tesoura", LET_GO, now, told))
        nearly = gone.size >= TOLD_FROM * bounds.most
        if nearly and not self._nearly_told:
            told = {"taken_gb": round(gone.size / 1e9, 2), "of_gb": round(bounds.most / 1e9, 2)}
            events.append(Event(uuid.uuid4().hex, "tesoura", NEARLY_FULL, now, told))
        self._nearly_told = nearly
        if events:
            await self._runtime.journal.log(events)
            self._runtime.touched("clips")
        return len(gone.titles)


def room_for(folder: Path) -> None:
    """Raises FileRefused when the disk has no room for a clip."""
    free = shutil.disk_usage(folder).free
    if free < FREE_BYTES:
        raise FileRefused(f"The disk has only {free / 1e6:,.0f} MB left, so clips aren't saved. Free some space.")
