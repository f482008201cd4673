"""Which pieces viewers see, for whatever asks: `seen.OVERLAY_PIECE` is true or false, in the log before it counts."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Coroutine
from datetime import datetime
from typing import Any

from tesoura.core.signals.assignments import SEEN, SEEN_FEED, Assignment, air_signal, seen_signal
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event
from tesoura.runtime.journal import Journal
from tesoura.runtime.stage import Stage

OWN = {"replay": "replay", "rotation": "sponsor"}
"""The kind of piece that draws an instrument of a kind: of that it never asks whether it is seen."""


class Sightings:
    """Tells the engine of the pieces that something asks for whether viewers see them, as that changes."""

    def __init__(
        self,
        stage: Stage,
        engine: Engine,
        journal: Journal,
        clock: Callable[[], datetime],
        start: Callable[[Coroutine[Any, Any, Any], str], object],
    ) -> None:
        self._stage, self._engine, self._journal, self._clock, self._start = stage, engine, journal, clock, start
        self._told: dict[str, bool] = {}

    def pieces(self, asking: str) -> list[str]:
        """The pieces on air that an instrument of a kind can ask for, as `overlay / piece`."""
        own = OWN.get(asking)
        return [f"{overlay} / {piece}" for overlay, piece, kind, _ in self._stage.sights() if kind != own]

    def look(self) -> None:
        """Something has changed: tell what of it was asked for."""
        asked = self._engine.graph.read_of(SEEN_FEED)
        if not asked:
            return
        seen = dict.fromkeys(asked, False)
        for overlay, piece, _, there in self._stage.sights():
            name = seen_signal(f"{overlay} / {piece}")
            if there and name in seen and self._engine.values.get(air_signal(overlay)):
                seen[name] = True
        changed = {name: one for name, one in seen.items() if self._told.get(name) is not one}
        if changed:
            self._told |= changed
            self._start(self._journal.log([self._event(*one) for one in changed.items()]), "Updating visibility")

    def _event(self, signal: str, seen: bool) -> Event:
        data = Assignment(signal, seen).data()
        return Event(uuid.uuid4().hex, "tesoura", SEEN, self._clock(), data, signal)
