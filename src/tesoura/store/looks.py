"""Looks: those that ship, as the user changed them, and the user's own."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from sqlmodel import Session, col, select

from tesoura.core.overlays.looks import Look, from_document, to_document
from tesoura.core.overlays.shipped_looks import SHIPPED
from tesoura.store.tables import LookRow


def all_looks(session: Session) -> dict[str, Look]:
    """All looks by their id: the shipped ones first, then the user's own by name."""
    rows = session.exec(select(LookRow).where(col(LookRow.removed_at).is_(None))).all()
    kept = {row.id: from_document(row.id, row.document) for row in rows}
    own = sorted((look for name, look in kept.items() if name not in SHIPPED), key=lambda look: look.name.casefold())
    return {**{name: kept.get(name, look) for name, look in SHIPPED.items()}, **{look.id: look for look in own}}


def keep(session: Session, look: Look, now: datetime) -> None:
    """Keep a look as it is now."""
    row = session.get(LookRow, look.id) or LookRow(id=look.id, document={}, changed_at=now)
    row.document, row.changed_at, row.removed_at = to_document(look), now, None
    session.add(row)


def remove(session: Session, look_id: str, now: datetime) -> None:
    """Put the user's own look away, or give a shipped one back as it was."""
    row = session.get(LookRow, look_id)
    if row is not None:
        row.removed_at = now
        session.add(row)


def restore(session: Session, look_id: str) -> bool:
    """Bring back what was deleted; whether there was anything."""
    row = session.get(LookRow, look_id)
    if row is None:
        return False
    row.removed_at = None
    session.add(row)
    return True


def changed(session: Session) -> Mapping[str, datetime]:
    """The looks that are kept here, and when each was last changed."""
    rows = session.exec(select(LookRow).where(col(LookRow.removed_at).is_(None))).all()
    return {row.id: row.changed_at for row in rows}
