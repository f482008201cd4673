"""What a feed makes events of, which items it has brought before, and what it must know to go on."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import text
from sqlalchemy.dialects.sqlite import insert
from sqlmodel import Session, col, select

from tesoura.store.tables import MemoryRow, RuleRow, SeenRow

MAX_SEEN = 5_000
"""The most items a feed is known to have brought; of more, those that were last in it longest ago are forgotten."""

_FORGET = text(
    "DELETE FROM seen WHERE feed_id = :feed AND item IN "
    "(SELECT item FROM seen WHERE feed_id = :feed ORDER BY seen_at DESC LIMIT -1 OFFSET :most)"
)


def of_feed(session: Session, feed_id: int) -> Sequence[RuleRow]:
    """A feed's rules, oldest first."""
    return session.exec(select(RuleRow).where(RuleRow.feed_id == feed_id).order_by(col(RuleRow.id))).all()


def seen(session: Session, feed_id: int) -> set[str]:
    """The items that a feed has brought before."""
    return set(session.exec(select(SeenRow.item).where(SeenRow.feed_id == feed_id)))


def keep_seen(session: Session, feed_id: int, items: Iterable[str], now: datetime) -> None:
    """These items have been brought now."""
    rows = [{"feed_id": feed_id, "item": item, "seen_at": now} for item in items]
    if rows:
        statement = insert(SeenRow)
        statement = statement.on_conflict_do_update(
            index_elements=["feed_id", "item"], set_={"seen_at": statement.excluded.seen_at}
        )
        session.connection().execute(statement, rows)
        session.connection().execute(_FORGET, {"feed": feed_id, "most": MAX_SEEN})


def primed(session: Session, rule_ids: Iterable[int]) -> None:
    """What was there when these rules were made has been passed over."""
    for rule_id in rule_ids:
        row = session.get(RuleRow, rule_id)
        if row is not None:
            row.primed = True
            session.add(row)


def memory(session: Session, feed_id: int) -> dict[str, Any]:
    """What a feed kept to go on from."""
    row = session.get(MemoryRow, feed_id)
    return dict(row.memory) if row else {}


def keep_memory(session: Session, feed_id: int, kept: Mapping[str, Any]) -> None:
    """Keep what a feed must know to go on after a restart."""
    session.merge(MemoryRow(feed_id=feed_id, memory=dict(kept)))
