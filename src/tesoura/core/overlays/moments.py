"""Moments: what is shown once and gone. They wait their turn, one after another on each piece, and can be skipped."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

MAX_WAITING = 40
"""The most moments that wait for one piece; a further one is dropped, and the drop told."""
GAP = timedelta(milliseconds=400)
TROUBLE = "tesoura.page_trouble"
"""An event that tells that a viewers' page of an `overlay` cannot show something: what it is `of`, and `why`."""


@dataclass(frozen=True, slots=True)
class Moment:
    """One showing: on which piece (`key` is `overlay/piece`), which words, for how long, of which event in the log."""

    number: int
    key: str
    text: str
    for_s: float
    seq: int
    type: str


@dataclass(slots=True)
class _Stage:
    waiting: list[Moment]
    showing: Moment | None = None
    until: datetime | None = None


class Moments:
    """What waits and what shows, piece by piece."""

    def __init__(self) -> None:
        self._stages: dict[str, _Stage] = {}
        self._number = 0
        self.held = False
        """While they are held, none begins; what shows ends when its time is over."""

    def add(self, key: str, text: str, for_s: float, seq: int, kind: str, alone: bool = False) -> Moment | None:
        """Let a moment wait for its turn; None when too many wait already.

        One that is `alone` takes the place of those that wait for the same piece.
        """
        stage = self._stages.setdefault(key, _Stage([]))
        if alone:
            stage.waiting.clear()
        if len(stage.waiting) >= MAX_WAITING:
            return None
        self._number += 1
        moment = Moment(self._number, key, text, for_s, seq, kind)
        stage.waiting.append(moment)
        return moment

    def skip(self, number: int, now: datetime) -> Moment | None:
        """Take a moment that still waits out of the line, or let the one that shows end now."""
        for stage in self._stages.values():
            if stage.showing is not None and stage.showing.number == number:
                stage.until = now
                return stage.showing
            for moment in stage.waiting:
                if moment.number == number:
                    stage.waiting.remove(moment)
                    return moment
        return None

    def forget(self, keys: Iterable[str]) -> None:
        """These pieces are gone, and what waited for them."""
        for key in keys:
            self._stages.pop(key, None)

    def waiting(self) -> list[Moment]:
        """All that waits, in the order in which it was added."""
        return sorted((one for stage in self._stages.values() for one in stage.waiting), key=lambda one: one.number)

    def showing(self) -> list[Moment]:
        """All that shows now."""
        return [stage.showing for stage in self._stages.values() if stage.showing]

    def step(self, now: datetime) -> Iterator[tuple[str, Moment | None]]:
        """What changes by now: each key with the moment that begins there, or None for one that ends."""
        for key, stage in self._stages.items():
            if stage.until is not None and now >= stage.until:
                if stage.showing is not None:
                    stage.showing, stage.until = None, now + GAP
                    yield key, None
                else:
                    stage.until = None
            if stage.until is None and stage.waiting and not self.held:
                moment = stage.showing = stage.waiting.pop(0)
                stage.until = now + timedelta(seconds=moment.for_s)
                yield key, moment

    def end(self, now: datetime) -> list[str]:
        """End those whose time is over, and begin none; the keys of those that ended."""
        over = [
            key
            for key, stage in self._stages.items()
            if stage.showing is not None and stage.until is not None and now >= stage.until
        ]
        for key in over:
            self._stages[key].showing, self._stages[key].until = None, now + GAP
        return over

    def shift(self, by: timedelta) -> None:
        """The computer's clock was set: what shows goes on for as long as it would have."""
        for stage in self._stages.values():
            if stage.until is not None:
                stage.until += by

    def next_change(self) -> datetime | None:
        """When the next one begins or ends by itself."""
        return min((stage.until for stage in self._stages.values() if stage.until is not None), default=None)
