"""An event as computations take it: where it lies in time, and in the log."""

from __future__ import annotations

import unicodedata
from collections.abc import Mapping
from datetime import datetime, timedelta
from functools import lru_cache
from typing import NamedTuple

from tesoura.core.instants import EPOCH, stored_instant
from tesoura.core.language.graphemes import shortened
from tesoura.core.values import Event

MICRO = 1_000_000
MAX_NAME = 200
REMEMBERED = 4_096
"""The same few names come again and again, each several times an event: so many are cleaned once."""


class Occurrence(NamedTuple):
    """One event: when it happened (µs since 1970, never later than it was accepted), its place in the log, its data."""

    at: int
    seq: int
    type: str
    data: Mapping[str, object]
    source: str = ""


def micros(instant: datetime) -> int:
    """An aware instant as whole microseconds since 1970."""
    return (instant - EPOCH) // timedelta(microseconds=1)


def instant(at: int) -> datetime:
    """The aware instant so many microseconds after 1970; one that stands for damage where that is none."""
    return stored_instant(at)


def occurrence(event: Event, seq: int, accepted_at: datetime) -> Occurrence:
    """An event from the log. One that claims to be of the future happened when it was accepted."""
    return Occurrence(micros(min(event.time, accepted_at)), seq, event.type, event.data, event.source)


def field_of(data: Mapping[str, object], path: str) -> object:
    """What a plain or dotted path reaches in an event's data; None when there is nothing."""
    found: object = data.get(path)
    if found is None and "." in path:
        found = data
        for part in path.split("."):
            found = found.get(part) if isinstance(found, Mapping) else None
    return found


def amount_of(raw: object) -> int | None:
    """A number, or a text that is plainly one, in whole millionths, so that sums are exact in any order."""
    if isinstance(raw, str):
        try:
            raw = float(raw[:40]) if not raw.strip().lstrip("+-").isdecimal() else int(raw[:40])
        except ValueError:
            return None
    if isinstance(raw, int):
        return raw * MICRO if -(10**30) < raw < 10**30 else None
    if isinstance(raw, float) and -1e30 < raw < 1e30:
        return round(raw * MICRO)
    return None


def number(millionths: int) -> int | float:
    """Whole millionths as a number, whole where it is whole."""
    whole, rest = divmod(millionths, MICRO)
    return millionths / MICRO if rest else whole


def name_of(raw: object) -> str:
    """A name as it is shown: one line without what cannot be seen, at most 200 characters; empty for none."""
    if raw.__class__ is str:
        return _cleaned(raw[: 4 * MAX_NAME])
    if raw is None or isinstance(raw, Mapping | list):
        return ""
    return _cleaned(str(raw)[: 4 * MAX_NAME])


@lru_cache(maxsize=REMEMBERED)
def _cleaned(text: str) -> str:
    seen = "".join(char for char in text if char >= " " and char != "\x7f")
    return shortened(" ".join(seen.split()), MAX_NAME)


@lru_cache(maxsize=REMEMBERED)
def name_key(name: str) -> str:
    """What two ways of writing one name share: case and accents' encoding do not count; “Ana²” is not “Ana2”.

    Unicode's canonical caseless match (The Unicode Standard, D145): folding takes some letters apart, so they are put
    together again afterwards.
    """
    return unicodedata.normalize("NFC", unicodedata.normalize("NFD", name).casefold())
