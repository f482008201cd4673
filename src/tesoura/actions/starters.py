"""Starters: all that something on stream needs, made in one go, and taken back in one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import tzinfo
from importlib import resources
from typing import Any

from sqlmodel import Session

from tesoura.actions import computed_setup, feed_setup, leaves, overlay_setup, text_files, values
from tesoura.actions.action import Action, Call, Doing, Done, Given, perform
from tesoura.actions.computed_setup import filled_instrument
from tesoura.actions.drafts import new_id
from tesoura.actions.overlay_setup import add_overlay
from tesoura.actions.recipes import follow, recipe_asks, recipe_filled
from tesoura.actions.roles import SET_UP
from tesoura.bundles.recipes import MAX_CHARACTERS, Recipe
from tesoura.bundles.starters import (
    MOST_ANSWERED,
    Answers,
    Starter,
    StarterInstrument,
    StarterWay,
    lines_of,
    read,
    with_answers,
    with_names,
)
from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.desk.leaves import MOST_BUTTONS
from tesoura.core.forms.checks import group, text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.forms.form import fill, secret_names
from tesoura.core.instruments.registry import KINDS as INSTRUMENTS
from tesoura.core.names import unused
from tesoura.core.overlays.document import Overlay, Piece, new_piece
from tesoura.core.overlays.pieces.kind import media
from tesoura.errors import Gone, InvalidField, InvalidPiece, RecipeRefused, TesouraError
from tesoura.links.registry import KINDS
from tesoura.store import computed as stored_computed
from tesoura.store import paused
from tesoura.store import text_files as stored_files

PICK, SIGNAL = "pick", "signal"
"""Under which names it is answered which value of what came is meant, and which signal that comes already."""
Names = dict[str, str]
ROOM_FOR_BUTTONS = 24
"""A leaf with less room than for so many buttons is passed over, and another one made."""
LONGEST_LINE = 400
TAKES_BACK = {
    one.name: one
    for one in (
        feed_setup.REMOVE,
        feed_setup.RESTORE,
        computed_setup.REMOVE_COMPUTED,
        computed_setup.RESTORE_COMPUTED,
        computed_setup.REMOVE_INSTRUMENT,
        computed_setup.RESTORE_INSTRUMENT,
        overlay_setup.REMOVE,
        overlay_setup.RESTORE,
        *leaves.ALL,
        *text_files.ALL,
    )
}
"""What a starter that is taken back, or brought back, is allowed to do."""


def read_starter(written: str) -> Starter:
    """The starter in a text. Raises RecipeRefused."""
    return read(written, {kind.name: secret_names(kind.fields) for kind in KINDS.values()})


def is_shipped(written: str) -> bool:
    """Whether a starter is one of those that come with Tesoura."""
    folder = resources.files("tesoura").joinpath("bundles", "outcomes")
    return any(one.read_text("utf-8").split() == written.split() for one in folder.iterdir() if one.is_file())


# What is asked


def way_fields(starter: Starter, way: int) -> dict[str, Field]:
    """What is asked for a way to get the data, by the names under which it is answered."""
    chosen = starter.ways[way] if way < len(starter.ways) else StarterWay("")
    if chosen.recipe is None:
        takes = Field("The value", text(200), kind="signal", help="One that comes already.")
        return {SIGNAL: takes} if chosen.takes else {}
    standing, asked = {name: str(value) for name, value in chosen.recipe.choices.items()}, {}
    for name, one in recipe_asks(chosen.recipe).items():
        asked[f"way{way}-{name}"] = replace(
            one,
            help=chosen.recipe.ask.get(name) or one.help,
            default=standing.get(name, one.default),
            only_if=(f"way{way}-{one.only_if[0]}", one.only_if[1]) if one.only_if else None,
        )
    return asked


def _one_line(raw: object) -> str:
    return " ".join(text(LONGEST_LINE, empty=True)(raw).split())


_CHECKS = {"picture": media, "number": whole(-(10**12), 10**12)}


def own_fields(starter: Starter) -> dict[str, Field]:
    """What is asked beside that: of the instruments, and by itself."""
    asked: dict[str, Field] = {}
    for one in starter.questions:
        check = _CHECKS.get(one.kind) or (text(MOST_ANSWERED, empty=True) if one.lines else _one_line)
        asked[f"ask-{one.name}"] = Field(one.label, check, default=one.start, kind=one.kind, help=one.help)
    for part in starter.instruments:
        fields = INSTRUMENTS[part.kind].fields
        for name, label in part.ask.items():
            default = str(part.choices.get(name, fields[name].default))
            asked[f"{part.name}-{name}"] = replace(
                fields[name], label=label, default=default, only_if=None, advanced=False
            )
    return asked


# What is made


@dataclass(frozen=True, slots=True)
class _Checked:
    """A starter with everything that was answered, found right."""

    way: StarterWay
    feed: Mapping[str, str]
    answers: Answers
    instruments: tuple[tuple[StarterInstrument, Mapping[str, Any]], ...]


def checked(starter: Starter, way: int, given: Mapping[str, Any], zone: tzinfo) -> _Checked:
    """What was answered, each checked by its field. Raises InvalidPiece, by the names of the answers."""
    if starter.ways and way >= len(starter.ways):
        raise InvalidPiece({"way": "Choose where it comes from."})
    chosen = starter.ways[way] if starter.ways else StarterWay("")
    wrong: dict[str, str] = {}
    feed = {name.partition("-")[2]: str(value) for name, value in given.items() if name.startswith(f"way{way}-")}
    if chosen.recipe is not None:
        try:
            recipe_filled(chosen.recipe, feed)
        except InvalidPiece as error:
            wrong |= {f"way{way}-{name}": words for name, words in error.wrong.items()}
    elif chosen.takes and not str(given.get(SIGNAL, "")).strip():
        wrong[SIGNAL] = "Choose the value that it shows."
    answers: dict[str, str] = {}
    for one, (name, asked) in zip(starter.questions, own_fields(starter).items(), strict=False):
        try:
            answers[one.name] = str(asked.check(given.get(name, asked.default)))
        except InvalidField as error:
            wrong[name] = str(error)
            continue
        count = len(lines_of(answers[one.name]))
        if count < one.least:
            wrong[name] = f"Give at least {one.least}, one a line." if one.least > 1 else "Required."
    instruments = []
    for part in starter.instruments:
        own = {name: given[f"{part.name}-{name}"] for name in part.ask if f"{part.name}-{name}" in given}
        filled = filled_instrument(INSTRUMENTS[part.kind], {**with_answers(part.choices, answers), **own}, zone)
        for name, words in filled.wrong.items():
            wrong[f"{part.name}-{name}"] = words
        instruments.append((part, filled.choices))
    if wrong:
        raise InvalidPiece(wrong)
    return _Checked(chosen, feed, answers, tuple(instruments))


class _Making:
    """A starter that is being made: what is there by now, and what takes it back."""

    def __init__(self, doing: Doing, starter: Starter, found: _Checked) -> None:
        self._doing, self._starter, self._found = doing, starter, found
        self.names: Names = {}
        self.undo: list[Call] = []
        self.made: dict[str, Any] = {"computed": [], "instruments": [], "files": []}

    async def _do(self, action: Action, **given: Any) -> Done:
        done = await perform(self._doing, replace(action, takes_back=False), given)
        return self._note(done)

    def _note(self, done: Done) -> Done:
        if done.undo is not None:
            self.undo.append(done.undo)
        return done

    def _own(self, value: Any) -> Any:
        return with_names(with_answers(value, self._found.answers), self.names)

    async def all(self, given: Given) -> None:
        """Make it, one after the other. Raises what any of it raises; what was made before that is there."""
        way = self._found.way
        if way.recipe is not None:
            done = self._note(await follow(self._doing, _picked(way, given, self._found.answers), self._found.feed))
            self.made["feed"] = self.names[way.recipe.name] = str(done.result["feed"])
        elif way.takes:
            self.names[way.takes] = str(given[SIGNAL]).strip().lower()
        for row in self._starter.computed:
            await self._computed(row)
        for part, choices in self._found.instruments:
            await self._instrument(part, choices)
        await self._overlay()
        await self._buttons()
        for row in self._starter.files:
            told = self._own(row)
            told["name"] = await self._free_file(str(told.get("name", "")))
            done = await self._do(TAKES_BACK["file.new"], **told)
            self.made["files"].append(done.result["file"])

    async def _free_file(self, name: str) -> str:
        taken = {one.name.casefold() for one in await self._doing.read(stored_files.all_files)}
        stem, dot, ending = name.rpartition(".")
        number, free = 2, name
        while free.casefold() in taken:
            free, number = f"{stem}_{number}{dot}{ending}", number + 1
        return free

    async def _computed(self, row: Mapping[str, Any]) -> None:
        kind, wanted = str(row["kind"]), str(row["name"])
        choices = self._own({key: value for key, value in row.items() if key not in ("kind", "name")})
        full = fill(COMPUTED[kind].fields, choices).choices

        def ask(session: Session) -> tuple[bool, set[str]]:
            rows = stored_computed.all_computed(session)
            same = any(one.name == wanted and one.kind == kind and one.choices == full for one in rows)
            return same, {one.name for one in rows}

        same, there = await self._doing.read(ask)
        if same:
            # It is computed already, just so.
            return
        free = unused(wanted, self._doing.runtime.names_taken() | there)
        done = await self._do(computed_setup.NEW_COMPUTED, kind=kind, name=free, choices=choices)
        self.names[wanted] = free
        self.made["computed"].append(done.result["computed"])

    async def _instrument(self, part: StarterInstrument, choices: Mapping[str, Any]) -> None:
        done = await self._do(
            computed_setup.NEW_INSTRUMENT, kind=part.kind, choices=with_names(dict(choices), self.names)
        )
        name = self.names[part.name] = str(done.result["instrument"])
        self.made["instruments"].append(name)
        for command in part.then:
            answered = lines_of(self._found.answers.get(command.each, "")) if command.each else [""]
            for one in answered:
                here = {**self._found.answers, command.each: one}
                given = with_names(with_answers(command.given, here), self.names)
                wished = {"instrument": name, "command": command.name, **given}
                await perform(self._doing, replace(values.COMMAND, takes_back=False), wished)

    async def _overlay(self) -> None:
        if self._starter.overlay is None:
            return
        told = self._starter.overlay
        # A starter decides what its maker was asked; old values are dimmed unless it says otherwise.
        pieces = tuple(piece_of({"when_old": "dim", **self._own(one)}) for one in told.pieces)
        done = self._note(
            await add_overlay(self._doing, told.name, Overlay(told.width_px, told.height_px, pieces), free=True)
        )
        self.made["overlay"] = done.result["overlay"]

    async def _buttons(self) -> None:
        if not self._starter.leaf:
            return
        present = self._doing.runtime.leaves.present
        by_name = {one.name.casefold(): one for one in present.leaves}
        number, wanted = 2, self._starter.leaf
        while (leaf := by_name.get(wanted.casefold())) and len(leaf.buttons) > MOST_BUTTONS - ROOM_FOR_BUTTONS:
            wanted, number = f"{self._starter.leaf} {number}", number + 1
        leaf_id = leaf.id if leaf else ""
        if leaf is None:
            leaf_id = str((await perform(self._doing, _NEW_LEAF, {"name": wanted})).result["leaf"])
            self.undo.append(Call("leaf.remove", {"leaf": leaf_id}))
        before = {one.id for one in leaf.buttons} if leaf else set()
        for name in self._starter.buttons_of:
            await perform(self._doing, _LAY_SET, {"leaf": leaf_id, "instrument": self.names.get(name, name)})
        if leaf is not None:
            laid = self._doing.runtime.leaves.present.leaf(leaf_id).buttons
            self.undo += [Call("button.remove", {"button": one.id}) for one in laid if one.id not in before]
        self.made["leaf"] = leaf_id


_NEW_LEAF = replace(TAKES_BACK["leaf.new"], takes_back=False)
_LAY_SET = replace(TAKES_BACK["button.lay_set"], takes_back=False)


def piece_of(row: Mapping[str, Any]) -> Piece:
    """A piece with these choices. Raises InvalidPiece."""
    choices = {key: value for key, value in row.items() if key != "kind"}
    return new_piece(str(row["kind"]), new_id(), **choices)


def _picked(way: StarterWay, given: Given, answers: Answers) -> Recipe:
    """The recipe of a way, with the value that was chosen in what came, and the units that were answered."""
    assert way.recipe is not None
    path = str(given.get(PICK, "")).strip()
    signals = []
    for one in way.recipe.signals:
        unit = str(with_answers(way.units.get(one["name"], ""), answers))
        at = path if path and one["name"] == way.pick else one["path"]
        signals.append({**one, "path": at, "unit": unit})
    return replace(way.recipe, signals=signals)


async def _use(doing: Doing, given: Given) -> Done:
    starter = read_starter(given["starter"])
    answers = given["answers"]
    found = checked(starter, given["way"], answers, doing.runtime.preferences.zone)
    making = _Making(doing, starter, found)
    try:
        await making.all(answers)
    except (InvalidPiece, TesouraError, ValueError) as error:
        await take_steps(doing, list(reversed(making.undo)))
        if isinstance(error, RecipeRefused):
            raise
        raise RecipeRefused(f"It couldn't be created, and nothing was changed: {error}") from error
    if not is_shipped(given["starter"]) and making.made["instruments"]:
        # One that somebody else made does nothing in front of viewers before it is started here.
        await doing.write(lambda session: paused.add(session, (), making.made["instruments"]))
        await doing.runtime.paused.refresh()
    steps = [[one.action, dict(one.given)] for one in reversed(making.undo)]
    undo = Call("starter.take_back", {"steps": steps})
    return Done(f"“{starter.title}” is set up.", {**making.made, "steps": steps}, undo)


async def take_steps(doing: Doing, steps: list[Call]) -> list[Call]:
    """Do these, one after the other; what takes them back, in the order in which that is to be done."""
    back: list[Call] = []
    for one in steps:
        try:
            done = await perform(doing, replace(TAKES_BACK[one.action], takes_back=False), one.given)
        except Gone:
            # Somebody took it away by himself.
            continue
        if done.undo is not None:
            back.append(done.undo)
    return list(reversed(back))


def _calls(raw: object) -> list[Call]:
    if not isinstance(raw, list):
        raise InvalidField("Give a list of steps.")
    found = []
    for one in raw:
        if not (isinstance(one, list) and len(one) == 2 and one[0] in TAKES_BACK and isinstance(one[1], dict)):
            raise InvalidField("These are not the steps of a starter.")
        found.append(Call(one[0], one[1]))
    return found


async def _take_back(doing: Doing, given: Given) -> Done:
    back = await take_steps(doing, given["steps"])
    undo = Call("starter.take_back", {"steps": [[one.action, dict(one.given)] for one in back]})
    return Done("Everything the starter created was deleted or restored.", {"steps": undo.given["steps"]}, undo)


USE = Action(
    "starter.use",
    "Make all that a starter says",
    "Its feed, what is computed, instruments, overlay, buttons and files; `answers` to what it asks.",
    {
        "starter": Field("Starter, as TOML", text(MAX_CHARACTERS), kind="data"),
        "way": Field("Way", whole(0, 20), kind="number", default=0),
        "answers": Field("Answers", group, kind="data"),
    },
    _use,
    noted=True,
    may=SET_UP,
)
BACK = Action(
    "starter.take_back",
    "Undo a starter",
    "Or restores it, with the given steps.",
    {"steps": Field("Steps", _calls, kind="data")},
    _take_back,
    noted=True,
    may=SET_UP,
)

ALL = (USE, BACK)
