"""Stretches of time: days in the user's zone, when a clock ran, how much of it lies where. All in µs."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime, time, timedelta, tzinfo
from typing import Any

from tesoura.core.computed.occurrence import instant, micros
from tesoura.core.instants import EPOCH
from tesoura.core.instruments.statistics.tally import PAUSE, RESUME, TallyMark

SAME_END_US = 60_000_000
"""Two sources that tell of ends so close to each other tell of one match."""

Span = tuple[int, int]
"""From when to when, µs."""


class Days:
    """Where days begin in the user's zone; the last one looked up is remembered."""

    def __init__(self, zone: tzinfo) -> None:
        self._zone = zone
        self._from = self._to = 0

    def began(self, at: int) -> int:
        """The first instant of the day of this one."""
        if not self._from <= at < self._to:
            day = instant(at).astimezone(self._zone).date()
            self._from, self._to = (self._midnight(day + timedelta(days=more)) for more in (0, 1))
        return self._from

    def ends(self, at: int) -> int:
        """The first instant of the day after."""
        self.began(at)
        return self._to

    def _midnight(self, day: Any) -> int:
        return micros(datetime.combine(day, time(), self._zone).astimezone(EPOCH.tzinfo))


def clock_spans(began: int, until: int, pauses: Iterable[TallyMark]) -> list[Span]:
    """When a clock ran between two instants that stood still from each pause to the next going on."""
    found: list[Span] = []
    on: int | None = began
    for mark in pauses:
        if mark.what == PAUSE and on is not None:
            found.append((on, min(mark.at, until)))
            on = None
        elif mark.what == RESUME and on is None:
            on = mark.at
    return [*found, (on, until)] if on is not None and on <= until else found


def within(spans: Iterable[Span], since: int, until: int) -> int:
    """How much of these spans lies between two instants, µs."""
    return sum(max(min(off, until) - max(on, since), 0) for on, off in spans)


def overlap(one: tuple[int, int], other: tuple[int, int]) -> bool:
    """Whether two spans are of about the same time: they share half of the shorter, or end together."""
    if abs(one[1] - other[1]) <= SAME_END_US:
        return True
    shared = min(one[1], other[1]) - max(one[0], other[0])
    return 2 * shared > min(one[1] - one[0], other[1] - other[0]) > 0
