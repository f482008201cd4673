"""Saved games: what a game has is kept, a save put back, replaced, marked; by pages, keys, pads and phones."""

from __future__ import annotations

import asyncio
from datetime import datetime
from typing import Any, TypeVar

from tesoura.actions.action import Action, Call, Doing, Done, Given, one_of_these
from tesoura.core.desk.buttons import SAVES_WHATS
from tesoura.core.forms.checks import text, whole
from tesoura.core.forms.fields import Field, one_of
from tesoura.errors import CommandRefused, Gone, InvalidField
from tesoura.runtime.saves import present
from tesoura.store import saves as stored
from tesoura.store.tables import SaveGameRow, SaveRow

T = TypeVar("T")
PUT, NEXT, PREVIOUS, KEEP = "put", "next", "previous", "keep"


def number_of(raw: object) -> int:
    """The number of a game or an entry. Raises InvalidField."""
    return whole(1, 10**9)(raw)


def number_or_none(raw: object) -> int:
    """Such a number, or 0 for none. Raises InvalidField."""
    return whole(0, 10**9)(raw or 0)


async def game_of(doing: Doing, game_id: int) -> SaveGameRow:
    """A game whose saves are kept. Raises Gone."""
    found = await doing.read(lambda session: stored.game(session, game_id))
    if found is None or found.removed_at is not None:
        raise Gone("There is no such game any more. Reload the page.")
    return found


async def entry_of(doing: Doing, entry_id: int) -> SaveRow:
    """An entry of a shelf. Raises Gone."""
    found = await doing.read(lambda session: stored.entry(session, entry_id))
    if found is None or found.removed_at is not None:
        raise Gone("This save no longer exists.")
    return found


async def changed(doing: Doing, job: Any) -> Any:
    """Change what is stored of the shelves, and tell the pages."""
    done = await doing.write(job)
    doing.runtime.touched("saves")
    return done


# What the game has, and the shelf


async def _keep(doing: Doing, given: Given) -> Done:
    game = await game_of(doing, given["game"])
    folder = await folder_of(doing, game, given["folder"])
    name = given["name"].strip() or await _next_name(doing, game, folder)
    if given.get("of"):
        row = await _once_more(doing, game, await _save(doing, given["of"]), name, folder)
    else:
        row = await doing.runtime.saves.keep(game, name, folder, given["note"].strip())
    return Done(f"“{row.name}” was saved.", {"save": row.id, "name": row.name}, Call("saves.remove", {"entry": row.id}))


async def _once_more(doing: Doing, game: SaveGameRow, of: SaveRow, name: str, folder: int | None) -> SaveRow:
    """Another entry of the same content, as of one that a put-back replaced."""
    if of.game_id != game.id:
        raise InvalidField("That is a save of another game.")
    row = SaveRow(
        game_id=of.game_id,
        parent_id=folder,
        name=name,
        note=of.note,
        content=of.content,
        size=of.size,
        same=of.same,
        made_at=of.made_at,
    )
    kept: SaveRow = await changed(doing, lambda session: stored.add(session, row))
    return kept


async def folder_of(doing: Doing, game: SaveGameRow, folder_id: int) -> int | None:
    """A folder of a game's shelf; None for the shelf itself. Raises Gone and InvalidField."""
    if not folder_id:
        return None
    found = await entry_of(doing, folder_id)
    if found.kind != stored.ENTRY_FOLDER or found.game_id != game.id:
        raise InvalidField("This folder belongs to another game.")
    return found.id


async def _next_name(doing: Doing, game: SaveGameRow, folder: int | None) -> str:
    return await doing.read(lambda session: stored.next_name(session, game, folder))


async def _put_back(doing: Doing, given: Given) -> Done:
    save = await _save(doing, given["save"])
    game = await game_of(doing, save.game_id)
    before = await doing.runtime.saves.put_back(game, save)
    where = "what the game had is under Before" if before else "the game had none"
    undo = Call("saves.put_back", {"save": before.id}) if before else None
    return Done(f"“{save.name}” is the game's save now; {where}.", {"before": before.id if before else None}, undo)


async def _save(doing: Doing, entry_id: int) -> SaveRow:
    row = await entry_of(doing, entry_id)
    for _ in range(600):
        if not row.beside:
            break
        # What a put-back replaced a moment ago is still on its way to the shelf.
        await asyncio.sleep(0.1)
        row = await entry_of(doing, entry_id)
    if row.kind == stored.ENTRY_FOLDER:
        raise CommandRefused(f"“{row.name}” is a folder. Choose a save in it.")
    return row


async def _foresee_put_back(doing: Doing, given: Given) -> str:
    save = await entry_of(doing, given["save"])
    game = await game_of(doing, save.game_id)
    return await put_back_words(doing, game, save)


async def put_back_words(doing: Doing, game: SaveGameRow, save: SaveRow) -> str:
    """What putting a save back would do, in words."""
    there = await asyncio.to_thread(present, game)
    if there.wrong:
        return there.wrong
    first = f"First: {game.leave_first}. " if game.leave_first else ""
    if not there.there or there.changed_at is None:
        return f"{first}The game has no save now; “{save.name}” takes its place."
    at = doing.runtime.preferences.zone
    what = "folder" if game.folder else "file"
    when = _when(there.changed_at, doing.now(), at)
    return f"{first}The game's {what} of {when} goes to Before, “{save.name}” takes its place."


def _when(at: datetime, now: datetime, zone: Any) -> str:
    local, today = at.astimezone(zone), now.astimezone(zone)
    same = local.date() == today.date()
    return f"{local:%H:%M:%S}" if same else f"{local.day} {local:%b %Y, %H:%M}"


