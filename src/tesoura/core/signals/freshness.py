"""How fresh feeds and signals are, and when that changes by itself."""

from __future__ import annotations

import heapq
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from tesoura.core.signals.trails import Trail
from tesoura.core.values import Freshness


def patience(period_s: float) -> timedelta:
    """How old a value may be and still be live: two periods and a second."""
    return timedelta(seconds=2 * period_s + 1)


OLD_AFTER = 5
"""A value becomes old after this many intervals; viewers' pages then mark it."""


@dataclass(slots=True)
class Feed:
    """One feed's fortunes. Without a period nobody asks it, and its values are held until the next comes.

    A `lasting` one tells of every change, so what it told last is live for as long as it works. What is Tesoura's
    `own`, set by hand, counted or computed here, is as true after a restart as before it.
    """

    period_s: float | None
    paused: bool = False
    last_ok_at: datetime | None = None
    problem: str | None = None
    failures: int = 0
    restored: bool = False
    lasting: bool = False
    own: bool = False
    names: set[str] = field(default_factory=set)
    shown: Freshness = Freshness.NEVER

    def freshness(self, now: datetime) -> Freshness:
        """How the feed fares now."""
        if self.paused:
            return Freshness.HELD
        if self.failures:
            return Freshness.DOWN
        if self.last_ok_at is None:
            return Freshness.NEVER
        if self.lasting:
            return Freshness.LATE if self.restored else Freshness.LIVE
        if self.period_s is None:
            return Freshness.HELD
        return _by_age(now - self.last_ok_at, patience(self.period_s), self.restored)


@dataclass(slots=True)
class Cell:
    """One signal's age and circumstances; its value lies elsewhere.

    `reads` are the signals it was computed from, `types` the types of others' events that it follows from. A `passing`
    value is not worth saving, nor its last minutes. A `broken` one stands still because what computed it failed.
    """

    feed: str
    unit: str = ""
    observed_at: datetime | None = None
    problem: str | None = None
    restored: bool = False
    fresh_for_s: float | None = None
    reads: tuple[str, ...] = ()
    types: tuple[str, ...] = ()
    broken: bool = False
    passing: bool = False
    trail: Trail = field(default_factory=Trail)
    shown: Freshness = Freshness.NEVER

    def limit(self, feed: Feed) -> timedelta | None:
        """How old the value may be and still be live; None when it is held however old."""
        if self.fresh_for_s is not None:
            return timedelta(seconds=self.fresh_for_s)
        return None if feed.period_s is None else patience(feed.period_s)

    def old_at(self, feed: Feed) -> datetime | None:
        """When the value becomes old; None when it has no interval, or is kept on purpose."""
        interval_s = self.fresh_for_s if self.fresh_for_s is not None else feed.period_s
        if interval_s is None or self.observed_at is None or feed.paused:
            return None
        return self.observed_at + timedelta(seconds=OLD_AFTER * interval_s)

    def freshness(self, feed: Feed, now: datetime) -> Freshness:
        """How fresh the signal is now, given that it has a value."""
        if self.observed_at is None:
            return Freshness.NEVER
        if feed.paused:
            return Freshness.HELD
        if feed.failures or self.problem:
            return Freshness.DOWN
        limit = self.limit(feed)
        if limit is None and feed.lasting:
            return Freshness.LATE if self.restored else Freshness.LIVE
        if limit is None:
            return Freshness.LATE if self.restored and not feed.own else Freshness.HELD
        return _by_age(now - self.observed_at, limit, self.restored)


def _by_age(age: timedelta, limit: timedelta, restored: bool) -> Freshness:
    # Far in the future is as untrue as far in the past: the clock was set back.
    return Freshness.LIVE if -limit < age < limit and not restored else Freshness.LATE


class Deadlines:
    """When names may become late: the earliest instant for each, entered anew once it has passed."""

    def __init__(self) -> None:
        self._heap: list[tuple[datetime, str]] = []
        self._at: dict[str, datetime] = {}

    def expect(self, name: str, at: datetime) -> None:
        """Look at this name again then, unless an earlier look at it is due already."""
        due = self._at.get(name)
        if due is None or at < due:
            self._at[name] = at
            heapq.heappush(self._heap, (at, name))

    def shifted(self, by: timedelta) -> Deadlines:
        """The same after the computer's clock was set by so much."""
        again = Deadlines()
        for name, at in self._at.items():
            again.expect(name, at + by)
        return again

    def next(self) -> datetime | None:
        """The earliest instant at which a look is due."""
        while self._heap and self._at.get(self._heap[0][1]) != self._heap[0][0]:
            heapq.heappop(self._heap)
        return self._heap[0][0] if self._heap else None

    def passed(self, now: datetime) -> Iterator[str]:
        """The names whose look is due; each is taken off before it is given."""
        while (at := self.next()) is not None and at <= now:
            name = heapq.heappop(self._heap)[1]
            del self._at[name]
            yield name
