"""The course of matches: which stretch of time an event belongs to, and what each scope adds up to."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, time, timedelta, tzinfo
from typing import Any

from tesoura.core.computed.occurrence import EPOCH, instant, micros
from tesoura.core.instruments.statistics.tally import CLOCK_OFF, CLOCK_ON, Stretch, Tally, TallyMark

KEPT_MATCHES = 30
"""Matches kept beside those of the session and the day: as many as a card can show."""
WITH_MARKS = 3
_LAST = 1 << 62
"""A place behind all places of the log: a match's clock stops after all that happened at that instant."""
"""The newest matches whose single events are stored; a late event of an older one is taken from the log."""


@dataclass(slots=True)
class Match:
    """One match. `kills` counts everybody's by name; `rating` is the player's after it, `before` the one before it."""

    number: int
    began: int
    id: str = ""
    ended: int | None = None
    finished: bool = False
    result: str = ""
    rating: float | None = None
    before: float | None = None
    opponent: str = ""
    arena: str = ""
    totals: dict[str, float] = field(default_factory=dict)
    kills: dict[str, int] = field(default_factory=dict)
    started: bool = True

    def copy(self) -> Match:
        """Another one that can go on by itself."""
        return replace(self, totals=dict(self.totals), kills=dict(self.kills))

    def saved(self) -> dict[str, Any]:
        """As it is stored."""
        return {name: getattr(self, name) for name in self.__slots__}


class Days:
    """Where days begin in the user's zone; the last one looked up is remembered."""

    def __init__(self, zone: tzinfo) -> None:
        self._zone = zone
        self._from = self._to = 0

    def began(self, at: int) -> int:
        """The first instant of the day of this one, µs."""
        if not self._from <= at < self._to:
            day = instant(at).astimezone(self._zone).date()
            self._from, self._to = (self._midnight(day + timedelta(days=more)) for more in (0, 1))
        return self._from

    def ends(self, at: int) -> int:
        """The first instant of the day after, µs."""
        self.began(at)
        return self._to

    def _midnight(self, day: Any) -> int:
        return micros(datetime.combine(day, time(), self._zone).astimezone(EPOCH.tzinfo))