async def _replace(doing: Doing, given: Given) -> Done:
    save = await _save(doing, given["save"])
    game = await game_of(doing, save.game_id)
    if save.kind != stored.SAVE:
        raise CommandRefused("A save that a restore replaced can't be changed. Restore it, or save the current state.")
    by = await _save(doing, given["by"]) if given["by"] else None
    before = await doing.runtime.saves.replace(game, save, by)
    return Done(
        f"“{save.name}” is what the game has now; what it was is under Before.",
        {"before": before.id},
        Call("saves.replace", {"save": save.id, "by": before.id}),
    )


async def _foresee_replace(doing: Doing, given: Given) -> str:
    save = await entry_of(doing, given["save"])
    return f"What “{save.name}” is now goes to Before; what the game has takes its place."


async def _mark(doing: Doing, given: Given) -> Done:
    row = await entry_of(doing, given["save"])
    if row.kind != stored.SAVE:
        raise CommandRefused("Only a save can be marked.")
    before = await changed(doing, lambda session: stored.change_game(session, row.game_id, marked=row.id))
    undo = Call("saves.mark", {"save": before.marked}) if before.marked else None
    return Done(f"“{row.name}” is bookmarked.", {}, undo)


# By key, pad and phone


async def _press(doing: Doing, given: Given) -> Done:
    game, saves = await _pressed(doing, given["game"])
    if given["what"] == KEEP:
        return await _keep(doing, {"game": game.id, "folder": 0, "name": "", "note": ""})
    at = next((place for place, one in enumerate(saves) if one.id == game.marked), None)
    if given["what"] == PUT:
        return await _put_back(doing, {"save": _marked(game, saves, at).id})
    return await _mark(doing, {"save": _stepped(game, saves, at, given["what"]).id})


async def _foresee_press(doing: Doing, given: Given) -> str:
    game, saves = await _pressed(doing, given["game"])
    if given["what"] == KEEP:
        return f"kept as “{await _next_name(doing, game, None)}”"
    at = next((place for place, one in enumerate(saves) if one.id == game.marked), None)
    if given["what"] == PUT:
        return f"“{_marked(game, saves, at).name}” takes the place of the game's"
    return f"marks “{_stepped(game, saves, at, given['what']).name}”"


async def _pressed(doing: Doing, title: str) -> tuple[SaveGameRow, list[SaveRow]]:
    found = await doing.read(lambda session: list(stored.games(session)))
    game = next((one for one in found if one.title.casefold() == title.strip().casefold()), None)
    if game is None:
        raise one_of_these("game", title, [one.title for one in found])
    saves = await doing.read(
        lambda session: [one for one in stored.entries(session, game.id or 0) if one.kind == stored.SAVE]
    )
    return game, saves


def _marked(game: SaveGameRow, saves: list[SaveRow], at: int | None) -> SaveRow:
    if at is None:
        raise CommandRefused(
            f"No save of {game.title} is bookmarked. Bookmark one on its page, or press for the next one."
            if saves
            else f"There is no save of {game.title} yet."
        )
    return saves[at]


def _stepped(game: SaveGameRow, saves: list[SaveRow], at: int | None, what: str) -> SaveRow:
    if not saves:
        raise CommandRefused(f"There is no save of {game.title} yet.")
    if at is None:
        return saves[0 if what == NEXT else -1]
    to = at + (1 if what == NEXT else -1)
    if not 0 <= to < len(saves):
        raise CommandRefused(f"“{saves[at].name}” is the {'last' if what == NEXT else 'first'} save.")
    return saves[to]


async def _stop(doing: Doing, given: Given) -> Done:
    if not doing.runtime.saves.stop(given["game"]):
        raise CommandRefused("Nothing is being done with this game's save.")
    return Done("It stops as soon as it can.")


ID = {"game": Field("Game", number_of, kind="number")}
SAVE = {"save": Field("Save", number_of, kind="number")}
IN = {"folder": Field("In the folder", number_or_none, kind="number", default=0)}

KEEP_SAVE = Action(
    "saves.keep",
    "Keep what the game has",
    "Without a name it gets the next number of the last one.",
    {
        **ID,
        **IN,
        "name": Field("Name", text(200, empty=True)),
        "note": Field("Note", text(2_000, empty=True)),
        "of": Field("Entry", number_or_none, kind="number", default=0),
    },
    _keep,
    noted=True,
)
PUT_BACK = Action(
    "saves.put_back",
    "Put a save back",
    "What the game has is kept under Before.",
    SAVE,
    _put_back,
    _foresee_put_back,
    noted=True,
)
REPLACE = Action(
    "saves.replace",
    "Overwrite a save",
    "By what the game has, or by another entry.",
    {**SAVE, "by": Field("By", number_or_none, kind="number", default=0)},
    _replace,
    _foresee_replace,
    noted=True,
)
MARK = Action(
    "saves.mark", "Bookmark a save", "A key, a pad or the phone can restore the bookmarked save.", SAVE, _mark
)
PRESS = Action(
    "saves.press",
    "Press for a game's saves",
    "Put the marked one back, mark the next or the previous, or keep.",
    {"game": Field("Game", text(200)), "what": one_of("What", SAVES_WHATS, PUT)},
    _press,
    _foresee_press,
    noted=True,
)
STOP = Action("saves.stop", "Stop what is being done", "An interrupted restore changes nothing.", ID, _stop)

ALL = (KEEP_SAVE, PUT_BACK, REPLACE, MARK, PRESS, STOP)
