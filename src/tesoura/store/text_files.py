"""The wordings that are kept in text files, and the folder they are in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlmodel import Session, col, select

from tesoura.store.tables import TextFileRow


def all_files(session: Session) -> Sequence[TextFileRow]:
    """The text files that were not removed, by name."""
    query = select(TextFileRow).where(col(TextFileRow.removed_at).is_(None)).order_by(col(TextFileRow.name))
    return session.exec(query).all()


def get(session: Session, file_id: int) -> TextFileRow | None:
    """One text file, unless it was removed."""
    row = session.get(TextFileRow, file_id)
    return row if row and row.removed_at is None else None


def keep(session: Session, file_id: int | None, choices: Mapping[str, Any], now: datetime) -> TextFileRow:
    """Write a text file's choices, new or changed."""
    row = session.get(TextFileRow, file_id) if file_id else None
    if row is None:
        row = TextFileRow(name="", wording="", created_at=now)
    for name, value in choices.items():
        setattr(row, name, value)
    session.add(row)
    session.flush()
    return row


def remove(session: Session, file_id: int, now: datetime | None) -> TextFileRow | None:
    """Put a text file away, or with None bring it back."""
    row = session.get(TextFileRow, file_id)
    if row is not None:
        row.removed_at = now
        session.add(row)
    return row
