"""What a restart goes on from: the signals' last values, the log position they stand for, the stream session."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlmodel import Session, col, delete, select

from tesoura.core.computed.occurrence import micros
from tesoura.core.values import Freshness, Signal
from tesoura.errors import SessionsOutOfOrder
from tesoura.store import log
from tesoura.store.tables import ChoiceRow, PositionRow, SavedSignalRow, SessionRow

# For the driver itself: hundreds of signals are saved every two seconds, while events wait to be written.
_SAVE = (
    "INSERT INTO saved_signal (name, feed, value, unit, observed_at, fresh_for_s, event_type, trail) "
    "VALUES (?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (name) DO UPDATE SET feed = excluded.feed, value = excluded.value, "
    "unit = excluded.unit, observed_at = excluded.observed_at, fresh_for_s = excluded.fresh_for_s, "
    "event_type = excluded.event_type"
)
_WITH_TRAIL = ", trail = excluded.trail"


@dataclass(frozen=True, slots=True)
class SavedSignal:
    """A signal as it is saved, and what the engine must know to go on with it."""

    signal: Signal
    feed: str
    fresh_for_s: float | None
    event_type: str | None


def save(session: Session, saved: Sequence[SavedSignal], seq: int | None, trails: bool) -> None:
    """Save signals, with `trails` their last ten minutes too, and the log position that they stand for."""
    rows = [
        (
            one.signal.name,
            one.feed,
            json.dumps(one.signal.value),
            one.signal.unit,
            None if one.signal.observed_at is None else micros(one.signal.observed_at),
            one.fresh_for_s,
            one.event_type,
            json.dumps(one.signal.trail if trails else []),
        )
        for one in saved
    ]
    driver: Any = session.connection().connection
    driver.executemany(_SAVE + (_WITH_TRAIL if trails else ""), rows)
    if seq is not None:
        session.merge(PositionRow(id=1, seq=seq))


def forget_types(session: Session, kinds: Iterable[str]) -> None:
    """Forget the saved signals of these types of events."""
    session.execute(delete(SavedSignalRow).where(col(SavedSignalRow.event_type).in_(list(kinds))))


def load(session: Session) -> tuple[list[SavedSignal], int]:
    """The saved signals and the log position that they stand for."""
    saved = [
        SavedSignal(
            Signal(
                row.name,
                row.value,  # type: ignore[arg-type]
                row.unit,
                row.observed_at,
                Freshness.LATE,
                trail=tuple((at, value) for at, value in row.trail),
            ),
            row.feed,
            row.fresh_for_s,
            row.event_type,
        )
        for row in session.exec(select(SavedSignalRow).order_by(SavedSignalRow.name))
    ]
    position = session.get(PositionRow, 1)
    return saved, position.seq if position else 0


def forget(session: Session, names: Sequence[str]) -> None:
    """Forget saved signals."""
    for name in names:
        if row := session.get(SavedSignalRow, name):
            session.delete(row)


def present_session(session: Session) -> datetime | None:
    """When the present stream session started, or None before the first."""
    return session.exec(select(SessionRow.started_at).order_by(col(SessionRow.id).desc()).limit(1)).first()


def past_counts(session: Session) -> dict[str, tuple[int, datetime]]:
    """What the present stream session had of each type that the log has let go of: how many, and the last."""
    present = session.exec(select(SessionRow.id).order_by(col(SessionRow.id).desc()).limit(1)).first()
    return log.past_counts(session, present or 0)


def shift_session(session: Session, by: timedelta) -> None:
    """Let the present session have begun as long ago as before, after the computer's clock was set by so much."""
    row = session.exec(select(SessionRow).order_by(col(SessionRow.id).desc()).limit(1)).first()
    if row is not None:
        row.started_at += by
        session.add(row)


def start_session(session: Session, now: datetime) -> datetime:
    """Start a stream session."""
    session.add(SessionRow(started_at=now))
    return now


@dataclass(frozen=True, slots=True)
class StreamSession:
    """A stream session: its number, when it began, and when the next one did; None while it is the present one."""

    id: int
    started_at: datetime
    ended_at: datetime | None


def all_sessions(session: Session) -> list[StreamSession]:
    """All stream sessions, the newest first."""
    rows = session.exec(select(SessionRow).order_by(col(SessionRow.started_at).desc())).all()
    found: list[StreamSession] = []
    for row in rows:
        found.append(StreamSession(row.id or 0, row.started_at, found[-1].started_at if found else None))
    return found


def correct_start(session: Session, at: datetime, session_id: int | None = None) -> datetime | None:
    """Let a session, the present one unless told, have begun then; when it began according to what was kept before.

    Raises SessionsOutOfOrder.
    """
    every = all_sessions(session)
    index = next((i for i, one in enumerate(every) if session_id is None or one.id == session_id), None)
    if index is None:
        return None
    this, earlier = every[index], every[index + 1].started_at if index + 1 < len(every) else None
    if (earlier is not None and at <= earlier) or (this.ended_at is not None and at >= this.ended_at):
        raise SessionsOutOfOrder((earlier, this.ended_at))
    row = session.get(SessionRow, this.id)
    assert row is not None
    row.started_at = at
    session.add(row)
    return this.started_at


def undo_start(session: Session) -> datetime | None:
    """Take the last start back; when the session started that is now the present one again."""
    if row := session.exec(select(SessionRow).order_by(col(SessionRow.id).desc()).limit(1)).first():
        session.delete(row)
        session.flush()
    return present_session(session)


def choice(session: Session, name: str) -> str | None:
    """One of the user's general choices."""
    row = session.get(ChoiceRow, name)
    return row.value if row else None


def choose(session: Session, name: str, value: str) -> None:
    """Keep one of the user's general choices."""
    session.merge(ChoiceRow(name=name, value=value))


def unchoose(session: Session, name: str) -> None:
    """Forget one of the user's general choices."""
    if (row := session.get(ChoiceRow, name)) is not None:
        session.delete(row)
