"""Shelves of saved games: for which games, where their saves are; entries named, moved, put into folders."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.roles import MACHINE, SET_UP
from tesoura.actions.saves import ID, IN, changed, entry_of, folder_of, game_of, number_of, number_or_none
from tesoura.archives import WAITING
from tesoura.bundles import shelf_files
from tesoura.core.forms.checks import line, optional, text, whole
from tesoura.core.forms.fields import Field, number, switch
from tesoura.core.names import free_title
from tesoura.core.overlays.pieces.kind import media
from tesoura.errors import CommandRefused, Gone, InvalidField
from tesoura.runtime.saves import source_of
from tesoura.runtime.text_files import own_folder
from tesoura.saves import carrying
from tesoura.saves.carrying import CarriedShelf
from tesoura.saves.looking import OWN, expanded, files_of
from tesoura.store import saves as stored
from tesoura.store.tables import SaveGameRow, SaveRow

LAST = 10_000
"""A place behind all others."""
GAME_FIELDS: Mapping[str, Field] = {
    "title": Field("Name", line(80), placeholder="The Lantern Mile"),
    "leave_first": Field(
        "Before restoring, in the game",
        text(200, empty=True),
        kind="wide",
        placeholder="Go back to the title",
        help="Shown next to the button.",
    ),
    "wait_s": number("A save that is written is waited for", 1, 120, 10, "s"),
    "most_before": number("Replaced saves to keep", 1, 500, 20, "saves"),
    "keeps_times": switch(
        "Files get back the times they had", "no", help="Off: files get the time of the restore, which most games need."
    ),
}


# Games


def save_path(raw: object, data: Path) -> tuple[Path, bool]:
    """Where a game's save is: a file or a folder that is there, and whether it is a folder. Raises InvalidField."""
    at = expanded(text(1_000)(raw))
    if OWN in at.name:
        raise InvalidField("This is one of Tesoura's own files. Choose the game's.")
    if at.is_symlink():
        raise InvalidField("This is a link. Choose the file or folder it points to.")
    if not (at.is_file() or at.is_dir()):
        raise InvalidField(f"{at} doesn't exist. Choose a file below. If there is none yet, save once in the game.")
    if own_folder(at, data) or data.resolve().is_relative_to(at.resolve()):
        raise InvalidField("Tesoura's own folder is in there. Choose the game's saves alone.")
    if at.is_dir() and at.resolve() in (Path.home().resolve(), Path(at.anchor)):
        raise InvalidField("This is far more than a game's saves. Go on to the folder that has them alone.")
    return at.absolute(), at.is_dir()


async def _new_game(doing: Doing, given: Given) -> Done:
    at, folder = await asyncio.to_thread(save_path, given["path"], doing.runtime.store.folder)
    probe = SaveGameRow(title="", path=str(at), folder=folder, added_at=doing.now())
    found = await asyncio.to_thread(files_of, source_of(probe))

    def job(session: Session) -> tuple[int, str]:
        title = free_title([one.title for one in stored.games(session)], given["title"])
        row = SaveGameRow(title=title, path=str(at), folder=folder, added_at=doing.now(), **_chosen(given))
        session.add(row)
        session.flush()
        return row.id or 0, title

    game_id, title = await changed(doing, job)
    count = "1 file" if len(found) == 1 else f"{len(found)} files"
    return Done(
        f"{title} was added. Its save has {count}.", {"game": game_id}, Call("saves.remove_game", {"game": game_id})
    )


def _chosen(given: Given) -> dict[str, Any]:
    return {
        "leave_first": given["leave_first"].strip(),
        "wait_s": given["wait_s"],
        "most_before": given["most_before"],
        "keeps_times": given["keeps_times"] == "yes",
    }


