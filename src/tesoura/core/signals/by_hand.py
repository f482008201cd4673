"""Values set by hand: what may be set, and what a step leads to."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.core.values import MAX_NUMBER, Scalar, Wanted, as_scalar
from tesoura.errors import InvalidField, ValueRefused

TAKEN_KEYS = frozenset("gdfsiolprj/?.")
"""Keys that the pages use themselves."""


def number(raw: object) -> int | float:
    """A number, whole where it is whole, or InvalidField."""
    typed = str(raw).strip().replace("\u2212", "-").replace(" ", "")
    try:
        given = float(typed.replace(",", "."))
    except ValueError:
        raise InvalidField(f"“{typed[:20]}” is not a number." if typed else "This needs a number.") from None
    if not -MAX_NUMBER < given < MAX_NUMBER:
        raise InvalidField("The number has over 30 digits.")
    return int(given) if given.is_integer() else given


def key(raw: object) -> str:
    """One key of the keyboard, or none; InvalidField for one that is taken."""
    typed = str(raw).strip().lower()
    if len(typed) > 1:
        raise InvalidField("Give one letter, digit or sign.")
    if typed in TAKEN_KEYS and typed:
        raise InvalidField(f"“{typed}” is used by Tesoura's pages. Choose another.")
    return typed


def checked(choices: Mapping[str, Any], raw: object) -> Scalar:
    """The value that was given, as this one may have it. Raises InvalidField."""
    what = choices.get("what", "number")
    if what == "flag":
        words = str(raw).strip().casefold()
        if words in ("yes", "true", "on", "1"):
            return True
        if words in ("no", "false", "off", "0", ""):
            return False
        raise InvalidField("Give yes or no.")
    if what == "text":
        try:
            return as_scalar(str(raw), Wanted.TEXT)
        except ValueRefused as error:
            raise InvalidField(str(error)) from None
    given, low, high = number(raw), choices.get("low", -MAX_NUMBER), choices.get("high", MAX_NUMBER)
    if not low <= given <= high:
        raise InvalidField(f"{given} is out of range: {low} to {high}.")
    return given


def stepped(choices: Mapping[str, Any], present: Scalar | None, direction: int) -> Scalar:
    """The value one step up (1) or down (-1), kept within its bounds; a flag turns. Raises InvalidField for a text."""
    what = choices.get("what", "number")
    if what == "flag":
        return not present
    if what == "text":
        raise InvalidField("Text values have no steps. Set the text instead.")
    start = checked(choices, choices.get("start", 0)) if present is None else present
    assert not isinstance(start, str)
    value = round(start + direction * choices.get("step", 1), 9)
    value = min(max(value, choices.get("low", -MAX_NUMBER)), choices.get("high", MAX_NUMBER))
    return int(value) if float(value).is_integer() else value
