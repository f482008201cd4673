"""What was done lately and can be taken back: the last first, one press each."""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

MOST = 20


@dataclass(frozen=True, slots=True)
class Undoable:
    """Something that was done: in words, when, by whom, and the action that takes it back."""

    words: str
    at: datetime
    actor: str
    action: str
    given: Mapping[str, Any]


class UndoLine:
    """The last of what can be taken back, since the start."""

    def __init__(self) -> None:
        self._line: deque[Undoable] = deque(maxlen=MOST)

    def add(self, one: Undoable) -> None:
        """Something was done."""
        self._line.append(one)

    def last(self) -> Undoable | None:
        """What would be taken back next."""
        return self._line[-1] if self._line else None

    def drop(self, one: Undoable) -> None:
        """It was taken back, or cannot be any more."""
        self._line = deque((kept for kept in self._line if kept is not one), maxlen=MOST)
