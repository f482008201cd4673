"""Which types of events feeds have brought."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy.dialects.sqlite import insert
from sqlmodel import Session, select

from tesoura.store.tables import SourceRow


def all_of(session: Session) -> list[tuple[str, str]]:
    """Each type of event that a feed has brought, with the feed."""
    return [(row.type, row.feed) for row in session.exec(select(SourceRow))]


def keep(session: Session, pairs: Iterable[tuple[str, str]]) -> None:
    """Keep that feeds have brought these types."""
    for kind, feed in pairs:
        session.connection().execute(insert(SourceRow).values(type=kind, feed=feed).on_conflict_do_nothing())
