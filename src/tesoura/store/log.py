"""The log: every accepted event, in order, for good."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import bindparam, func
from sqlalchemy.dialects.sqlite import insert
from sqlmodel import Session, col, select

from tesoura.core.values import Event
from tesoura.store.tables import EventRow

# Made once: building a statement costs more than running this one.
_APPEND = (
    insert(EventRow)
    .values({name: bindparam(name) for name in ("id", "source", "type", "time", "accepted_at", "subject", "data")})
    .on_conflict_do_nothing()
    .returning(col(EventRow.seq))
)


@dataclass(frozen=True, slots=True)
class Logged:
    """An event and its place in the log."""

    seq: int
    event: Event


def append(session: Session, events: Sequence[Event], now: datetime) -> list[Logged]:
    """Write events; those that were new, with their places. A repeat of source and id is passed over."""
    new: list[Logged] = []
    connection = session.connection()
    for event in events:
        values = {
            "id": event.id,
            "source": event.source,
            "type": event.type,
            "time": event.time,
            "accepted_at": now,
            "subject": event.subject,
            "data": dict(event.data),
        }
        seq = connection.execute(_APPEND, values).scalar_one_or_none()
        if seq is not None:
            new.append(Logged(seq, event))
    return new


def _logged(row: EventRow) -> Logged:
    return Logged(row.seq or 0, Event(row.id, row.source, row.type, row.time, row.data, row.subject))


def after(session: Session, seq: int) -> list[Logged]:
    """The events behind this place in the log, oldest first."""
    rows = session.exec(select(EventRow).where(col(EventRow.seq) > seq).order_by(col(EventRow.seq)))
    return [_logged(row) for row in rows]


def latest(session: Session, count: int) -> list[Logged]:
    """The newest events, newest first."""
    return [_logged(row) for row in session.exec(select(EventRow).order_by(col(EventRow.seq).desc()).limit(count))]


def last_seq(session: Session) -> int:
    """The place of the newest event, 0 when there is none."""
    return session.exec(select(func.max(EventRow.seq))).one() or 0


def counts_since(session: Session, start: datetime) -> dict[str, int]:
    """How many events of each type happened from this instant on."""
    query = select(EventRow.type, func.count()).where(col(EventRow.time) >= start).group_by(EventRow.type)
    return dict(session.exec(query).all())
