"""An instrument after the computer's clock was set: every instant it holds moved, so that lengths of time go on."""

from __future__ import annotations

import copy
import re
from collections import deque
from collections.abc import Mapping
from dataclasses import fields, is_dataclass, replace
from datetime import datetime, timedelta
from typing import Any

_INSTANTS = range(1_400_000_000_000_000, 4_100_000_000_000_000)
"""Whole numbers so large are instants, in µs from 2014 to 2099: nothing that is counted comes near."""
_IN_TEXT = re.compile(r"(?<!\d)(?:\d{16}(?!\d)|\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d{1,6})?\+00:00)")
_CHOSEN = ("plan", "definition", "setup", "days")
"""The fields that hold what the user or the calendar chose: an instant there stays as it is."""


def shifted(value: Any, by: timedelta) -> Any:
    """Return a state with all instants in it moved: datetimes, and µs since 1970, also within texts.

    Goes through data classes, plain objects and collections. What the user chose stays, but for the session's start.
    """
    return _Shift(by).of(value)


class _Shift:
    def __init__(self, by: timedelta) -> None:
        self._by, self._us = by, by // timedelta(microseconds=1)

    def of(self, value: Any) -> Any:
        kind = value.__class__
        if kind is int:
            return value + self._us if value in _INSTANTS else value
        if kind is str:
            return _IN_TEXT.sub(self._text, value) if len(value) >= 16 else value
        if kind is datetime:
            return value + self._by
        if value is None or kind in (bool, float, bytes):
            return value
        return self._of_many(value)

    def _text(self, found: re.Match[str]) -> str:
        told = found[0]
        return str(self.of(int(told))) if told.isdecimal() else (datetime.fromisoformat(told) + self._by).isoformat()

    def _of_many(self, value: Any) -> Any:
        if isinstance(value, Mapping):
            return {self.of(key): self.of(one) for key, one in value.items()}
        if isinstance(value, tuple):
            parts = tuple(self.of(one) for one in value)
            return value._make(parts) if hasattr(value, "_make") else parts
        if isinstance(value, list):
            return [self.of(one) for one in value]
        if isinstance(value, set | frozenset):
            return value.__class__(self.of(one) for one in value)
        if isinstance(value, deque):
            return deque((self.of(one) for one in value), value.maxlen)
        if is_dataclass(value) and not isinstance(value, type):
            moved = {one.name: self._field(one.name, getattr(value, one.name)) for one in fields(value)}
            again = copy.copy(value)
            for name, one in moved.items():
                object.__setattr__(again, name, one)
            return again
        if value.__class__.__module__.startswith("tesoura.") and hasattr(value, "__dict__"):
            again = copy.copy(value)
            again.__dict__.update({name: self._field(name, one) for name, one in vars(value).items()})
            return again
        return value

    def _field(self, name: str, value: Any) -> Any:
        if name not in _CHOSEN:
            return self.of(value)
        began = getattr(value, "session_began", None)
        return replace(value, session_began=began + self._by) if isinstance(began, datetime) else value
