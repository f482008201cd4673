"""Shelves of saved games: which games there are, and the entries of each; contents lie beside, by their hash."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from sqlmodel import Session, col, select

from tesoura.core.names import free_title
from tesoura.store.tables import SaveGameRow, SaveRow

ENTRY_FOLDER, SAVE, BEFORE = "folder", "save", "before"
BACK_FOR = timedelta(days=30)
"""For so long what was deleted can be restored."""
MOST_ENTRIES = 5_000


def games(session: Session) -> Sequence[SaveGameRow]:
    """The games that were not put away, by name."""
    asked = select(SaveGameRow).where(col(SaveGameRow.removed_at).is_(None))
    return sorted(session.exec(asked).all(), key=lambda one: one.title.casefold())


def games_away(session: Session) -> Sequence[SaveGameRow]:
    """Those that were deleted, the last one first."""
    asked = select(SaveGameRow).where(col(SaveGameRow.removed_at).is_not(None))
    return session.exec(asked.order_by(col(SaveGameRow.removed_at).desc())).all()


def game(session: Session, game_id: int) -> SaveGameRow | None:
    """One game, also one that was deleted."""
    return session.get(SaveGameRow, game_id)


def game_called(session: Session, title: str) -> SaveGameRow | None:
    """The game of this name; case does not decide."""
    return next((one for one in games(session) if one.title.casefold() == title.strip().casefold()), None)


def entries(session: Session, game_id: int, kinds: Sequence[str] = (ENTRY_FOLDER, SAVE)) -> list[SaveRow]:
    """What is on a game's shelf, each folder before what is in it, in order."""
    asked = select(SaveRow).where(SaveRow.game_id == game_id, col(SaveRow.removed_at).is_(None))
    rows = session.exec(asked.where(col(SaveRow.kind).in_(kinds)).order_by(col(SaveRow.place), col(SaveRow.id))).all()
    below: dict[int | None, list[SaveRow]] = {}
    for row in rows:
        below.setdefault(row.parent_id, []).append(row)
    found, waiting = list[SaveRow](), below.get(None, [])[::-1]
    while waiting:
        row = waiting.pop()
        found.append(row)
        waiting += below.get(row.id, [])[::-1]
    return found


def befores(session: Session, game_id: int) -> Sequence[SaveRow]:
    """What put-backs replaced, the last one first."""
    asked = select(SaveRow).where(SaveRow.game_id == game_id, SaveRow.kind == BEFORE, col(SaveRow.removed_at).is_(None))
    return session.exec(asked.order_by(col(SaveRow.id).desc())).all()


def entry(session: Session, entry_id: int) -> SaveRow | None:
    """One entry, also one that was deleted."""
    return session.get(SaveRow, entry_id)


def beside(session: Session) -> Sequence[SaveRow]:
    """Entries whose content stands beside their game's own file still."""
    return session.exec(select(SaveRow).where(col(SaveRow.beside).is_(True))).all()


def neighbours(session: Session, game_id: int, parent_id: int | None) -> Sequence[SaveRow]:
    """The entries in a folder of a shelf, in order."""
    asked = select(SaveRow).where(SaveRow.game_id == game_id, col(SaveRow.removed_at).is_(None))
    asked = asked.where(col(SaveRow.kind) != BEFORE)
    asked = asked.where(col(SaveRow.parent_id).is_(None) if parent_id is None else SaveRow.parent_id == parent_id)
    return session.exec(asked.order_by(col(SaveRow.place), col(SaveRow.id))).all()


def next_name(session: Session, game: SaveGameRow, parent_id: int | None = None) -> str:
    """A name to offer in a folder: the next number of the save that was kept last there, or of the game."""
    near = neighbours(session, game.id or 0, parent_id)
    saves = [one for one in near if one.kind == SAVE]
    last = max(saves, key=lambda one: one.id or 0).name if saves else game.title
    return free_title([one.name for one in near], last)


def add(session: Session, row: SaveRow) -> SaveRow:
    """Put an entry on a shelf, behind its neighbours, under a name that is free there; it, with its number."""
    near = neighbours(session, row.game_id, row.parent_id)
    if row.kind != BEFORE:
        row.name = free_title([one.name for one in near], row.name)
        row.place = max((one.place for one in near), default=-1) + 1
    session.add(row)
    session.flush()
    session.refresh(row)
    session.expunge(row)
    return row