async def _change_game(doing: Doing, given: Given) -> Done:
    game = await game_of(doing, given["game"])
    to: dict[str, Any] = _chosen(given)
    if given["path"]:
        at, folder = await asyncio.to_thread(save_path, given["path"], doing.runtime.store.folder)
        if folder != game.folder and await doing.read(lambda session: bool(stored.entries(session, game.id or 0))):
            kind = "a folder" if game.folder else "one file"
            raise InvalidField(f"This game's saves are each {kind}. Add another game for this.")
        to |= {"path": str(at), "folder": folder}

    def job(session: Session) -> SaveGameRow | None:
        others = [one.title for one in stored.games(session) if one.id != game.id]
        return stored.change_game(session, game.id or 0, title=free_title(others, given["title"]), **to)

    before = await changed(doing, job)
    was = {
        "title": before.title,
        "path": before.path,
        "leave_first": before.leave_first,
        "wait_s": before.wait_s,
        "most_before": before.most_before,
        "keeps_times": "yes" if before.keeps_times else "no",
    }
    return Done(f"{given['title']} was saved.", {}, Call("saves.change_game", {"game": game.id, **was}))


async def _game_away(doing: Doing, given: Given) -> Done:
    game = await game_of(doing, given["game"])
    now = doing.now()
    await changed(doing, lambda session: stored.change_game(session, game.id or 0, removed_at=now))
    return Done(
        f"The saves of {game.title} were deleted. The game's own save stays.",
        {},
        Call("saves.restore_game", {"game": game.id}),
    )


async def _game_back(doing: Doing, given: Given) -> Done:
    before = await changed(doing, lambda session: stored.change_game(session, given["game"], removed_at=None))
    if before is None:
        raise Gone("There is no such game any more.")
    return Done(f"The saves of {before.title} were restored.", {}, Call("saves.remove_game", {"game": given["game"]}))


# Putting the shelf in order


async def _new_folder(doing: Doing, given: Given) -> Done:
    game = await game_of(doing, given["game"])
    parent, at = await folder_of(doing, game, given["folder"]), doing.now()
    row = await changed(
        doing,
        lambda session: stored.add(
            session,
            SaveRow(game_id=game.id or 0, parent_id=parent, kind=stored.ENTRY_FOLDER, name=given["name"], made_at=at),
        ),
    )
    return Done(f"The folder “{row.name}” is there.", {"folder": row.id}, Call("saves.remove", {"entry": row.id}))


async def _describe(doing: Doing, given: Given) -> Done:
    row = await entry_of(doing, given["entry"])

    def job(session: Session) -> SaveRow | None:
        others = [one.name for one in stored.neighbours(session, row.game_id, row.parent_id) if one.id != row.id]
        return stored.change(
            session, row.id or 0, name=free_title(others, given["name"]), note=given["note"], picture=given["picture"]
        )

    before = await changed(doing, job)
    was = {"entry": row.id, "name": before.name, "note": before.note, "picture": before.picture}
    if given["folder"] is not None and given["folder"] != (row.parent_id or 0):
        await _move(doing, {"entry": row.id, "folder": given["folder"], "at": LAST})
        was["folder"] = row.parent_id or 0
    return Done(f"“{given['name']}” was saved.", {}, Call("saves.describe", was))


async def _move(doing: Doing, given: Given) -> Done:
    row = await entry_of(doing, given["entry"])
    game = await game_of(doing, row.game_id)
    if row.kind == stored.BEFORE:
        raise CommandRefused("Saves under Before can't be moved. Save it under a name first.")
    parent = await folder_of(doing, game, given["folder"])

    def job(session: Session) -> tuple[int | None, int]:
        if parent is not None and any(one.id == parent for one in stored.within(session, row.id or 0)):
            raise CommandRefused("A folder can't be moved into itself.")
        kept = session.get(SaveRow, row.id)
        assert kept is not None
        was = kept.parent_id, [one.id for one in stored.neighbours(session, row.game_id, kept.parent_id)].index(row.id)
        stored.move(session, kept, parent, given["at"])
        return was

    was, place = await changed(doing, job)
    return Done(
        f"“{row.name}” has another place.", {}, Call("saves.move", {"entry": row.id, "folder": was or 0, "at": place})
    )


async def _remove(doing: Doing, given: Given) -> Done:
    row, at = await entry_of(doing, given["entry"]), doing.now()
    gone = await changed(doing, lambda session: len(stored.take_away(session, row.id or 0, at)))
    more = f", with {gone - 1} in it" if gone > 1 else ""
    return Done(
        f"“{row.name}” was deleted{more}. It can be restored for 30 days.", {}, Call("saves.restore", {"entry": row.id})
    )


