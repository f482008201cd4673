"""Drafts: every edit is kept, so that it can be taken back and made again, also after a restart."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlmodel import Session, col, delete, select

from tesoura.core.overlays.document import Overlay, to_document
from tesoura.store.tables import EditRow, OverlayRow

MAX_EDITS = 200
TOGETHER = timedelta(seconds=1.5)
"""Edits of the same fields by the same window in such a time are one: a number held down, a word being typed."""
REMEMBERED = 60


@dataclass(frozen=True, slots=True)
class Steps:
    """What undo and redo would do now, in words; empty when there is nothing."""

    undo: str = ""
    redo: str = ""


def keep(
    session: Session,
    row: OverlayRow,
    draft: Overlay,
    words: str,
    window: str,
    touched: frozenset[tuple[str, str]],
    now: datetime,
) -> None:
    """Keep a draft after an edit; what could be made again is gone with it."""
    at = row.draft_edit
    document = to_document(draft)
    document.pop("looks")
    if session.get(EditRow, (row.id, at)) is None:
        session.add(EditRow(overlay_id=row.id or 0, number=at, document=dict(row.draft), touched=[], at=row.created_at))
    session.exec(delete(EditRow).where(col(EditRow.overlay_id) == row.id, col(EditRow.number) > at))
    session.flush()
    last = session.get(EditRow, (row.id, at))
    named = sorted([list(one) for one in touched])
    together = (
        last is not None and last.window == window and last.touched == named and named and now - last.at < TOGETHER
    )
    if together and last is not None:
        last.document, last.at = document, now
        session.add(last)
    else:
        row.draft_edit = at + 1
        session.add(
            EditRow(
                overlay_id=row.id or 0,
                number=at + 1,
                document=document,
                words=words,
                window=window,
                touched=named,
                at=now,
            )
        )
        old = at + 1 - MAX_EDITS
        session.exec(delete(EditRow).where(col(EditRow.overlay_id) == row.id, col(EditRow.number) < old))
    _changed(session, row, document, window, words, named)


def _changed(
    session: Session, row: OverlayRow, document: dict[str, Any], window: str, words: str, touched: list[list[str]]
) -> None:
    row.draft = document
    row.draft_rev += 1
    row.recent = [*row.recent, [row.draft_rev, window, words, touched]][-REMEMBERED:]
    session.add(row)


def steps(session: Session, row: OverlayRow) -> Steps:
    """What undo and redo would do now."""
    present, after = (session.get(EditRow, (row.id, number)) for number in (row.draft_edit, row.draft_edit + 1))
    before = session.get(EditRow, (row.id, row.draft_edit - 1))
    return Steps(present.words if present and before else "", after.words if after else "")


def step(session: Session, row: OverlayRow, by: int, window: str) -> str | None:
    """Take the last edit back (-1) or make the next one again (1); its words, or None when there is none."""
    there = steps(session, row)
    words = there.undo if by < 0 else there.redo
    target = session.get(EditRow, (row.id, row.draft_edit + by)) if words else None
    if target is None:
        return None
    edited = session.get(EditRow, (row.id, row.draft_edit)) if by < 0 else target
    row.draft_edit += by
    said = f"{'Undone' if by < 0 else 'Redone'}: {words}"
    _changed(session, row, dict(target.document), window, said, edited.touched if edited else [])
    return words


def meanwhile(row: OverlayRow, seen: int, window: str) -> Iterable[tuple[str, frozenset[tuple[str, str]]]]:
    """What other windows did to a draft since it was at `seen`: in words, and the fields each touched."""
    for rev, whose, words, touched in row.recent:
        if rev > seen and whose != window:
            yield words, frozenset((str(piece), str(name)) for piece, name in touched)


def history(session: Session, row: OverlayRow, count: int = 30) -> list[EditRow]:
    """The last edits, the latest first."""
    query = select(EditRow).where(col(EditRow.overlay_id) == row.id, col(EditRow.number) <= row.draft_edit)
    return list(session.exec(query.order_by(col(EditRow.number).desc()).limit(count)).all())
