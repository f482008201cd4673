"""Computed signals: their definitions, and how each stood at a place in the log."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy.dialects.sqlite import insert
from sqlmodel import Session, col, select

from tesoura.store.tables import ComputedRow, ComputedStateRow


@dataclass(frozen=True, slots=True)
class SavedState:
    """How a computation stood: at which place in the log, under which definition and calendar, and its state."""

    key: str
    seq: int
    stands_for: str
    state: Mapping[str, Any]


def all_computed(session: Session) -> Sequence[ComputedRow]:
    """The computations that were not removed, oldest first."""
    query = select(ComputedRow).where(col(ComputedRow.removed_at).is_(None)).order_by(col(ComputedRow.id))
    return session.exec(query).all()


def get(session: Session, row_id: int) -> ComputedRow | None:
    """One computation, unless it was removed."""
    row = session.get(ComputedRow, row_id)
    return row if row and row.removed_at is None else None


def by_name(session: Session, name: str) -> ComputedRow | None:
    """The computation of this name, unless it was removed."""
    query = select(ComputedRow).where(col(ComputedRow.name) == name, col(ComputedRow.removed_at).is_(None))
    return session.exec(query).first()


def by_name_ever(session: Session, name: str) -> ComputedRow | None:
    """The computation of this name, also one that was removed; of several the latest."""
    query = select(ComputedRow).where(col(ComputedRow.name) == name)
    return session.exec(query.order_by(col(ComputedRow.removed_at).is_not(None), col(ComputedRow.id).desc())).first()


def names_ever_used(session: Session) -> set[str]:
    """The names of all computations, those that were deleted and may come back included."""
    return set(session.exec(select(ComputedRow.name)))


def removed(session: Session) -> Sequence[ComputedRow]:
    """The computations that were removed, the latest first."""
    query = select(ComputedRow).where(col(ComputedRow.removed_at).is_not(None))
    return session.exec(query.order_by(col(ComputedRow.removed_at).desc())).all()


def keep(
    session: Session, row_id: int | None, kind: str, name: str, choices: Mapping[str, Any], now: datetime
) -> ComputedRow:
    """Write a computation, new or changed."""
    row = session.get(ComputedRow, row_id) if row_id else None
    if row is None:
        row = ComputedRow(kind=kind, name=name, choices={}, created_at=now)
    row.choices = dict(choices)
    session.add(row)
    session.flush()
    return row


def remove(session: Session, row_id: int, now: datetime | None) -> ComputedRow | None:
    """Put a computation away, or with None bring it back."""
    row = session.get(ComputedRow, row_id)
    if row is not None:
        row.removed_at = now
        session.add(row)
    return row


def standings(session: Session) -> dict[str, SavedState]:
    """How each computation stood when it was last saved, by key."""
    rows = session.exec(select(ComputedStateRow))
    return {row.key: SavedState(row.key, row.seq, row.stands_for, row.state) for row in rows}


BASE = "base:"
"""Before a key: how a computation stood where the log now begins, for what came before is not kept any more."""


def save_standings(session: Session, standing: Sequence[SavedState]) -> None:
    """Save how computations stand."""
    for one in standing:
        values = {"seq": one.seq, "stands_for": one.stands_for, "state": dict(one.state)}
        statement = insert(ComputedStateRow).values({"key": one.key, **values})
        session.connection().execute(statement.on_conflict_do_update(index_elements=["key"], set_=values))