async def _restore(doing: Doing, given: Given) -> Done:
    row = await changed(doing, lambda session: stored.bring_back(session, given["entry"]) and None)
    row = await entry_of(doing, given["entry"])
    return Done(f"“{row.name}” was restored.", {}, Call("saves.remove", {"entry": row.id}))


async def _bring_in(doing: Doing, given: Given) -> Done:
    folder, at = doing.runtime.store.folder, doing.now()
    file = shelf_files.objects_of(folder) / given["file"]

    try:
        shelf = await asyncio.to_thread(carrying.read, file, shelf_files.objects_of(folder))
    except FileNotFoundError:
        raise Gone("The file is no longer here. Send it again.") from None
    game, count = await changed(doing, lambda session: _brought(session, shelf, given["game"] or None, at))
    words = f"{count} {'entry' if count == 1 else 'entries'} imported for {game[1]}."
    return Done(words, {"game": game[0]})


def _brought(session: Session, shelf: CarriedShelf, game_id: int | None, at: datetime) -> tuple[tuple[int, str], int]:
    game, count = shelf_files.bring_in(session, shelf, game_id, at)
    return (game.id or 0, game.title), count


def _incoming(raw: object) -> str:
    """The name of a file that was just sent, and of no other file. Raises InvalidField."""
    if not WAITING.fullmatch(str(raw)):
        raise InvalidField("Upload the saves file on its page.")
    return str(raw)


_ENTRY = {"entry": Field("Entry", number_of, kind="number")}
_NAMED = {
    "name": Field("Name", line(200)),
    "note": Field("Note", text(2_000, empty=True), kind="area"),
    "picture": Field("Picture", media, kind="picture"),
}
_PATH = {"path": Field("Save path", text(1_000, empty=True))}

NEW_GAME = Action(
    "saves.new_game",
    "Add a game",
    "`path` is the game's file or folder of saves.",
    {**_PATH, **GAME_FIELDS},
    _new_game,
    noted=True,
    may=MACHINE,
    needs=("path", "title"),
)
CHANGE_GAME = Action(
    "saves.change_game",
    "Change a game's settings",
    "An empty `path` leaves it where it is.",
    {**ID, **_PATH, **GAME_FIELDS},
    _change_game,
    noted=True,
    may=MACHINE,
)
REMOVE_GAME = Action(
    "saves.remove_game", "Delete a game's saves", "The game's own save stays.", ID, _game_away, noted=True, may=MACHINE
)
RESTORE_GAME = Action(
    "saves.restore_game", "Restore saved games", "Of a game that was deleted.", ID, _game_back, noted=True, may=MACHINE
)
NEW_FOLDER = Action(
    "saves.new_folder",
    "Create a folder",
    "In another one, if that is given.",
    {**ID, **IN, "name": Field("Name", line(200))},
    _new_folder,
    may=SET_UP,
)
DESCRIBE = Action(
    "saves.describe",
    "Change an entry's name, note and picture",
    "",
    {**_ENTRY, **_NAMED, "folder": Field("Folder", optional(number_or_none), kind="number")},
    _describe,
    may=SET_UP,
)
MOVE = Action(
    "saves.move",
    "Move a save or folder",
    "Into a folder, 0 for none, at a place that counts from 0.",
    {**_ENTRY, **IN, "at": Field("Place", whole(0, LAST), kind="number", default=0)},
    _move,
    may=SET_UP,
)
REMOVE = Action(
    "saves.remove",
    "Delete a save or folder",
    "It can be restored for 30 days.",
    _ENTRY,
    _remove,
    noted=True,
    may=SET_UP,
)
RESTORE = Action(
    "saves.restore", "Bring an entry back", "With what was in it.", _ENTRY, _restore, noted=True, may=SET_UP
)
BRING_IN = Action(
    "saves.bring_in",
    "Import saves",
    "Out of a file that was sent and looked at.",
    {"file": Field("File", _incoming), "game": Field("Game", number_or_none, kind="number", default=0)},
    _bring_in,
    noted=True,
    may=MACHINE,
)

ALL = (BRING_IN, NEW_GAME, CHANGE_GAME, REMOVE_GAME, RESTORE_GAME, NEW_FOLDER, DESCRIBE, MOVE, REMOVE, RESTORE)
