"""Files that were added: their bytes lie in the data folder under their fingerprint, what is known of them here."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from sqlmodel import Session, col, select

from tesoura.store.tables import MediaRow

FOLDER = "media"


def fingerprint(data: bytes, ending: str) -> str:
    """The name under which these bytes are kept."""
    return f"{hashlib.sha256(data).hexdigest()[:32]}.{ending}"


def put_file(folder: Path, name: str, data: bytes) -> None:
    """Write a file whole, or leave the one that is there: the same name has the same bytes."""
    place = folder / FOLDER
    place.mkdir(exist_ok=True)
    target = place / name
    if not target.exists():
        part = place / f".{name}.{os.getpid()}.part"
        try:
            part.write_bytes(data)
            part.replace(target)
        finally:
            part.unlink(missing_ok=True)


def path_of(folder: Path, name: str) -> Path:
    """Where a file lies; `name` must be one that is kept."""
    return folder / FOLDER / name


def keep(session: Session, row: MediaRow) -> MediaRow:
    """Keep what is known of a file; one that was deleted is back."""
    there = session.get(MediaRow, row.name)
    if there is None:
        session.add(row)
        return row
    there.removed_at, there.kind, there.title = None, row.kind, row.title
    if row.owner is None:
        # The user's own now, whoever brought it first.
        there.owner, there.kept_until = None, None
    elif there.kept_until is not None and row.kept_until is not None:
        there.kept_until = max(there.kept_until, row.kept_until)
    session.add(there)
    return there


def all_media(session: Session, *kinds: str) -> Sequence[MediaRow]:
    """The files of these kinds that were not taken away, the newest first."""
    query = select(MediaRow).where(col(MediaRow.removed_at).is_(None))
    if kinds:
        query = query.where(col(MediaRow.kind).in_(kinds))
    return session.exec(query.order_by(col(MediaRow.added_at).desc(), col(MediaRow.name))).all()


def past(session: Session, now: datetime, in_use: frozenset[str]) -> list[str]:
    """Forget the files that are kept no longer, but those in use; their names, so that their bytes can go."""
    asked = select(MediaRow).where(col(MediaRow.kept_until).is_not(None), col(MediaRow.kept_until) <= now)
    gone = [row for row in session.exec(asked) if row.name not in in_use]
    for row in gone:
        session.delete(row)
    return [row.name for row in gone]


def of_owner(session: Session, owner: str) -> Sequence[MediaRow]:
    """The files that an instrument made, the newest first."""
    asked = select(MediaRow).where(MediaRow.owner == owner, col(MediaRow.removed_at).is_(None))
    return session.exec(asked.order_by(col(MediaRow.added_at).desc(), col(MediaRow.name))).all()


def get(session: Session, name: str) -> MediaRow | None:
    """One file, also one that was deleted: what is on air may still show it."""
    return session.get(MediaRow, name)


def remove(session: Session, name: str, now: datetime | None) -> None:
    """Take a file away from the lists, or with None bring it back. Its bytes stay, for versions that show it."""
    row = session.get(MediaRow, name)
    if row is not None:
        row.removed_at = now
        session.add(row)
