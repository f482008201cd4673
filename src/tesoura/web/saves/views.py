"""The shelf of a game's saves: what the game has, what is kept, put back, replaced, named, moved, taken away."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from flask import Blueprint, abort, jsonify, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.actions.roles import Role, role_of
from tesoura.actions.save_shelves import GAME_FIELDS
from tesoura.core.forms.checks import line, text
from tesoura.core.forms.fields import Field
from tesoura.core.overlays.pieces.kind import media
from tesoura.errors import Gone, InvalidField, InvalidPiece, TesouraError
from tesoura.runtime.facade import Runtime
from tesoura.runtime.saves import SaveWork, present
from tesoura.saves.looking import expanded, listed, usual_places
from tesoura.store import saves as stored
from tesoura.store.tables import SaveGameRow, SaveRow
from tesoura.web.shared.acting import act, effect_of
from tesoura.web.shared.doors import actor, runtime, store
from tesoura.web.shared.shown import day_time

blueprint = Blueprint("saves", __name__, url_prefix="/saves")
ENTRY_FIELDS: Mapping[str, Field] = {
    "name": Field("Name", line(200)),
    "note": Field("Note", text(2_000, empty=True), kind="area"),
    "picture": Field("Picture", media, kind="picture"),
}


@dataclass(frozen=True, slots=True)
class ShelfEntry:
    """An entry as its shelf shows it: how deep it lies, whether the game has the same now, whether it is marked."""

    row: SaveRow
    depth: int
    is_same: bool
    is_marked: bool


def _game(game_id: int) -> SaveGameRow:
    found = store().read(lambda session: stored.game(session, game_id))
    if found is None or found.removed_at is not None:
        abort(404)
    return found


def _entry(entry_id: int) -> SaveRow:
    found = store().read(lambda session: stored.entry(session, entry_id))
    if found is None or found.removed_at is not None:
        abort(404)
    return found


def _here() -> bool:
    return role_of(actor()) is Role.HERE


# Games


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """The games that have a shelf; the shelf itself where there is one only."""
    games, away = store().read(lambda session: (list(stored.games(session)), list(stored.games_away(session))[:6]))
    if len(games) == 1 and "all" not in request.args and not away:
        return redirect(url_for("saves.show", game_id=games[0].id))
    return render_template("saves/index.html", games=[(one, present(one)) for one in games], away=away)


@blueprint.get("/new")
def new() -> ResponseReturnValue:
    """Look for where a game keeps its save."""
    return _look_for(None, "")


def _look_for(game: SaveGameRow | None, wrong: str) -> ResponseReturnValue:
    if not _here():
        return render_template("saves/elsewhere.html"), 403
    typed, there, left, at = request.args.get("at", ""), list[Any](), 0, None
    if typed:
        try:
            at = expanded(typed[:1_000])
            if at.is_file():
                return redirect(url_for("saves.set_up", path=str(at), game=game.id if game else None))
            there, left = listed(at)
        except TesouraError as error:
            wrong = str(error)
    page = render_template(
        "saves/look.html", places=usual_places(), at=at, typed=typed, there=there, left=left, wrong=wrong, game=game
    )
    return (page, 422) if wrong else page


@blueprint.get("/set-up")
def set_up() -> ResponseReturnValue:
    """The form for the saves of a game, once its save was chosen; that of a game that is known, with the new place."""
    path = request.args.get("path", "")[:1_000]
    game_id = request.args.get("game", "")
    if game_id.isdecimal():
        return _form(_game(int(game_id)), {"path": path})
    return _form(None, {"path": path, "title": _guess(path)})


def _guess(path: str) -> str:
    """A name to begin with: that of the folder the save is in."""
    at = Path(path)
    return " ".join((at.name if at.is_dir() else at.parent.name).replace("_", " ").replace("-", " ").split())[
        :80
    ].title()


def _form(game: SaveGameRow | None, typed: Mapping[str, Any]) -> str:
    own: dict[str, Any] = {name: field.default for name, field in GAME_FIELDS.items()}
    if game is not None:
        own |= {
            "title": game.title,
            "leave_first": game.leave_first,
            "wait_s": game.wait_s,
            "most_before": game.most_before,
            "keeps_times": "yes" if game.keeps_times else "no",
            "path": game.path,
        }
    return render_template("saves/set_up.html", game=game, fields=GAME_FIELDS, typed={**own, **typed})


@blueprint.get("/<int:game_id>/look")
def look_again(game_id: int) -> ResponseReturnValue:
    """Look for another place of a game's save."""
    return _look_for(_game(game_id), "")


@blueprint.get("/<int:game_id>/set-up")
def change(game_id: int) -> ResponseReturnValue:
    """The settings of a game's saves."""
    return _form(_game(game_id), {})


# The shelf


@blueprint.get("/<int:game_id>")
def show(game_id: int) -> ResponseReturnValue:
    """A game's shelf."""
    return render_template("saves/shelf.html", **_shelf(_game(game_id)))


