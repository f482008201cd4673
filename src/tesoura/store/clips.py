"""Clips and reels: their files lie in the data folder under their fingerprints, what is known of them here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from sqlalchemy import func
from sqlmodel import Session, col, select
from sqlmodel.sql.expression import SelectOfScalar

from tesoura.core.instruments.replay.state import SHOWN_RECORD
from tesoura.store.tables import ClipRow, RecordRow

FOLDER = "clips"
CLIP, REEL = "clip", "reel"
AT_ONCE = 60
_NAME = set("0123456789abcdef")
ENDINGS = {"mp4": "video/mp4", "webm": "video/webm", "webp": "image/webp"}


@dataclass(frozen=True, slots=True)
class Shelf:
    """What is on the shelf: how many there are, how many bytes they take, how many of those are starred."""

    clips: int
    size: int
    starred: int


@dataclass(frozen=True, slots=True)
class ClipQuery:
    """Which clips are asked for."""

    words: str = ""
    instrument: str = ""
    session_at: datetime | None = None
    starred: bool = False
    kind: str = CLIP
    skip: int = 0
    most: int = AT_ONCE


def add(session: Session, row: ClipRow) -> ClipRow:
    """Put a clip on the shelf; it, with its number."""
    session.add(row)
    session.flush()
    session.refresh(row)
    session.expunge(row)
    return row


def get(session: Session, clip_id: int) -> ClipRow | None:
    """One clip, also one that was taken away."""
    return session.get(ClipRow, clip_id)


def listed(session: Session, query: ClipQuery) -> Sequence[ClipRow]:
    """The clips that are asked for, the newest first."""
    asked = _asked(query).order_by(col(ClipRow.at).desc(), col(ClipRow.id).desc())
    return session.exec(asked.offset(query.skip).limit(query.most)).all()


def count(session: Session, query: ClipQuery) -> int:
    """How many there are of those."""
    return session.exec(select(func.count()).select_from(_asked(query).subquery())).one()


def _asked(query: ClipQuery) -> SelectOfScalar[ClipRow]:
    asked = select(ClipRow).where(col(ClipRow.removed_at).is_(None), ClipRow.kind == query.kind)
    if query.instrument:
        asked = asked.where(ClipRow.instrument == query.instrument)
    if query.session_at is not None:
        asked = asked.where(ClipRow.session_at == query.session_at)
    if query.starred:
        asked = asked.where(col(ClipRow.starred).is_(True))
    for word in query.words.split():
        escaped = word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
        asked = asked.where(col(ClipRow.title).ilike(f"%{escaped}%", escape="\\"))
    return asked


def sessions(session: Session) -> list[datetime]:
    """The stream sessions of which there are clips, the newest first."""
    asked = select(ClipRow.session_at).where(col(ClipRow.removed_at).is_(None)).distinct()
    return sorted((one for one in session.exec(asked) if one is not None), reverse=True)


def rules(session: Session) -> list[str]:
    """The instruments for which clips were kept."""
    asked = select(ClipRow.instrument).where(col(ClipRow.removed_at).is_(None), ClipRow.instrument != "").distinct()
    return sorted(session.exec(asked))


def shelf(session: Session) -> Shelf:
    """What there is in all."""
    kept = col(ClipRow.removed_at).is_(None)
    clips, size = session.exec(select(func.count(), func.coalesce(func.sum(ClipRow.size), 0)).where(kept)).one()
    starred = session.exec(
        select(func.coalesce(func.sum(ClipRow.size), 0)).where(kept, col(ClipRow.starred).is_(True))
    ).one()
    return Shelf(int(clips), int(size), int(starred))


def shown_counts(session: Session, instruments: Sequence[str]) -> dict[int, int]:
    """How often each clip was shown, by its number; as the log has it."""
    found: dict[int, int] = {}
    asked = select(RecordRow).where(RecordRow.kind == SHOWN_RECORD, col(RecordRow.instrument).in_(instruments))
    for row in session.exec(asked):
        number = int(row.data.get("clip") or 0)
        found[number] = found.get(number, 0) + 1
    return found


def past(session: Session, most_bytes: int, before: datetime | None, now: datetime) -> list[ClipRow]:
    """Take away what goes beyond the bounds, the oldest first, but what is starred; what was taken away."""
    kept = session.exec(
        select(ClipRow).where(col(ClipRow.removed_at).is_(None)).order_by(col(ClipRow.at), col(ClipRow.id))
    ).all()
    size, gone = sum(row.size for row in kept), list[ClipRow]()
    for row in kept:
        if row.starred:
            continue
        if size > most_bytes or (before is not None and row.at < before):
            size -= row.size
            row.removed_at = now
            session.add(row)
            gone.append(row)
    return gone


def forget(session: Session, before: datetime) -> list[str]:
    """Forget those that were taken away before then; the names of the files that nothing needs any more."""
    old = session.exec(
        select(ClipRow).where(col(ClipRow.removed_at).is_not(None), col(ClipRow.removed_at) <= before)
    ).all()
    names = {name for row in old for name in (row.file, row.still, row.strip) if name}
    for row in old:
        session.delete(row)
    session.flush()
    needed = {name for row in session.exec(select(ClipRow)) for name in (row.file, row.still, row.strip)}
    return sorted(names - needed)


def path_of(folder: Path, name: str) -> Path | None:
    """Where a file of this name lies; None for what is no such name, or not there."""
    stem, _, ending = name.partition(".")
    if ending not in ENDINGS or len(stem) != 32 or not set(stem) <= _NAME:
        return None
    path = folder / FOLDER / name
    return path if path.exists() else None
