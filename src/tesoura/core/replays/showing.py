"""When a replay may be seen: held until it hides nothing, never two too close, a greater one before a smaller."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, replace

SHOWN_RECORD = "shown"
"""The record of a replay that was shown."""


@dataclass(frozen=True, slots=True)
class ShowRule:
    """How long there is at least between the end of one and the begin of the next; the longest one waits; how many may.

    All in µs but the last.
    """

    gap: int
    longest_wait: int
    most_waiting: int


@dataclass(frozen=True, slots=True)
class WaitingReplay:
    """One that waits: which, how great it is, since when, how long it takes to be shown. µs."""

    id: Hashable
    rank: tuple[int, ...]
    since: int
    length: int


@dataclass(frozen=True, slots=True)
class Verdict:
    """What became of one by now: it begins, or it does not, and why."""

    id: Hashable
    begins: bool
    at: int
    why: str = ""


TOO_MANY, WAITED_TOO_LONG, GONE = "the queue is full", "it waited too long", "voided"


@dataclass(frozen=True, slots=True)
class ReplayLine:
    """What waits, and what was shown last. `free` says that a replay would hide nothing now, `free_at` since when."""

    rule: ShowRule
    waiting: tuple[WaitingReplay, ...] = ()
    free_at: int | None = None
    ends_at: int | None = None
    """When the last that began is over; None for none yet."""

    def added(self, one: WaitingReplay) -> tuple[ReplayLine, list[Verdict]]:
        """With one more. Where too many wait, the least great of them does not any more; of two alike the later."""
        waiting = (*self.waiting, one)
        if len(waiting) <= self.rule.most_waiting:
            return replace(self, waiting=waiting), []
        least = min(waiting, key=lambda each: (each.rank, -each.since))
        rest = tuple(each for each in waiting if each is not least)
        return replace(self, waiting=rest), [Verdict(least.id, False, one.since, TOO_MANY)]

    def without(self, id: Hashable, at: int) -> tuple[ReplayLine, list[Verdict]]:
        """Without one that is wanted no more."""
        rest = tuple(one for one in self.waiting if one.id != id)
        told = [Verdict(id, False, at, GONE)] if len(rest) < len(self.waiting) else []
        return replace(self, waiting=rest), told

    def freed(self, free: bool, at: int) -> ReplayLine:
        """From now on a replay would hide nothing, or something."""
        if free is (self.free_at is not None):
            return self
        return replace(self, free_at=at if free else None)

    def next_change(self) -> int | None:
        """When one begins by itself, or has waited too long."""
        if not self.waiting:
            return None
        due = [one.since + self.rule.longest_wait for one in self.waiting]
        if self.free_at is not None:
            due.append(self._may_begin(min(one.since for one in self.waiting)))
        return min(due)

    def _may_begin(self, since: int) -> int:
        earliest = self.ends_at + self.rule.gap if self.ends_at is not None else since
        return max(earliest, self.free_at or 0, since)

    def advance(self, now: int) -> tuple[ReplayLine, list[Verdict]]:
        """It at this instant, and what became of those that waited, in the order in which it did."""
        it, told = self, list[Verdict]()
        while (at := it.next_change()) is not None and at <= now:
            late = [one for one in it.waiting if one.since + it.rule.longest_wait <= at]
            ready = [one for one in it.waiting if one not in late and one.since <= at]
            if it.free_at is not None and ready and it._may_begin(min(one.since for one in ready)) <= at:
                best = max(ready, key=lambda one: (one.rank, -one.since))
                rest = tuple(one for one in it.waiting if one is not best)
                it = replace(it, waiting=rest, ends_at=at + best.length)
                told.append(Verdict(best.id, True, at))
                continue
            rest = tuple(one for one in it.waiting if one not in late)
            told += [Verdict(one.id, False, at, WAITED_TOO_LONG) for one in late]
            it = replace(it, waiting=rest)
        return it, told
