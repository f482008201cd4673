"""What moves through Tesoura: values, readings, signals and their freshness."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Any

from tesoura.core.language.graphemes import shortened
from tesoura.errors import ValueRefused

Scalar = int | float | str | bool
Json = None | bool | int | float | str | list["Json"] | dict[str, "Json"]
"""What can be told to a page."""

MAX_TEXT = 2_000
"""Longest text a signal can hold, in characters; longer ones are cut and end in an ellipsis."""

MAX_NUMBER = 10**30
"""Largest size of a number anywhere in Tesoura."""


INSTANT = "instant"
"""The unit of a number that is an instant, in seconds since 1970; pages show it as a time."""

INSTRUMENT = "instrument:"
"""How the source of what an instrument tells begins; its name follows."""


class Freshness(StrEnum):
    """How far a value can be trusted to be of now."""

    LIVE = "live"
    LATE = "late"
    DOWN = "down"
    NEVER = "never"
    HELD = "held"

    @property
    def meaning(self) -> str:
        """The state in a sentence, for a tool tip or a screen reader."""
        return _MEANINGS[self]


_MEANINGS = {
    Freshness.LIVE: "came within its period",
    Freshness.LATE: "older than it should be",
    Freshness.DOWN: "its feed fails",
    Freshness.NEVER: "nothing has come yet",
    Freshness.HELD: "kept on purpose",
}


class Wanted(StrEnum):
    """What a signal's value must be."""

    NUMBER = "number"
    TEXT = "text"


@dataclass(frozen=True, slots=True)
class Reading:
    """One value seen outside. `name` is the whole signal name, `observed_at` an aware instant."""

    name: str
    value: Scalar
    observed_at: datetime


@dataclass(frozen=True, slots=True)
class Signal:
    """A signal as it stands: its value (None when nothing has come yet), unit, age and freshness."""

    name: str
    value: Scalar | None
    unit: str
    observed_at: datetime | None
    freshness: Freshness
    problem: str | None = None
    trail: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True, slots=True)
class Event:
    """Something that happened at a time; never changed once written. The pair `source` and `id` is unique.

    `cause` is the place in the log of what led to it; `actor` who did it: `desk`, `key:NAME`, `feed:NAME`, `page:ID`.
    """

    id: str
    source: str
    type: str
    time: datetime
    data: Mapping[str, object]
    subject: str | None = None
    cause: int | None = None
    actor: str | None = None


def as_scalar(value: object, wanted: Wanted | None = None) -> Scalar:
    """The value as a signal can hold it.

    A text that is plainly a number ("1284", "-0.5") becomes one where a number is wanted. Raises ValueRefused for
    lists, objects, null, numbers that are not finite, and text where a number is needed.
    """
    if value.__class__ is int and wanted is None and -MAX_NUMBER < value < MAX_NUMBER:
        return value
    if isinstance(value, bool):
        if wanted is Wanted.NUMBER:
            raise ValueRefused(
                f"{_shown(value)} is yes or no, and a number is needed. Pick another value, or take it as text."
            )
        return value
    if isinstance(value, (int, float)):
        # Compared before anything else: a number of a thousand digits cannot even be asked whether it is finite.
        if not -MAX_NUMBER < value < MAX_NUMBER:
            raise ValueRefused("The number is not one that can be shown: it is infinite, undefined or over 30 digits.")
        return value if wanted is not Wanted.TEXT else str(value)
    if isinstance(value, str):
        return _number_in(value) if wanted is Wanted.NUMBER else _one_text(value)
    what = {type(None): "nothing (null)", list: "a list", dict: "a group of values"}.get(type(value), "not a value")
    raise ValueRefused(f"This is {what}, not a single number or text. Pick a value inside it.")


def scalars(data: Mapping[str, object]) -> Iterator[tuple[str, Scalar]]:
    """The fields of an event's data that a signal can hold."""
    for key, value in data.items():
        try:
            yield key, as_scalar(value)
        except ValueRefused:
            continue


def _number_in(text: str) -> int | float:
    try:
        number = int(text) if len(text) < 32 and text.strip().lstrip("+-").isdecimal() else float(text[:64])
    except ValueError:
        raise ValueRefused(
            f"{_shown(text)} is text, and a number is needed. Pick another value, or take it as text."
        ) from None
    return as_scalar(number)  # type: ignore[return-value]


def _one_text(text: str) -> str:
    if len(text) <= MAX_TEXT and text.isprintable():
        return text
    clean = "".join(char for char in text if char >= " " or char in "\n\t").replace("\x7f", "")
    return shortened(clean, MAX_TEXT)


def _shown(value: object) -> str:
    text = str(value)
    return f"“{text if len(text) <= 40 else text[:39] + '…'}”"


def from_json(body: str | bytes, on_no_number: Callable[[str], Any] = lambda _: None) -> Any:
    """What a JSON text from outside holds, its texts whole; `on_no_number` says what NaN and Infinity come to.

    The one way in for JSON that somebody else wrote. Raises ValueError, for one nested too deep as well.
    """
    try:
        text = whole_text(body if isinstance(body, str) else body.decode(json.detect_encoding(body), "surrogatepass"))
        found = json.loads(text, parse_constant=on_no_number)
        # Only an escape can still leave half a pair; looking costs less than mending.
        return whole_text(found) if "\\u" in text else found
    except RecursionError:
        raise ValueError("It is nested too deep.") from None


def whole_text(value: Any) -> Any:
    """The same with every half of a character pair, such as a cut emoji leaves, replaced: nothing can keep one.

    Goes through lists and groups of values.
    """
    if isinstance(value, str):
        return value if value.isascii() else value.encode("utf-16", "surrogatepass").decode("utf-16", "replace")
    if isinstance(value, list):
        return [whole_text(one) for one in value]
    if isinstance(value, dict):
        return {whole_text(name): whole_text(one) for name, one in value.items()}
    return value
