"""Readings of feeds as they came, changes only: what signals were at an instant, for replaying and explaining."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import delete
from sqlmodel import Session, col, select

from tesoura.core.values import Scalar
from tesoura.store.tables import ReadingRow


class KeptReading(NamedTuple):
    """A signal's value from this instant on; None when there was none any more. `after_seq` is its place in the log."""

    signal: str
    value: Scalar | None
    observed_at: datetime
    after_seq: int


def keep(session: Session, readings: Sequence[KeptReading]) -> None:
    """Write readings down."""
    session.add_all(ReadingRow(**one._asdict()) for one in readings)


def between(session: Session, names: Sequence[str], since: datetime, until: datetime) -> Iterator[KeptReading]:
    """The readings of these signals between two instants, in the order in which they came."""
    asked = select(ReadingRow).where(col(ReadingRow.signal).in_(names), col(ReadingRow.observed_at) >= since)
    for row in session.exec(asked.where(col(ReadingRow.observed_at) <= until).order_by(col(ReadingRow.id))):
        yield _kept(row)


def latest(session: Session, name: str, most: int) -> list[KeptReading]:
    """The last readings of a signal, the latest first."""
    asked = select(ReadingRow).where(ReadingRow.signal == name)
    asked = asked.order_by(col(ReadingRow.observed_at).desc(), col(ReadingRow.id).desc()).limit(most)
    return [_kept(row) for row in session.exec(asked)]


def at(session: Session, name: str, when: datetime) -> KeptReading | None:
    """What a signal was at an instant: its last reading by then."""
    asked = select(ReadingRow).where(ReadingRow.signal == name, col(ReadingRow.observed_at) <= when)
    row = session.exec(asked.order_by(col(ReadingRow.observed_at).desc(), col(ReadingRow.id).desc()).limit(1)).first()
    return _kept(row) if row else None


def let_go(session: Session, before: datetime, most: int = 20_000) -> int:
    """Let go of readings older than this instant, at most so many; how many went."""
    gone = select(ReadingRow.id).where(col(ReadingRow.observed_at) < before).limit(most)
    result: Any = session.connection().execute(delete(ReadingRow).where(col(ReadingRow.id).in_(gone)))
    return int(result.rowcount)


def _kept(row: ReadingRow) -> KeptReading:
    value: Any = row.value
    return KeptReading(row.signal, value, row.observed_at, row.after_seq)
