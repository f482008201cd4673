"""Routes: a game's ordered splits, in groups if wished; typed as lines, and as files (`docs/routes.md`)."""

from __future__ import annotations

import csv
import io
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from tesoura.core.values import from_json
from tesoura.errors import InvalidField

MOST_SPLITS, MOST_ROUTES, MOST_NAME, MOST_FILE = 500, 50, 200, 1_000_000
KIND, VERSION = "tesoura.route", 1
COLUMNS = ("split", "group")
_BULLETS = ("- ", "* ", "• ", "– ")


@dataclass(frozen=True, slots=True)
class RouteSplit:
    """One split: its id, which it keeps for good, its name and group, a picture's file, a saved game tied to it."""

    id: str
    name: str
    group: str = ""
    picture: str = ""
    save: str = ""


@dataclass(frozen=True, slots=True)
class Route:
    """A game's splits in order. Two may have the same name: their ids tell them apart."""

    id: str
    name: str
    splits: tuple[RouteSplit, ...] = ()

    def place(self, split_id: str) -> int | None:
        """Where a split stands, counted from 0; None when it is not there."""
        return next((at for at, one in enumerate(self.splits) if one.id == split_id), None)

    def split(self, split_id: str) -> RouteSplit | None:
        """One of its splits."""
        return next((one for one in self.splits if one.id == split_id), None)

    def with_splits(self, at: int, splits: Sequence[RouteSplit]) -> Route:
        """It with more splits from this place on. Raises InvalidField where that were too many."""
        if len(self.splits) + len(splits) > MOST_SPLITS:
            raise InvalidField(f"That were {len(self.splits) + len(splits)} splits; a route has {MOST_SPLITS} at most.")
        return replace(self, splits=(*self.splits[:at], *splits, *self.splits[at:]))


def tidy(raw: object, what: str = "A split") -> str:
    """A name as it is kept: without control characters, each space once. Raises InvalidField for none, or a long one.

    Letters of any script stay, with what joins emoji and turns the direction of writing.
    """
    kept = "".join(one if unicodedata.category(one) not in ("Cc", "Cs", "Zl", "Zp") else " " for one in str(raw))
    name = " ".join(kept.split())
    if not name:
        raise InvalidField(f"{what} needs a name.")
    if len(name) > MOST_NAME:
        raise InvalidField(f"“{name[:30]}…” has {len(name)} characters; a name has {MOST_NAME} at most.")
    return name


def lines_of(text: str) -> list[tuple[str, str]]:
    """Splits as they were typed or pasted, one a line: each with its group.

    A line that ends in a colon begins a group, an empty one ends it; a dash or a dot before a name falls away. Raises
    InvalidField, with the number of the line.
    """
    found, group = list[tuple[str, str]](), ""
    for number, line in enumerate(text.splitlines(), 1):
        words = line.strip()
        for mark in _BULLETS:
            words = words.removeprefix(mark).strip()
        if not words:
            group = ""
            continue
        try:
            if words.endswith(":") and words != ":":
                group = tidy(words[:-1], "A group")
            else:
                found.append((tidy(words), group))
        except InvalidField as error:
            raise InvalidField(f"Line {number}: {error}") from None
    if not found:
        raise InvalidField("Give at least one split, one a line.")
    return found


def route_file(route: Route, game: str) -> dict[str, Any]:
    """A route as a JSON file has it; pictures and saved games stay on their machine."""
    splits = [{"name": one.name, **({"group": one.group} if one.group else {})} for one in route.splits]
    return {"kind": KIND, "version": VERSION, "game": game, "name": route.name, "splits": splits}


def route_table(route: Route) -> list[tuple[str, str]]:
    """A route as the rows of a CSV file, below its columns."""
    return [(one.name, one.group) for one in route.splits]


def read_file(text: str) -> tuple[str, list[tuple[str, str]]]:
    """The name and the splits of a route's file, JSON or CSV. Raises InvalidField, which says what is wrong with it."""
    if len(text) > MOST_FILE:
        raise InvalidField(f"The file has {len(text):,} characters; a route's has {MOST_FILE:,} at most.")
    text = text.removeprefix("\ufeff")
    name, splits = _of_json(text) if text.lstrip().startswith(("{", "[")) else ("", _of_table(text))
    if not splits:
        raise InvalidField("The file has no splits.")
    if len(splits) > MOST_SPLITS:
        raise InvalidField(f"The file has {len(splits)} splits; a route has {MOST_SPLITS} at most.")
    return name, splits


def _of_json(text: str) -> tuple[str, list[tuple[str, str]]]:
    try:
        told = from_json(text)
    except ValueError:
        raise InvalidField("This is no whole JSON. Take the file that Tesoura gave, or a CSV file.") from None
    if not isinstance(told, Mapping) or told.get("kind") != KIND:
        raise InvalidField(f"This is not a route: its “kind” must be {KIND}.")
    if not isinstance(told.get("version"), int) or told["version"] > VERSION:
        raise InvalidField("This file was made by a newer Tesoura. Update Tesoura, then import it.")
    rows = told.get("splits")
    if not isinstance(rows, list) or not all(isinstance(one, Mapping) for one in rows):
        raise InvalidField("Its “splits” are no list of splits.")
    name = tidy(told["name"], "A route") if str(told.get("name") or "").strip() else ""
    return name, [_row(one.get("name", ""), one.get("group") or "", at) for at, one in enumerate(rows, 1)]


def _of_table(text: str) -> list[tuple[str, str]]:
    try:
        rows = [row for row in csv.reader(io.StringIO(text, newline=""), strict=True) if any(map(str.strip, row))]
    except csv.Error as error:
        raise InvalidField(f"Not valid CSV: {error}.") from None
    head = [one.strip().casefold() for one in rows[0]] if rows else []
    if COLUMNS[0] not in head:
        raise InvalidField("Its first line names the columns: “split”, and “group” if there are groups.")
    split, group = head.index(COLUMNS[0]), head.index(COLUMNS[1]) if COLUMNS[1] in head else -1
    cells = [(*row, *[""] * (len(head) - len(row))) for row in rows[1:]]
    return [_row(_plain(row[split]), _plain(row[group]) if group >= 0 else "", at) for at, row in enumerate(cells, 2)]


def _plain(cell: str) -> str:
    """A cell without the mark that keeps a spreadsheet from taking it for a formula."""
    return cell[1:] if cell[:1] == "'" and cell[1:2] in ("=", "+", "-", "@") else cell


def _row(name: object, group: object, at: int) -> tuple[str, str]:
    try:
        return tidy(name), tidy(group, "A group") if str(group).strip() else ""
    except InvalidField as error:
        raise InvalidField(f"Row {at}: {error}") from None
