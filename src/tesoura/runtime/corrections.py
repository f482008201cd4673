"""What the user does to what is in the log: amounts corrected, moments shown again or skipped. All of it is logged."""

from __future__ import annotations

import asyncio
import uuid
from collections.abc import Awaitable, Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlmodel import Session

from tesoura.core.overlays.moments import Moment
from tesoura.core.signals.engine import OWN_TYPES
from tesoura.core.values import Event, Scalar
from tesoura.errors import Gone, InvalidField
from tesoura.runtime.computations import Computations
from tesoura.runtime.journal import Journal
from tesoura.runtime.stage import Stage
from tesoura.store import log as event_log
from tesoura.store.event_corrections import CORRECTION, FROM_INSTRUMENTS
from tesoura.store.log import Logged
from tesoura.store.store import Store

SHOWN_AGAIN, SKIPPED = "tesoura.shown_again", "tesoura.skipped"


@dataclass(frozen=True, slots=True)
class EventChange:
    """What is to be different of an event: fields by name, its time, or whether it is void. None: as it is."""

    fields: Mapping[str, Scalar] = field(default_factory=dict)
    time: datetime | None = None
    is_void: bool | None = None

    def told(self, seq: int, event: Event) -> Iterator[dict[str, Any]]:
        """What goes into the log for it. Raises InvalidField for a field that the event does not have."""
        if self.is_void is not None:
            yield {"seq": seq, "void": self.is_void}
        if self.time is not None and self.time != event.time:
            yield {"seq": seq, "time": self.time.isoformat(), "was": event.time.isoformat()}
        for name, value in self.fields.items():
            if name not in event.data:
                raise InvalidField(
                    f"This event has no field {name[:60]}. Its fields: {', '.join(event.data) or 'none'}."
                )
            if event.data[name] != value or type(event.data[name]) is not type(value):
                yield {"seq": seq, "field": name, "was": event.data[name], "now": value}

    def undo(self, event: Event) -> EventChange:
        """What takes it back."""
        was: dict[str, Any] = {name: event.data[name] for name in self.fields}
        return EventChange(
            was, event.time if self.time is not None else None, None if self.is_void is None else not self.is_void
        )


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
        recount: Callable[[str, Logged | None], Awaitable[None]],
    ) -> None:
        """`recount` gets the type of event whose counts and last values must be recomputed."""
        self._store, self._stage, self._computations = store, stage, computations
        self._journal, self._clock, self._step, self._recount = journal, clock, step, recount

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

    async def change(self, seq: int, change: EventChange) -> EventChange:
        """Correct an event from outside by further events; what takes that back. Raises Gone, and InvalidField.

        All that follows from it is found again from the log before this ends.
        """
        found = await self._outside(seq)
        told = list(change.told(seq, found.event))
        if not told:
            raise InvalidField("No change.")
        now = self._clock()
        events = [Event(uuid.uuid4().hex, "tesoura", CORRECTION, now, one, str(seq), seq, "desk") for one in told]
        await self._journal.log(events)
        if change.is_void:
            for moment in [one for one in self._stage.moments.waiting() if one.seq == seq]:
                self._stage.moments.skip(moment.number, now)
        await self._follow(found.event.type, seq)
        return change.undo(found.event)

    async def foresee(self, seq: int, change: EventChange) -> list[str]:
        """What would be different, a line each: `gifts.sum: 12 → 7`. Raises Gone, and InvalidField."""
        found = await self._outside(seq)
        return await self._computations.foresee(
            found.event.type, seq, [dict(one) for one in change.told(seq, found.event)]
        )

    async def _outside(self, seq: int) -> Logged:
        found = await asyncio.to_thread(self._store.read, lambda session: event_log.with_corrections(session, seq))
        if found is None:
            raise Gone("There is no such event in the log.")
        if found.event.type.startswith(OWN_TYPES) or found.event.source.startswith(FROM_INSTRUMENTS):
            raise InvalidField("Only events from outside can be corrected. Correct its cause instead.")
        return found

    async def _follow(self, kind: str, seq: int) -> None:
        """Find again what follows from an event, and from all that instruments told because of it."""

        def ask(session: Session) -> tuple[set[str], Logged | None]:
            types, asked = {kind}, [seq]
            while asked:
                led_to = event_log.caused_by(session, asked.pop())
                own = [one for one in led_to if one.event.source.startswith(FROM_INSTRUMENTS)]
                types |= {one.event.type for one in own}
                asked += [one.seq for one in own]
            return types, event_log.newest_valid(session, kind)

        types, newest = await asyncio.to_thread(self._store.read, ask)
        await self._computations.rebuild_takers(types)
        await self._recount(kind, newest)
        await self._stage.list_again(kind)

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
        """Take a moment out of the line, or off the screen; None when it was shown already."""
        moment = self._stage.moments.skip(number, self._clock())
        if moment is not None:
            overlay, piece = self._stage.placed(moment.key)
            data = {"seq": moment.seq, "type": moment.type, "overlay": overlay, "piece": piece, "text": moment.text}
            self._step()
            await self._tell_of(SKIPPED, data, moment.seq)
        return moment

    async def _tell_of(self, kind: str, data: Mapping[str, Any], seq: int) -> None:
        """Log what was done to the event at this place."""
        await self._journal.log([Event(uuid.uuid4().hex, "tesoura", kind, self._clock(), data, str(seq), seq, "desk")])
