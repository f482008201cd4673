"""A shelf of saved games as one file: what is on it goes out whole, and comes in beside what there is."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import IO

from sqlmodel import Session

from tesoura.core.instants import iso_instant
from tesoura.core.names import free_title
from tesoura.errors import FileRefused
from tesoura.saves import carrying, keeping
from tesoura.saves.carrying import CarriedSave, CarriedShelf
from tesoura.saves.keeping import content_of
from tesoura.store import saves as stored
from tesoura.store.tables import SaveGameRow, SaveRow


def carried(session: Session, game: SaveGameRow) -> CarriedShelf:
    """What goes out of a game's shelf: its folders and saves, not what put-backs replaced."""
    rows = stored.entries(session, game.id or 0)
    numbers = {row.id: number for number, row in enumerate(rows, 1)}
    entries = tuple(
        CarriedSave(
            numbers[row.id],
            numbers.get(row.parent_id, 0),
            row.content is None,
            row.name,
            row.note,
            row.made_at.isoformat(timespec="seconds"),
            content_of(row.content) if row.content else None,
        )
        for row in rows
    )
    return CarriedShelf(game.title, game.folder, Path(game.path).name, entries)


def bring_in(session: Session, shelf: CarriedShelf, game_id: int | None, now: datetime) -> tuple[SaveGameRow, int]:
    """Put what a file has on a game's shelf, in a folder of its own if there is anything; the game, how many came.

    Without a game there is a new one, whose save is to be chosen. Raises FileRefused where a file cannot be a folder.
    """
    game = stored.game(session, game_id) if game_id is not None else None
    if game is None:
        title = free_title([one.title for one in stored.games(session)], shelf.game)
        game = SaveGameRow(title=title, path="", folder=shelf.folder, added_at=now)
        session.add(game)
        session.flush()
    if game.folder != shelf.folder:
        kind, other = ("folder", "one file") if shelf.folder else ("one file", "a folder")
        raise FileRefused(
            f"Saves in the file are each a {kind}, and those of {game.title} are {other}. Import it as another game."
        )
    of = game.id or 0
    parents: dict[int, int | None] = {0: None}
    if stored.entries(session, of):
        own = stored.add(session, SaveRow(game_id=of, kind=stored.ENTRY_FOLDER, name=shelf.game, made_at=now))
        parents[0] = own.id
    left = list(shelf.entries)
    while left:
        # A folder comes before what is in it, in whichever order the file has them.
        ready = [one for one in left if one.parent in parents]
        left = [one for one in left if one.parent not in parents]
        for one in ready:
            made = iso_instant(one.made_at) or now
            content = one.content
            row = stored.add(
                session,
                SaveRow(
                    game_id=of,
                    parent_id=parents[one.parent],
                    name=one.name,
                    note=one.note,
                    made_at=made,
                    kind=stored.SAVE if content else stored.ENTRY_FOLDER,
                    content=content.plain() if content else None,
                    size=content.size if content else 0,
                    same=content.same if content else "",
                ),
            )
            parents[one.number] = row.id
    return game, len(shelf.entries)


def objects_of(folder: Path) -> Path:
    """Where the contents of saved games lie in a data folder."""
    return folder / keeping.FOLDER


def write_out(to: IO[bytes], shelf: CarriedShelf, folder: Path) -> None:
    """Write a shelf's file out of a data folder. Raises FileRefused."""
    carrying.write(to, shelf, objects_of(folder))
