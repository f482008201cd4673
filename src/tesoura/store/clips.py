"""Clips and reels: their files lie in the data folder under their fingerprints, what is known of them here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from sqlalchemy import false, func
from sqlmodel import Session, col, select
from sqlmodel.sql.expression import SelectOfScalar

from tesoura.core.replays.showing import SHOWN_RECORD
from tesoura.store.tables import ClipRow, RecordRow

FOLDER = "clips"
CLIP, REEL = "clip", "reel"
AT_ONCE = 60
BACK_FOR = timedelta(days=7)
"""For so long a clip that was deleted can be restored."""
NEW_FOR = timedelta(hours=1)
"""For so long a clip stays whatever room there is: it may wait to be shown."""
_NAME = set("0123456789abcdef")
ENDINGS = {"mp4": "video/mp4", "webm": "video/webm", "webp": "image/webp"}


@dataclass(frozen=True, slots=True)
class Shelf:
    """What is on the shelf: how many clips, the bytes of all files, and of the starred ones."""

    clips: int
    size: int
    starred: int


@dataclass(frozen=True, slots=True)
class ShelfBounds:
    """How much room clips may take, bytes, and for how many days they are kept; 0 for good."""

    most: int
    days: int


@dataclass(frozen=True, slots=True)
class LetGo:
    """What went: the words of clips that were on the shelf, the files that nothing needs now, and the bytes left."""

    titles: tuple[str, ...]
    files: tuple[str, ...]
    size: int


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
    """One clip, also one that was deleted."""
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
    clips = session.exec(select(func.count()).select_from(ClipRow).where(kept)).one()
    size = session.exec(select(func.coalesce(func.sum(ClipRow.size), 0))).one()
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


def make_room(session: Session, bounds: ShelfBounds, now: datetime) -> LetGo:
    """Forget what goes beyond the bounds: what was deleted first, then the oldest; never what is starred or new."""
    size = int(session.exec(select(func.coalesce(func.sum(ClipRow.size), 0))).one())
    removed_at, at = col(ClipRow.removed_at), col(ClipRow.at)
    away = select(ClipRow.id, ClipRow.size, removed_at <= now - BACK_FOR).where(removed_at.is_not(None))
    too_old = at < now - timedelta(days=bounds.days) if bounds.days else false()
    free = select(ClipRow.id, ClipRow.size, too_old).where(
        removed_at.is_(None), col(ClipRow.starred).is_(False), col(ClipRow.made_at) <= now - NEW_FOR
    )
    gone: list[int] = []
    for asked in (away.order_by(removed_at), free.order_by(at, col(ClipRow.id))):
        for number, taken, is_over in session.exec(asked):
            if number is not None and (is_over or size > bounds.most):
                size -= taken
                gone.append(number)
    if not gone:
        return LetGo((), (), size)
    rows = session.exec(select(ClipRow).where(col(ClipRow.id).in_(gone)).order_by(at)).all()
    titles = tuple(row.title for row in rows if row.removed_at is None)
    names = {name for row in rows for name in (row.file, row.still, row.strip) if name}
    for row in rows:
        session.delete(row)
    session.flush()
    return LetGo(titles, tuple(sorted(names - needed(session))), size)


def needed(session: Session) -> set[str]:
    """The names of all files that some clip needs."""
    return {
        name for names in session.exec(select(ClipRow.file, ClipRow.still, ClipRow.strip)) for name in names if name
    }


def without_pictures(session: Session, most: int = 100) -> list[ClipRow]:
    """The newest clips whose pictures were never drawn."""
    asked = select(ClipRow).where(ClipRow.kind == CLIP, ClipRow.strip == "", col(ClipRow.removed_at).is_(None))
    rows = session.exec(asked.order_by(col(ClipRow.id).desc()).limit(most)).all()
    session.expunge_all()
    return list(rows)


def path_of(folder: Path, name: str) -> Path | None:
    """Where a file of this name lies; None for what is no such name, or not there."""
    stem, _, ending = name.partition(".")
    if ending not in ENDINGS or len(stem) != 32 or not set(stem) <= _NAME:
        return None
    path = folder / FOLDER / name
    return path if path.exists() else None