@blueprint.get("/<int:game_id>/shelf")
def shelf_fragment(game_id: int) -> ResponseReturnValue:
    """What is on it now."""
    return render_template("saves/_shelf.html", **_shelf(_game(game_id)))


def _shelf(game: SaveGameRow) -> dict[str, Any]:
    game_id = game.id or 0

    def stands(self: Runtime) -> tuple[SaveWork | None, str]:
        return self.saves.working.get(game_id), self.saves.notices.get(game_id, "")

    rows, befores, gone = store().read(lambda session: _rows(session, game_id))
    now = present(game)
    working, notice = runtime().call(stands)
    same = runtime().call(lambda self: self.saves.same_as(game)) if now.there and working is None else ""
    return {
        "game": game,
        "now": now,
        "entries": _entries(rows, game, same),
        "befores": befores,
        "gone": gone,
        "folders": [row for row in rows if row.kind == stored.ENTRY_FOLDER],
        "working": working,
        "notice": notice,
        "is_kept": bool(same) and any(one.same == same for one in [*rows, *befores]),
        "offered": store().read(lambda session: stored.next_name(session, game)),
        "games": store().read(lambda session: list(stored.games(session))),
    }


def _rows(session: Session, game_id: int) -> tuple[list[SaveRow], Sequence[SaveRow], Sequence[SaveRow]]:
    return stored.entries(session, game_id), stored.befores(session, game_id), stored.taken_away(session, game_id)


def _entries(rows: Sequence[SaveRow], game: SaveGameRow, same: str) -> list[ShelfEntry]:
    depths: dict[int | None, int] = {None: -1}
    found = []
    for row in rows:
        depths[row.id] = depths.get(row.parent_id, -1) + 1
        found.append(ShelfEntry(row, depths[row.id], bool(same) and row.same == same, row.id == game.marked))
    return found


# What is pressed


@blueprint.get("/entries/<int:entry_id>/effect/<any(put_back, replace):act_name>")
def effect(entry_id: int, act_name: str) -> ResponseReturnValue:
    """What a press would do, told before."""
    try:
        words, wrong = effect_of(f"saves.{act_name}", save=entry_id), False
    except TesouraError as error:
        words, wrong = str(error), True
    return render_template("saves/_effect.html", words=words, wrong=wrong)


@blueprint.post("/entries/<int:entry_id>/move")
def move(entry_id: int) -> ResponseReturnValue:
    """Move an entry: into a folder, to a place."""
    given = request.get_json(silent=True)
    if not isinstance(given, dict):
        return {"wrong": "Send an object with `folder` and `place`."}, 422
    try:
        done = act("saves.move", entry=entry_id, folder=given.get("folder") or 0, at=given.get("at") or 0)
    except (InvalidPiece, InvalidField, Gone) as error:
        return {"wrong": " ".join(error.wrong.values()) if isinstance(error, InvalidPiece) else str(error)}, 422
    return jsonify(words=done.words)


@blueprint.get("/entries/<int:entry_id>")
def entry(entry_id: int) -> ResponseReturnValue:
    """A save's own page: its name, note and picture, and its folder."""
    row = _entry(entry_id)
    folders = store().read(
        lambda session: [one for one in stored.entries(session, row.game_id, ("folder",)) if one.id != row.id]
    )
    typed = {"name": row.name, "note": row.note, "picture": row.picture}
    game = _game(row.game_id)
    return render_template("saves/entry.html", row=row, game=game, fields=ENTRY_FIELDS, typed=typed, folders=folders)


@blueprint.app_template_global("saves_there")
def saves_there() -> list[tuple[int, str]]:
    """All saves on all shelves: the number of each, and what it is called with its game."""

    def ask(session: Session) -> list[tuple[int, str]]:
        return [
            (row.id or 0, f"{game.title}: {row.name}")
            for game in stored.games(session)
            for row in stored.entries(session, game.id or 0)
            if row.kind == stored.SAVE
        ]

    return store().read(ask)


@blueprint.app_template_global("save_called")
def save_called(entry_id: str) -> str:
    """What the save of this number is called; nothing when it is not there any more."""
    found = store().read(lambda session: stored.entry(session, int(entry_id))) if entry_id.isdecimal() else None
    return found.name if found is not None and found.removed_at is None else ""


@blueprint.app_template_filter("bytes")
def bytes_of(size: int) -> str:
    """Bytes, in the unit that fits: `812 bytes`, `3.1 MB`."""
    for unit, most in (("bytes", 1e3), ("kB", 1e6), ("MB", 1e9)):
        if size < most:
            return f"{size} {unit}" if unit == "bytes" else f"{size / most * 1e3:.1f} {unit}"
    return f"{size / 1e9:.1f} GB"


@blueprint.app_template_filter("changed")
def changed_at(mtime_ns: int) -> str:
    """When a file changed, as the system tells it."""
    try:
        return day_time(datetime.fromtimestamp(mtime_ns / 1e9, UTC))
    except (OverflowError, OSError, ValueError):
        return "at an unknown time"
