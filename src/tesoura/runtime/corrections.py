"""What the user does to what is in the log: amounts corrected, moments shown again or skipped. All of it is logged."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from typing import Any

from tesoura.core.overlays.moments import Moment
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event, Scalar
from tesoura.runtime.computations import Computations
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
        engine: Engine,
        stage: Stage,
        computations: Computations,
        tell_of: Callable[..., Awaitable[Any]],
        plan: Callable[[], None],
    ) -> None:
        self._store, self._engine, self._stage, self._computations = store, engine, stage, computations
        self._tell_of, self._plan = tell_of, plan

    async def correct(self, seq: int, field: str, value: Scalar) -> bool:
        """Correct an amount of an event by a further event; False when there is no such event or field."""
        found = await asyncio.to_thread(self._store.read, lambda session: event_log.with_corrections(session, seq))
        if found is None or field not in found.event.data:
            return False
        data = {"seq": seq, "field": field, "was": found.event.data[field], "now": value}
        await self._tell_of(CORRECTION, data, str(seq))
        after = event_log.with_data(found.event, {field: value})
        await self._computations.correct(found.event, after, seq, found.accepted_at)
        return True

    async def show_again(self, seq: int) -> int:
        """Let the moments of an event be shown once more; how many wait for that now."""
        found = await asyncio.to_thread(self._store.read, lambda session: event_log.with_corrections(session, seq))
        if found is None:
            return 0
        count = self.show(found.event, seq)
        if count:
            await self._tell_of(SHOWN_AGAIN, {"seq": seq, "type": found.event.type}, str(seq))
        self._plan()
        return count

    def show(self, event: Event, seq: int) -> int:
        """Let the moments of an event wait for their turn; how many do."""
        feed = self._engine.event_feed(event.type)
        return self._stage.happened(event, seq, feed) if feed else 0

    async def skip(self, number: int) -> Moment | None:
        """Take a moment that still waits out of the line; None when it does not wait any more."""
        moment = self._stage.moments.skip(number)
        if moment is not None:
            overlay, piece = self._stage.placed(moment.key)
            data = {"seq": moment.seq, "type": moment.type, "overlay": overlay, "piece": piece, "text": moment.text}
            await self._tell_of(SKIPPED, data, str(moment.seq))
        return moment