class Course:
    """All stretches and matches that any scope may ask for, in the order of time."""

    def __init__(self, zone: tzinfo, session_began: datetime | None, within_us: int) -> None:
        self.days = Days(zone)
        self.session_from = micros(session_began) if session_began else 0
        self.within_us = within_us
        self.stretches: list[Stretch] = []
        self.matches: list[Match] = []
        self.open: Match | None = None
        self.last_at = 0
        self.stale = False
        self.rating: float | None = None
        self.ratings: list[tuple[int, float, bool]] = []
        """Ratings told: when, how much, and whether as the one before a match."""
        self.version = 0
        """It grows with every change of anything but the present stretch."""
        self._folds: dict[int, tuple[int, Tally]] = {}

    # Matches

    def match(self, number: int | None) -> Match | None:
        """A match by its number."""
        if number is None or not self.matches:
            return None
        at = number - self.matches[0].number
        return self.matches[at] if 0 <= at < len(self.matches) else None

    def by_id(self, id: str) -> Match | None:
        """The latest match with this id."""
        return next((one for one in reversed(self.matches) if one.id == id), None) if id else None

    def start_match(self, at: int, id: str = "", started: bool = True) -> Match:
        """A match begins; one that still goes on is over, without a result, since its last event."""
        if self.open is not None:
            self.end_match(self.open, min(self.last_at, at), finished=False)
        number = self.matches[-1].number + 1 if self.matches else 1
        match = Match(number, at, id, started=started)
        self.matches.append(match)
        self.open = match
        self.border(at, and_at=True)
        self.add(TallyMark(at, 0, CLOCK_ON), match)
        return match

    def end_match(self, match: Match, at: int, finished: bool) -> None:
        """A match ends."""
        match.ended, match.finished = at, finished
        self.add(TallyMark(at, _LAST, CLOCK_OFF), match)
        if self.open is match:
            self.open = None
            self.border(at)

    def border(self, at: int, and_at: bool = False) -> None:
        """A new stretch begins here; what came early and lies behind it, or with `and_at` at it, goes over into it."""
        last = self.stretches[-1] if self.stretches else None
        new = Stretch.new(at if last is None else max(at, last.began), self.open.number if self.open else None)
        if last is not None and last.marks and (last.marks[-1].at > at or (and_at and last.marks[-1].at == at)):
            over = [mark for mark in last.marks if mark.at > at or (and_at and mark.at == at)]
            last.marks = last.marks[: len(last.marks) - len(over)]
            new.marks = over
            for one in (last, new):
                one.count(self.within_us)
        self.stretches.append(new)
        self._changed()
        self._let_go()

    def _changed(self) -> None:
        self._folds.clear()
        self.version += 1

    # Marks

    def add(self, mark: TallyMark, match: Match | None = None) -> None:
        """Count something: in its match when it is told, else where it lies in time."""
        if not self.stretches:
            self.stretches.append(Stretch.new(self._floor(mark.at), self.open.number if self.open else None))
        last = self.stretches[-1]
        if mark.at >= last.began and (match is None or last.match == match.number):
            if (floor := self._floor(mark.at)) > last.began and mark.at >= self.last_at:
                self._divide(floor)
                last = self.stretches[-1]
            self.last_at = max(self.last_at, mark.at)
            last.add(mark, self.within_us)
            return
        stretch = self._of(mark.at, match)
        self._changed()
        if stretch is None:
            # Older than anything that is kept, or than the first thing told.
            stretch = Stretch.new(self._floor(mark.at), None)
            self.stretches.insert(0, stretch)
        self.stale = not stretch.add(mark, self.within_us) or self.stale

    def _of(self, at: int, match: Match | None) -> Stretch | None:
        if match is not None:
            own = [one for one in self.stretches if one.match == match.number]
            if own:
                return next((one for one in reversed(own) if one.began <= at), own[0])
        found = bisect_right(self.stretches, at, key=lambda one: one.began)
        return self.stretches[found - 1] if found else None

    def _floor(self, at: int) -> int:
        """The last midnight or session's start before this instant."""
        day = self.days.began(at)
        return max(day, self.session_from) if self.session_from <= at else day

    def _divide(self, at: int) -> None:
        """Midnight or a new session within what goes on: its clock goes on in the next stretch."""
        last = self.stretches[-1]
        ticks = last.tally.on_at is not None
        if ticks:
            last.add(TallyMark(at, _LAST, CLOCK_OFF), self.within_us)
        self.border(at)
        if ticks:
            self.stretches[-1].add(TallyMark(at, 0, CLOCK_ON), self.within_us)

    def cut(self, at: int) -> None:
        """Let a new stretch begin now, within whatever goes on."""
        if self.stretches:
            self._divide(max(at, self.stretches[-1].began))
        else:
            self.border(at)

    # Scopes

    def since(self, began: int) -> Tally:
        """What all stretches from this instant on come to."""
        stretches = self.stretches
        if not stretches or stretches[-1].began < began:
            return Tally()
        known = self._folds.get(began)
        if known is None or known[0] != len(stretches):
            closed = Tally()
            for stretch in stretches[bisect_right(stretches, began - 1, key=lambda one: one.began) : -1]:
                closed = closed.then(stretch.tally)
            known = self._folds[began] = (len(stretches), closed)
        return known[1].then(stretches[-1].tally)

    def of_match(self, match: Match, began: int = 0) -> Tally:
        """What a match comes to, from this instant on."""
        total = Tally()
        own = False
        for stretch in reversed(self.stretches):
            if stretch.match == match.number and stretch.began >= began:
                total = stretch.tally.then(total)
                own = True
            elif stretch.began < match.began:
                break
        return total if own else Tally()

    def finished(self) -> list[Match]:
        """The matches that have ended, the oldest first."""
        return [one for one in self.matches if one.finished]

    def _let_go(self) -> None:
        """Forget what no scope can ask for any more."""
        if len(self.matches) <= 2 * KEPT_MATCHES:
            return
        needed = min(self.matches[-KEPT_MATCHES].began, self.session_from or self.days.began(self.last_at))
        needed = min(needed, self.days.began(self.last_at))
        if self.matches[KEPT_MATCHES].began >= needed:
            return
        self.matches = [one for one in self.matches if one.began >= needed or not one.ended or one.ended >= needed]
        numbers = {one.number for one in self.matches}
        self.stretches = [one for one in self.stretches if one.began >= needed or one.match in numbers]
        kept = [one for one in self.ratings if one[0] >= needed]
        older = [one for one in self.ratings if one[0] < needed]
        self.ratings = [*older[-1:], *kept]
        self._changed()

    # Copies and a restart

    def copy(self) -> Course:
        """Another course that can take a command by itself: all but its last stretch is shared."""
        again = Course.__new__(Course)
        again.__dict__.update(self.__dict__)
        again.stretches = [*self.stretches[:-1], *(one.copy() for one in self.stretches[-1:])]
        again.matches, again._folds = list(self.matches), {}
        return again

    def own(self, index: int) -> Stretch:
        """One stretch, as this course's own."""
        self.stretches[index] = self.stretches[index].copy()
        self._changed()
        return self.stretches[index]

    def stretches_of(self, seq: int) -> Iterator[int]:
        """The stretches in which a place of the log was counted."""
        for index in range(len(self.stretches) - 1, -1, -1):
            if any(mark.seq == seq for mark in self.stretches[index].marks or ()):
                yield index

    def saved(self) -> dict[str, Any]:
        """As it is stored."""
        newest = {one.number for one in self.matches[-WITH_MARKS:]}
        first = self.matches[-WITH_MARKS].began if len(self.matches) >= WITH_MARKS else 0
        return {
            "stretches": [one.saved(one.match in newest or one.began >= first) for one in self.stretches],
            "matches": [one.saved() for one in self.matches],
            "open": self.open.number if self.open else None,
            "last_at": self.last_at, "rating": self.rating, "ratings": [list(one) for one in self.ratings],
        }  # fmt: skip

    def restore(self, saved: Mapping[str, Any]) -> None:
        """Go on from what was stored."""
        self.stretches = [Stretch.restored(one) for one in saved["stretches"]]
        self.matches = [Match(**one) for one in saved["matches"]]
        self.open = self.match(saved["open"])
        self.last_at, self.rating = saved["last_at"], saved["rating"]
        self.ratings = [(at, rating, before) for at, rating, before in saved["ratings"]]