def change(session: Session, entry_id: int, **to: Any) -> SaveRow | None:
    """Change an entry; as it was before."""
    row = session.get(SaveRow, entry_id)
    if row is None:
        return None
    before = SaveRow(**row.model_dump())
    for name, value in to.items():
        setattr(row, name, value)
    session.add(row)
    return before


def change_game(session: Session, game_id: int, **to: Any) -> SaveGameRow | None:
    """Change a game; as it was before."""
    row = session.get(SaveGameRow, game_id)
    if row is None:
        return None
    before = SaveGameRow(**row.model_dump())
    for name, value in to.items():
        setattr(row, name, value)
    session.add(row)
    return before


def move(session: Session, row: SaveRow, parent_id: int | None, at: int) -> None:
    """Put an entry into a folder of its shelf, at a place that counts from 0."""
    near = [one for one in neighbours(session, row.game_id, parent_id) if one.id != row.id]
    row.parent_id = parent_id
    row.name = free_title([one.name for one in near], row.name)
    near.insert(min(max(at, 0), len(near)), row)
    for place, one in enumerate(near):
        one.place = place
        session.add(one)


def within(session: Session, entry_id: int) -> list[SaveRow]:
    """An entry and all that is in it."""
    found, waiting = list[SaveRow](), [entry_id]
    while waiting:
        row = session.get(SaveRow, waiting.pop())
        if row is not None:
            found.append(row)
            asked = select(SaveRow.id).where(SaveRow.parent_id == row.id, col(SaveRow.removed_at).is_(None))
            waiting += [one for one in session.exec(asked) if one is not None]
    return found


def take_away(session: Session, entry_id: int, now: datetime) -> list[SaveRow]:
    """Take an entry and what is in it away; what that was. It can be restored for a while."""
    rows = within(session, entry_id)
    for row in rows:
        row.removed_at = now
        session.add(row)
    return rows


def bring_back(session: Session, entry_id: int) -> SaveRow | None:
    """Bring an entry back, with what was deleted together with it."""
    row = session.get(SaveRow, entry_id)
    if row is None or row.removed_at is None:
        return row
    together = session.exec(
        select(SaveRow).where(SaveRow.game_id == row.game_id, SaveRow.removed_at == row.removed_at)
    ).all()
    below, found = {entry_id}, {entry_id}
    while found:
        # One that was moved into a folder may be older than it.
        found = {one.id or 0 for one in together if one.parent_id in found} - below
        below |= found
    for one in together:
        if one.id in below:
            one.removed_at = None
            session.add(one)
    if row.parent_id is not None:
        parent = session.get(SaveRow, row.parent_id)
        if parent is None or parent.removed_at is not None:
            row.parent_id = None
    return row


def bound_befores(session: Session, game_id: int, most: int, now: datetime) -> int:
    """Take away what goes beyond the bound of what put-backs replaced; how many that were."""
    gone = [one for one in befores(session, game_id)[most:] if not one.beside]
    for row in gone:
        row.removed_at = now
        session.add(row)
    return len(gone)


def forget_old(session: Session, now: datetime) -> int:
    """Forget for good what was deleted too long ago; how many that were."""
    asked = select(SaveRow).where(col(SaveRow.removed_at).is_not(None), col(SaveRow.removed_at) < now - BACK_FOR)
    gone = session.exec(asked).all()
    for row in gone:
        session.delete(row)
    return len(gone)


def digests(session: Session) -> set[str]:
    """The contents that any entry needs, also one that can be restored."""
    found = session.exec(select(SaveRow.content).where(col(SaveRow.content).is_not(None)))
    return {str(file[3]) for content in found if content for file in content["files"]}


def taken_away(session: Session, game_id: int, count: int = 8) -> Sequence[SaveRow]:
    """What was taken from a shelf, the last first; not what was in a folder that was taken."""
    asked = select(SaveRow).where(SaveRow.game_id == game_id, col(SaveRow.removed_at).is_not(None))
    asked = asked.where(col(SaveRow.kind) != BEFORE).order_by(col(SaveRow.removed_at).desc(), col(SaveRow.id))
    rows = session.exec(asked.limit(200)).all()
    gone = {row.id for row in rows}
    return [row for row in rows if row.parent_id not in gone][:count]
