"""What was corrected of the log since: fields, the time, or the whole event voided; each by a further event."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC
from typing import Any

from sqlmodel import Session, col, select

from tesoura.core.computed.occurrence import Occurrence, instant, micros
from tesoura.core.instants import iso_instant
from tesoura.core.values import Event
from tesoura.store.tables import EventRow

CORRECTION = "tesoura.correction"
"""The type of an event that corrects an earlier one: its place `seq`, and either a `field` with what it `was` and is
`now`, a `time`, or `void`."""
FROM_INSTRUMENTS = "instrument:"


@dataclass(frozen=True, slots=True)
class EventCorrection:
    """How an event reads now: other values of its fields, another time (µs since 1970), or not at all."""

    fields: Mapping[str, Any] = field(default_factory=dict)
    at: int | None = None
    is_void: bool = False

    def of(self, one: Occurrence) -> Occurrence:
        """An event as it reads now; one that is void is left out by whoever asks."""
        data = {**one.data, **self.fields} if self.fields else one.data
        return one._replace(data=data, at=one.at if self.at is None else self.at)

    def of_event(self, event: Event) -> Event:
        """The same for an event of the log."""
        return replace(
            event, data={**event.data, **self.fields}, time=event.time if self.at is None else instant(self.at)
        )

    def after(self, data: Mapping[str, Any]) -> EventCorrection:
        """It after one more correction, as that is told in the log."""
        if isinstance(void := data.get("void"), bool):
            return replace(self, is_void=void)
        if (at := iso_instant(data.get("time"), UTC)) is not None:
            return replace(self, at=micros(at))
        if isinstance(name := data.get("field"), str) and "now" in data:
            return replace(self, fields={**self.fields, name: data["now"]})
        return self


NO_CORRECTION = EventCorrection()
Corrected = Mapping[int, EventCorrection]
"""The corrections there are, by the places of the events."""


def corrections(session: Session) -> dict[int, EventCorrection]:
    """Return what was corrected, by the places of the events; what a void event led instruments to is void, too."""
    found: dict[int, EventCorrection] = {}
    rows = session.exec(select(EventRow).where(EventRow.type == CORRECTION).order_by(col(EventRow.seq)))
    for row in rows:
        if isinstance(seq := row.data.get("seq"), int):
            found[seq] = found.get(seq, NO_CORRECTION).after(row.data)
    return with_consequences(session, found)


def with_consequences(session: Session, found: Corrected) -> dict[int, EventCorrection]:
    """The same, with what instruments told because of events that are void."""
    whole = dict(found)
    void = [seq for seq, one in whole.items() if one.is_void]
    while void:
        asked = select(EventRow.seq).where(
            col(EventRow.cause).in_(void), col(EventRow.source).startswith(FROM_INSTRUMENTS)
        )
        led_to = [seq for seq in session.exec(asked) if seq is not None and not whole.get(seq, NO_CORRECTION).is_void]
        whole |= {seq: replace(whole.get(seq, NO_CORRECTION), is_void=True) for seq in led_to}
        void = led_to
    return whole
