"""Items of an instrument: rows with a form of their own, such as the fields of a wheel or the splits of a run.

They are changed by commands, which are in the log like all others: so an instrument that is read again from the log
has, at each place of it, the items that it had then.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tesoura.core.forms.checks import text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.forms.form import Fields, fill
from tesoura.core.forms.meanwhile import marks_of
from tesoura.core.instruments.commands import PLACE, Command, CommandKind
from tesoura.core.values import from_json
from tesoura.errors import ChangedMeanwhile, CommandRefused, InvalidField, InvalidPiece

OWN = frozenset(("item", "items", "at", "by", "id", "opened_with"))
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
    times: str = ""
    """The field that a number after an asterisk goes into where rows are pasted, as in `tea * 5`."""

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
COMMANDS = ADD, CHANGE, REMOVE, MOVE, SET = "add_item", "change_item", "remove_item", "move_item", "set_items"
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
    SET: (
        "Set all",
        "All rows in their order, as a list. A row with an `id` changes that one; rows that are missing are removed.",
        {"items": Field("Rows", lambda rows: rows)},
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
    if command.name == SET:
        return _set(form, items, command)
    return (_add if command.name == ADD else _other)(form, items, command)


def _values(form: ItemForm, command: Command, before: Mapping[str, Any]) -> dict[str, Any]:
    if command.seq:
        return dict(command.given.get("values", {}))
    typed = {name: value for name, value in command.given.items() if name not in OWN}
    return form.checked({**before, **typed})


_NUMBER = whole(-1000, 1000)
"""A place, or by how many places an item moves."""


def _add(form: ItemForm, items: tuple[InstrumentItem, ...], command: Command) -> ItemStep:
    if len(items) >= form.most:
        raise CommandRefused(f"There are {len(items)} {form.words} already, which is the maximum.")
    # One that was taken out comes back as itself.
    again = str(command.given.get("id") or "")[:40]
    item = InstrumentItem(again or f"i{command.seq or PLACE}", _values(form, command, {}))
    if any(one.id == item.id for one in items):
        raise CommandRefused(f"This {form.word} is there already.")
    at = _NUMBER(command.given.get("at", -1))
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
        by = _NUMBER(command.given.get("by", 1))
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


def marks(items: Sequence[InstrumentItem]) -> dict[str, str]:
    """Return what tells whether rows were changed after a page was opened."""
    return marks_of({"items": saved(items)})


def _set(form: ItemForm, items: tuple[InstrumentItem, ...], command: Command) -> ItemStep:
    if command.seq:
        rows = command.given["rows"]
        return ItemStep(_numbered(rows, command.seq), "", command.given, (SET, {}))
    _refuse_old(form, items, command.given)
    rows, wrong = [], dict[str, str]()
    known = {one.id: one.values for one in items}
    for at, row in enumerate(_rows(form, known, command.given.get("items"))):
        own = (row.get("id") or "")[:40]
        key = own or f"new{at}"
        own = "" if own.startswith("new") else own
        typed = {name: value for name, value in row.items() if name != "id"}
        try:
            rows.append((own, form.checked({**known.get(own, {}), **typed})))
        except InvalidPiece as error:
            wrong |= {f"items.{key}.{name}": words for name, words in error.wrong.items()}
    if wrong:
        raise InvalidPiece(wrong)
    kept = [own for own, _ in rows if own]
    if len(set(kept)) < len(kept):
        raise CommandRefused(f"A {form.word} is listed twice. Reload the page.")
    if len(rows) > form.most:
        raise CommandRefused(f"{len(rows)} {form.words} are too many: the maximum is {form.most}. Remove some.")
    before = [{**one.values, "id": one.id} for one in items]
    after = _numbered(rows, PLACE)
    return ItemStep(after, _difference(form, items, after), {"rows": rows}, (SET, {"items": before}))


def _numbered(rows: Sequence[Sequence[Any]], place: int | str) -> tuple[InstrumentItem, ...]:
    """Return rows as items; a new one gets its id from its place in the log and among the rows."""
    return tuple(InstrumentItem(str(own or f"i{place}-{at}"), dict(row)) for at, (own, row) in enumerate(rows))


def _refuse_old(form: ItemForm, items: tuple[InstrumentItem, ...], given: Mapping[str, Any]) -> None:
    """Refuse what was written on a page opened before somebody else changed the rows."""
    opened = given.get("opened_with")
    try:
        was = from_json(opened) if isinstance(opened, str) and opened else opened
    except ValueError:
        was = None
    if isinstance(was, Mapping) and was != (now := marks(items)):
        raise ChangedMeanwhile(
            {"": f"The {form.words} were changed in another window. Save again to keep yours, or reload."}, now
        )


def _rows(form: ItemForm, known: Container[Any], given: Any) -> list[Mapping[str, Any]]:
    rows = given or []
    if not isinstance(rows, list) or not all(isinstance(row, Mapping) for row in rows):
        raise InvalidField(f"Send a list of {form.words}, each with its values by name.")
    if not all(isinstance(row.get("id") or "", str) for row in rows):
        raise InvalidField(f"The id of a {form.word} is text. Leave it out for a new one.")
    return [row for row in rows if (row.get("id") or "") in known or not _is_blank(form, row)]


def _is_blank(form: ItemForm, row: Mapping[str, Any]) -> bool:
    """Whether nothing was typed into a new row, as into the last one of a table."""
    strange = row.keys() - form.fields.keys() - {"id"}
    return not strange and all(
        str(row.get(name, "")).strip() in ("", str(one.default)) for name, one in form.fields.items()
    )


def _difference(form: ItemForm, before: Sequence[InstrumentItem], after: Sequence[InstrumentItem]) -> str:
    """Return what is different, in words: `2 added, 1 changed`. Raises CommandRefused when nothing is."""
    was = {one.id: dict(one.values) for one in before}
    stays = [one for one in after if one.id in was]
    counts = {
        "added": len(after) - len(stays),
        "changed": sum(was[one.id] != dict(one.values) for one in stays),
        "removed": len(before) - len(stays),
    }
    words = [f"{count} {what}" for what, count in counts.items() if count]
    order = [one.id for one in before if one.id in {own.id for own in stays}]
    if order != [one.id for one in stays]:
        words.append("order changed")
    if not words:
        raise CommandRefused("Nothing was changed.")
    return f"{form.words.capitalize()}: {', '.join(words)}"


_TIMES = re.compile(r"(?P<words>.*\S)\s*[*×]\s*(?P<count>[0-9]+(?:[.,][0-9]+)?)")


def rows_from_text(form: ItemForm, pasted: str) -> list[dict[str, str]]:
    """Return the rows of a pasted table: a row per line, its cells in the order of the fields.

    Cells are set apart by tabs where the text has some, else by commas as CSV has them; a first line of field labels
    says which is which. `tea * 5` is one cell and a number for the field that `times` names.
    """
    lines = [line for line in pasted.splitlines() if line.strip()]
    if any("\t" in line for line in lines):
        cells = [line.split("\t") for line in lines]
    else:
        cells = [[cell.strip() for cell in row] for row in csv.reader(lines, skipinitialspace=True)]
    columns = list(form.fields)
    labels = {label.casefold(): name for name, one in form.fields.items() for label in (name, one.label)}
    if cells and len(cells) > 1 and all(cell.strip().casefold() in labels for cell in cells[0]):
        columns = [labels[cell.strip().casefold()] for cell in cells.pop(0)]
    return [_row(form, columns, row) for row in cells]


def _row(form: ItemForm, columns: Sequence[str], cells: Sequence[str]) -> dict[str, str]:
    row = {name: cell.strip() for name, cell in zip(columns, cells, strict=False) if cell.strip()}
    first = columns[0]
    if form.times and form.times not in row and (found := _TIMES.fullmatch(row.get(first, ""))):
        row |= {first: found["words"], form.times: found["count"]}
    return row


def saved(items: Sequence[InstrumentItem]) -> list[list[Any]]:
    """Items to be stored."""
    return [[one.id, dict(one.values)] for one in items]


def restored(raw: Sequence[Sequence[Any]]) -> tuple[InstrumentItem, ...]:
    """Items as they were stored."""
    return tuple(InstrumentItem(str(name), dict(values)) for name, values in raw)
