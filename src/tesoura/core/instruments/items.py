"""Items of an instrument: rows with a form of their own, such as the fields of a wheel or the splits of a run.

They are changed by commands, which are in the log like all others: so an instrument that is read again from the log
has, at each place of it, the items that it had then.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tesoura.core.forms.checks import text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.forms.form import Fields, fill
from tesoura.core.instruments.commands import PLACE, Command, CommandKind
from tesoura.errors import CommandRefused, InvalidPiece

OWN = frozenset(("item", "at", "by", "id"))
"""What the commands to items are given beside an item's own fields."""


@dataclass(frozen=True, slots=True)
class InstrumentItem:
    """One row: its id, which it keeps for good, and its values by field."""

    id: str
    values: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class ItemForm:
    """What the items of a kind of instrument are: the words for one and several, their fields, the most there may be.

    The first field is what an item is called by.
    """

    word: str
    words: str
    fields: Fields
    most: int = 200
    about: str = ""

    def __post_init__(self) -> None:
        if taken := OWN & set(self.fields):
            raise ValueError(f"An item's field can't be called {', '.join(sorted(taken))}.")

    def called(self, item: InstrumentItem) -> str:
        """What an item is called by."""
        return str(item.values.get(next(iter(self.fields)), ""))[:60]

    def checked(self, typed: Mapping[str, Any]) -> dict[str, Any]:
        """The values of an item, each checked. Raises InvalidPiece, which names every one that is wrong."""
        filled = fill(self.fields, typed)
        wrong = dict(filled.wrong)
        known = ", ".join(self.fields)
        wrong |= {name: f"There is no such field. There are: {known}." for name in typed if name not in self.fields}
        if wrong:
            raise InvalidPiece(wrong)
        return dict(filled.choices)


@dataclass(frozen=True, slots=True)
class ItemStep:
    """What a command to the items leads to: the items after it, what is different then, and what goes into the log."""

    items: tuple[InstrumentItem, ...]
    effect: str
    given: Mapping[str, Any]
    undo: tuple[str, Mapping[str, Any]]
    """The command that takes it back, and what is given with it."""


_ITEM = {"item": Field("Which", text(40))}
COMMANDS = ADD, CHANGE, REMOVE, MOVE = "add_item", "change_item", "remove_item", "move_item"
_COMMANDS = {
    ADD: (
        "Add one",
        "At the end, or at position `at` (from 0).",
        {"at": Field("Place", whole(-1, 10_000), kind="number", default=-1)},
    ),
    CHANGE: ("Change one", "Values that are not given stay.", _ITEM),
    REMOVE: ("Remove one", "You can undo it.", _ITEM),
    MOVE: (
        "Move one",
        "Positions down, or up with a minus sign.",
        {**_ITEM, "by": Field("By", whole(-10_000, 10_000), kind="number", default=1)},
    ),
}


def commands_of(form: ItemForm) -> tuple[CommandKind, ...]:
    """The commands by which items are changed, as pages and scripts offer them."""
    return tuple(
        CommandKind(name, label, about, {**fields, **(form.fields if name in (ADD, CHANGE) else {})})
        for name, (label, about, fields) in _COMMANDS.items()
    )


def step(form: ItemForm, items: tuple[InstrumentItem, ...], command: Command) -> ItemStep | None:
    """What a command to the items leads to; None for a command that is none.

    While it is only being tried (its place in the log is 0) what is given is checked as it was typed; from the log it
    is taken as it was checked then. Raises CommandRefused or InvalidPiece.
    """
    if command.name not in _COMMANDS:
        return None
    return (_add if command.name == ADD else _other)(form, items, command)


def _values(form: ItemForm, command: Command, before: Mapping[str, Any]) -> dict[str, Any]:
    if command.seq:
        return dict(command.given.get("values", {}))
    typed = {name: value for name, value in command.given.items() if name not in OWN}
    return form.checked({**before, **typed})


def _add(form: ItemForm, items: tuple[InstrumentItem, ...], command: Command) -> ItemStep:
    if len(items) >= form.most:
        raise CommandRefused(f"There are {len(items)} {form.words} already, which is the maximum.")
    # One that was taken out comes back as itself.
    again = str(command.given.get("id") or "")[:40]
    item = InstrumentItem(again or f"i{command.seq or PLACE}", _values(form, command, {}))
    if any(one.id == item.id for one in items):
        raise CommandRefused(f"This {form.word} is there already.")
    at = int(command.given.get("at", -1))
    place = len(items) if at < 0 else min(at, len(items))
    given = {"values": dict(item.values), "at": place, **({"id": again} if again else {})}
    undo = (REMOVE, {"item": item.id})
    return ItemStep((*items[:place], item, *items[place:]), f"{form.called(item)} is added", given, undo)


def _other(form: ItemForm, items: tuple[InstrumentItem, ...], command: Command) -> ItemStep:
    wanted = str(command.given.get("item", ""))
    place = next((at for at, one in enumerate(items) if one.id == wanted), None)
    if place is None:
        raise CommandRefused(f"There is no such {form.word} any more. Reload the page.")
    item, rest = items[place], [*items[:place], *items[place + 1 :]]
    if command.name == REMOVE:
        undo = (ADD, {**item.values, "id": item.id, "at": place})
        return ItemStep(tuple(rest), f"{form.called(item)} was removed", {"item": item.id}, undo)
    if command.name == MOVE:
        by = int(command.given.get("by", 1))
        to = min(max(place + by, 0), len(rest))
        if to == place:
            raise CommandRefused(f"{form.called(item)} can't move further.")
        undo = (MOVE, {"item": item.id, "by": place - to})
        given = {"item": item.id, "by": by}
        return ItemStep((*rest[:to], item, *rest[to:]), f"place {place + 1} → {to + 1}", given, undo)
    changed = InstrumentItem(item.id, _values(form, command, item.values))
    given = {"item": item.id, "values": dict(changed.values)}
    undo = (CHANGE, {**item.values, "item": item.id})
    return ItemStep((*items[:place], changed, *items[place + 1 :]), f"{form.called(changed)} is changed", given, undo)


def saved(items: Sequence[InstrumentItem]) -> list[list[Any]]:
    """Items to be stored."""
    return [[one.id, dict(one.values)] for one in items]


def restored(raw: Sequence[Sequence[Any]]) -> tuple[InstrumentItem, ...]:
    """Items as they were stored."""
    return tuple(InstrumentItem(str(name), dict(values)) for name, values in raw)
