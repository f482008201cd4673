"""Which overlays viewers' pages show: `air.NAME` is by how many, in the log before it counts."""

from __future__ import annotations

import asyncio
import contextlib
import uuid
from collections.abc import Callable
from datetime import datetime

from tesoura.core.signals.assignments import AIR, AIR_FEED, Assignment, air_signal
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event
from tesoura.runtime.journal import Journal
from tesoura.runtime.stage import Stage

SETTLED_S = 0.3
"""A page that is loaded anew comes back within this; it was never away."""


class Viewers:
    """Tells the engine how many pages show each overlay, once that has settled."""

    def __init__(self, stage: Stage, engine: Engine, journal: Journal, clock: Callable[[], datetime]) -> None:
        self._stage, self._engine, self._journal, self._clock = stage, engine, journal, clock
        self._looking = False
        self._stopping = asyncio.Event()

    def stop(self) -> None:
        """Wait no longer for what is just settling."""
        self._stopping.set()

    async def look(self) -> None:
        """Somebody came or went, or an overlay was put on air or away: tell what that comes to."""
        if self._looking:
            return
        self._looking = True
        try:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self._stopping.wait(), SETTLED_S)
        finally:
            self._looking = False
        pages = {air_signal(name): count for name, count in self._stage.shown_by().items()}
        gone = {name: 0 for name in self._engine.values if name.startswith(f"{AIR_FEED}.") and name not in pages}
        events = [
            self._event(name, count)
            for name, count in {**gone, **pages}.items()
            if (self._engine.values.get(name) or 0) != count
        ]
        if events:
            await self._journal.log(events)

    def _event(self, signal: str, pages: int) -> Event:
        data = Assignment(signal, pages, "pages").data()
        return Event(uuid.uuid4().hex, "tesoura", AIR, self._clock(), data, signal)
