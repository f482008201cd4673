"""Fields: choices that can be made, each with its label, its unit, how it is asked for, and its check."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tesoura.core.forms.checks import choice, colour, whole
from tesoura.errors import InvalidField, InvalidPiece

Options = Sequence[tuple[str, str]]
"""What can be chosen: each value, and its words."""


@dataclass(frozen=True, slots=True)
class Field:
    """One choice: of a piece, a look, an instrument, a computed signal or a feed. Its name is its key among the others.

    `check` turns what was typed into a value or raises InvalidField; it is all there is between what was typed and what
    is kept. `kind` is how a form asks, by the template `fields/<kind>.html`, or as a line where there is none: `line`,
    `area`, `wide`, `number`, `choice`, `several`, `ordered`, `switch`, `colour`, `secret`, `wording`, `formula`,
    `instant`, `typeface`, `weight`, `look`; or one of those that offer what there is: `overlay`, `piece`, `feed`,
    `command`, `signal`, `ranking`, `event`, `events`, `datum` (a field of events' data), `seen` (what they told in
    the field `of`, as `kill.tags`), `picture`, `video`, `sound`, `scene`, `program`, `instrument` (`of` is its kind).
    A `wording` that is `of` something offers what instruments name under that word.
    `only_if` names another field and the values of it with which this one plays a part; `advanced` ones are folded
    away. `group` is the heading it stands under. What is chosen in a `private` one is its owner's alone, though no
    secret: a folder of his, an address that opens for whoever has it.
    """

    label: str
    check: Callable[[object], Any]
    unit: str = ""
    default: Any = ""
    kind: str = "line"
    options: Options = ()
    group: str = ""
    least: int | None = None
    most: int | None = None
    only_if: tuple[str, Sequence[str]] | None = None
    of: str = ""
    help: str = ""
    placeholder: str = ""
    advanced: bool = False
    private: bool = False
    person: bool = False
    """Whether this holds a person's name, which somebody who imports it must replace."""

    def plays(self, values: Mapping[str, Any]) -> bool:
        """Whether this choice plays a part, with these values."""
        return self.only_if is None or str(values.get(self.only_if[0], "")) in self.only_if[1]

    def brief(self, value: object) -> str:
        """A value of this field in a few words."""
        if self.kind == "choice" and (words := dict(self.options).get(str(value))):
            return words
        if self.kind == "switch":
            return "yes" if value == "yes" else "no"
        shown = str(value).replace("\n", " ⏎ ")
        shown = shown if len(shown) <= 48 else shown[:47] + "…"
        return f"“{shown}”" if isinstance(value, str) and not shown.startswith("#") else shown


def checked(fields: Mapping[str, Field], given: Mapping[str, object]) -> dict[str, Any]:
    """The values, each checked by its field. Raises InvalidPiece that names every one that is wrong."""
    good: dict[str, Any] = {}
    wrong: dict[str, str] = {}
    for name, raw in given.items():
        try:
            good[name] = fields[name].check(raw)
        except InvalidField as error:
            wrong[name] = str(error)
    if wrong:
        raise InvalidPiece(wrong)
    return good


def number(label: str, low: int, high: int, default: int, unit: str = "", **more: Any) -> Field:
    """A field for a whole number."""

    return Field(label, whole(low, high), unit, default, "number", least=low, most=high, **more)


def one_of(label: str, options: Options, default: str, **more: Any) -> Field:
    """A field for one of several options, each a value and its words."""

    return Field(label, choice([value for value, _ in options]), "", default, "choice", options, **more)


def switch(label: str, default: str = "yes", **more: Any) -> Field:
    """A field that is on or off."""

    return Field(label, choice(["yes", "no"]), "", default, "switch", **more)


def hue(label: str, default: str, **more: Any) -> Field:
    """A field for a colour."""

    return Field(label, colour, "", default, "colour", **more)
