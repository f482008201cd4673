"""What the user does to what is in the log: amounts corrected, moments shown again or skipped. All of it is logged."""

from __future__ import annotations

import asyncio
import uuid
from collections.abc import Callable, Mapping
from datetime import datetime
from typing import Any

from tesoura.core.overlays.moments import Moment
from tesoura.core.values import Event, Scalar
from tesoura.runtime.computations import Computations
from tesoura.runtime.journal import Journal
from tesoura.runtime.stage import Stage
from tesoura.store import log as event_log
from tesoura.store.log import CORRECTION
from tesoura.store.store import Store

SHOWN_AGAIN, SKIPPED = "tesoura.shown_again", "tesoura.skipped"


class Corrections:
    """The way to events that have been, and to the moments they make."""

    def __init__(
        self,
        store: Store,
        stage: Stage,
        computations: Computations,
        journal: Journal,
        clock: Callable[[], datetime],
        step: Callable[[], None],
    ) -> None:
        self._store, self._stage, self._computations = store, stage, computations
        self._journal, self._clock, self._step = journal, clock, step

    async def correct(self, seq: int, field: str, value: Scalar) -> tuple[object] | None:
        """Correct an amount of an event by a further event; what it was, or None for no such event or field."""
        found = await asyncio.to_thread(self._store.read, lambda session: event_log.with_corrections(session, seq))
        if found is None or field not in found.event.data:
            return None
        data = {"seq": seq, "field": field, "was": found.event.data[field], "now": value}
        await self._tell_of(CORRECTION, data, seq)
        after = event_log.with_data(found.event, {field: value})
        await self._computations.correct(found.event, after, seq, found.accepted_at)
        return (data["was"],)

    async def show_again(self, seq: int) -> int:
        """Let the moments of an event be shown once more; how many wait for that now."""
        found = await asyncio.to_thread(self._store.read, lambda session: event_log.with_corrections(session, seq))
        if found is None:
            return 0
        count = self._stage.await_moments(found.event, seq)
        if count:
            await self._tell_of(SHOWN_AGAIN, {"seq": seq, "type": found.event.type}, seq)
        self._step()
        return count

    async def skip(self, number: int) -> Moment | None:
        """Take a moment that still waits out of the line; None when it does not wait any more."""
        moment = self._stage.moments.skip(number)
        if moment is not None:
            overlay, piece = self._stage.placed(moment.key)
            data = {"seq": moment.seq, "type": moment.type, "overlay": overlay, "piece": piece, "text": moment.text}
            await self._tell_of(SKIPPED, data, moment.seq)
        return moment

    async def _tell_of(self, kind: str, data: Mapping[str, Any], seq: int) -> None:
        """Log what was done to the event at this place."""
        await self._journal.log([Event(uuid.uuid4().hex, "tesoura", kind, self._clock(), data, str(seq), seq, "desk")])
