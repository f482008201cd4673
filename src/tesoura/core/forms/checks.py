"""Checks of what people type. Each gives the value, or says in one sentence what would be right."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any, TypeVar

from tesoura.core.instants import iso_instant
from tesoura.errors import InvalidField

MOST_PIECES = 30
Checked = TypeVar("Checked")


def whole(low: int, high: int) -> Callable[[object], int]:
    """A check for a whole number from `low` to `high`."""

    def check(raw: object) -> int:
        typed = str(raw).strip()
        try:
            number = float(typed)
        except ValueError:
            what = f"“{typed[:20]}” is not a number" if typed else "This is empty"
            raise InvalidField(f"{what}. Give a number from {low} to {high}.") from None
        if number != number or not low <= number <= high:
            raise InvalidField(f"{typed[:20]} is out of range. Give a number from {low} to {high}.")
        return round(number)

    return check


def choice(options: Sequence[str]) -> Callable[[object], str]:
    """A check for one of the options; case does not decide."""

    def check(raw: object) -> str:
        typed = str(raw).strip()
        for option in options:
            if option.casefold() == typed.casefold():
                return option
        raise InvalidField(f"“{typed[:40]}” is not one of these: {', '.join(options)}.")

    return check


def text(longest: int, empty: bool = False) -> Callable[[object], str]:
    """A check for a text of at most `longest` characters; its lines end in a plain line feed."""

    def check(raw: object) -> str:
        if isinstance(raw, list | tuple | Mapping):
            raise InvalidField("Give a text, not a list.")
        typed = str(raw).replace("\r\n", "\n").replace("\r", "\n")
        if len(typed) > longest:
            raise InvalidField(f"This has {len(typed):,} characters; at most {longest:,} fit.")
        if not empty and not typed.strip():
            raise InvalidField("This is empty. Enter a text.")
        return typed

    return check


def line(longest: int) -> Callable[[object], str]:
    """A check for one line that is not empty."""

    def check(raw: object) -> str:
        typed = " ".join(str(raw).split())
        if not typed:
            raise InvalidField("Enter a name.")
        if len(typed) > longest:
            raise InvalidField(f"This has {len(typed)} characters; at most {longest} fit.")
        return typed

    return check


_TIME = re.compile(r"(\d{1,2})[:.h](\d{2})(?:[:.](\d{2}))?")


def named_pieces(raw: object) -> str:
    """A check for pieces of overlays, each `overlay / piece` on a line of its own."""
    given = raw if isinstance(raw, list) else str(raw).splitlines()
    names = list(dict.fromkeys(" ".join(str(one).split())[:200] for one in given if str(one).strip()))
    if len(names) > MOST_PIECES:
        raise InvalidField(f"These are {len(names)} pieces; at most {MOST_PIECES} are allowed.")
    return "\n".join(names)


def named_scenes(raw: object) -> str:
    """A check for scenes, with commas between them."""
    given = raw if isinstance(raw, list) else str(raw).split(",")
    return ", ".join(dict.fromkeys(" ".join(str(one).split())[:80] for one in given if str(one).strip()))


def time_before(now: datetime) -> Callable[[object], datetime]:
    """A check for a time of day, `19:02` or `19:02:30`, in the zone of `now`: the last one that is not after `now`."""

    def check(raw: object) -> datetime:
        typed = str(raw).strip()
        found = _TIME.fullmatch(typed)
        parts = [int(part or 0) for part in found.groups()] if found else []
        if not parts or parts[0] > 23 or max(parts[1:]) > 59:
            raise InvalidField(f"“{typed[:20]}” is not a time of day. Write it as 19:02 or 19:02:30.")
        hour, minute, second = parts
        at = now.replace(hour=hour, minute=minute, second=second, microsecond=0)
        return at if at <= now else at - timedelta(days=1)

    return check


_COLOUR = re.compile(r"#?([0-9a-fA-F]{3}|[0-9a-fA-F]{6})")


def colour(raw: object) -> str:
    """A colour as `#RRGGBB` in capitals; `#RGB` is widened."""
    typed = str(raw).strip()
    found = _COLOUR.fullmatch(typed)
    if not found:
        raise InvalidField(f"“{typed[:20]}” is not a colour. Write six digits or letters a–f, such as #C23A22.")
    digits = found[1].upper()
    return "#" + (digits if len(digits) == 6 else "".join(digit * 2 for digit in digits))


def group(raw: object) -> dict[str, Any]:
    """A group of values by name. Raises InvalidField."""
    if raw in ("", None):
        return {}
    if not isinstance(raw, Mapping):
        raise InvalidField('Give an object, as in {"url": "http://127.0.0.1:5050/"}.')
    return dict(raw)


def instant(words: str) -> Callable[[object], datetime]:
    """Return a check for an instant with its zone, in ISO 8601; `words` say what to give instead."""

    def check(raw: object) -> datetime:
        at = iso_instant(str(raw))
        if at is None:
            raise InvalidField(words)
        return at

    return check


def optional(check: Callable[[object], Checked]) -> Callable[[object], Checked | None]:
    """Return a check that takes nothing for None."""
    return lambda raw: check(raw) if str(raw or "").strip() else None


INSTANT = instant("Write the time with its zone, such as 2026-11-26T19:02:00+00:00.")
