"""What was done lately and can be taken back: the last first, or any of it."""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

MOST = 50


@dataclass(frozen=True, slots=True)
class Undoable:
    """Something that was done: in words, when, by whom, and the action that takes it back.

    `target` is what it was done to, by the name of the parameter and its value; empty where it was to nothing by name.
    `stepwise` says that the action takes back the last step of its target, whichever that is.
    """

    words: str
    at: datetime
    actor: str
    action: str
    given: Mapping[str, Any]
    target: tuple[str, str] | None = None
    stepwise: bool = False
    number: int = 0


class UndoLine:
    """The last of what can be taken back, since the start."""

    def __init__(self) -> None:
        self._line: deque[Undoable] = deque(maxlen=MOST)
        self._number = 0

    def add(self, one: Undoable) -> int:
        """Add what was done; return its number."""
        self._number += 1
        self._line.append(replace(one, number=self._number))
        return self._number

    def all(self) -> Sequence[Undoable]:
        """All of it, the last first."""
        return list(reversed(self._line))

    def found(self, number: int) -> Undoable | None:
        """The one with this number; the last for 0."""
        return next((one for one in self.all() if number in (0, one.number)), None)

    def after(self, one: Undoable) -> Sequence[Undoable]:
        """What was done to the same target after it, the last first."""
        return [kept for kept in self.all() if one.target and kept.target == one.target and kept.number > one.number]

    def last(self) -> Undoable | None:
        """What would be taken back next."""
        return self._line[-1] if self._line else None

    def drop(self, one: Undoable) -> None:
        """It was taken back, or cannot be any more."""
        self._line = deque((kept for kept in self._line if kept is not one), maxlen=MOST)
