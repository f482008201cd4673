"""Instants of the log as the computer's clock tells them now: what was logged before it was set is moved with it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

REACH_US = 24 * 3_600 * 1_000_000
"""What was logged longer than this before the clock was set stays where it is: the clock may have been right then."""


@dataclass(frozen=True, slots=True)
class ClockSet:
    """The clock was set forward by so much (µs), at this place in the log, when it told `was_at` before."""

    seq: int
    by: int
    was_at: int


@dataclass(frozen=True, slots=True)
class ClockSets:
    """All that is known of the clock being set, in the order of the log."""

    sets: Sequence[ClockSet] = ()

    def __bool__(self) -> bool:
        return bool(self.sets)

    def now_at(self, seq: int, at: int) -> int:
        """Return an instant that was logged at this place, as the clock tells it now; µs since 1970."""
        for one in self.sets:
            if one.seq > seq and at > one.was_at - REACH_US:
                at += one.by
        return at

    def was_at(self, seq: int, at: int) -> int:
        """Return an instant of now as the clock told it at this place in the log: the other way round."""
        for one in reversed(self.sets):
            if one.seq <= seq or at - one.by > one.was_at:
                # It happened after the clock was set.
                break
            at -= one.by
        return at
