"""Picking signals' values out of a payload, by JMESPath."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache
from typing import Any

import jmespath

from tesoura.core.values import Reading, Scalar, Wanted, as_scalar
from tesoura.errors import NothingPicked, ValueRefused

MAX_PATH = 500
_PLAIN = re.compile(r'(?:[A-Za-z_]\w*|"[^"\\]*"|@)(?:\.(?:[A-Za-z_]\w*|"[^"\\]*")|\[-?\d{1,6}\])*')
"""Paths that only go down, by names and places: what they cost is bounded by their length."""


def is_plain(path: str) -> bool:
    """Whether a path only goes down. All others are followed in a process of their own, with bounds."""
    return not path.strip() or _PLAIN.fullmatch(path.strip()) is not None


@dataclass(frozen=True, slots=True)
class Pick:
    """Where in the payload a signal's value is."""

    name: str
    path: str
    wanted: Wanted
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Picked:
    """The readings that a payload gave, and why others are missing, by signal."""

    readings: tuple[Reading, ...] = ()
    problems: dict[str, str] = field(default_factory=dict)


@lru_cache(maxsize=512)
def _compiled(path: str) -> Any:
    return jmespath.compile(path)


def search(payload: object, path: str) -> Any:
    """What a JMESPath reaches, None when that is nothing. Raises NothingPicked when it is no JMESPath."""
    if len(path) > MAX_PATH or not path.strip():
        raise NothingPicked("Give a path of at most 500 characters, or click a value in the response.")
    try:
        found = _compiled(path).search(payload)
    except Exception as error:
        # Whatever the library makes of a path that somebody typed, it is the path that is wrong.
        brief = str(error).split("\n", 1)[0][:160]
        raise NothingPicked(f"Not a valid JMESPath: {brief}. Click a value in the response to fill it in.") from None
    if isinstance(found, Mapping | list | str | int | float | None):
        return found
    raise NothingPicked(f"“{path[:80]}” matches no value. Click one in the response.")


def pick_value(payload: object, path: str, wanted: Wanted | None) -> Scalar:
    """The value that a path reaches. Raises NothingPicked."""
    found = search(payload, path)
    if found is None:
        raise NothingPicked(f"“{path}” matches nothing in the response. Click the value you want.")
    try:
        return as_scalar(found, wanted)
    except ValueRefused as error:
        raise NothingPicked(f"At “{path}”: {error}") from None


def pick(payload: object, picks: Sequence[Pick], now: datetime) -> Picked:
    """All signals' values from one payload; one that cannot be had does not keep the others away."""
    readings, problems = [], {}
    for one in picks:
        try:
            readings.append(Reading(one.name, pick_value(payload, one.path, one.wanted), now))
        except NothingPicked as error:
            problems[one.name] = str(error)
    return Picked(tuple(readings), problems)
