"""The course of matches: what was told, in the order of time, and what each stretch of it adds up to.

All that was told is kept as it was told, and only looked at together: so it does not matter in which order it came.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right, insort
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, time, timedelta, tzinfo
from typing import Any, NamedTuple

from tesoura.core.computed.occurrence import EPOCH, instant, micros
from tesoura.core.instruments.statistics.tally import (
    ASSIST,
    DEATH,
    KILL,
    LEFT_DEATH,
    LEFT_KILL,
    PAUSE,
    RESUME,
    Tally,
    TallyMark,
    counted,
)

KEPT_MATCHES = 30
"""Matches kept beside those of the session and the day: as many as a card can show."""
FOREVER = 1 << 62
MOST_EXACT = 20_000
"""Beyond so many marks, damage of the same second is kept as one."""
SAME_END_US = 60_000_000
"""Two sources that tell of ends so close to each other tell of one match."""
_SINGLE = {KILL: "kills", LEFT_KILL: "kills", DEATH: "deaths", LEFT_DEATH: "deaths", ASSIST: "assists"}

Since = tuple[int, int]
"""From when on something counts: the instant (µs), and the place in the log behind which, for what happened then."""


class Fight(NamedTuple):
    """Somebody beat somebody: when, its place in the log, in which match (as a mark tells it), and the names' keys."""

    at: int
    seq: int
    match: str | int
    actor: str
    target: str


@dataclass(slots=True)
class Match:
    """One match; its `number` is the place in the log of what first told of it.

    `started` says whether its start was told; `source` who told of it. `totals` are the end's own sums. `rating` is the
    player's after it, `before` the one before it where that was told.
    """

    number: int
    began: int
    id: str = ""
    ended: int | None = None
    result: str = ""
    rating: float | None = None
    before: float | None = None
    opponent: str = ""
    arena: str = ""
    totals: dict[str, float] = field(default_factory=dict)
    started: bool = True
    source: str = ""
    known_as: list[str] = field(default_factory=list)

    @property
    def finished(self) -> bool:
        """Whether its end was told."""
        return self.ended is not None

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
    """All that any scope may ask for, in the order of time."""

    def __init__(self, zone: tzinfo, session_began: datetime | None, within_us: int) -> None:
        self.days = Days(zone)
        self.session_from = micros(session_began) if session_began else 0
        self.within_us = within_us
        self.marks: list[TallyMark] = []
        self.fights: list[Fight] = []
        self.matches: list[Match] = []
        self.ratings: list[tuple[int, int, float]] = []
        """Ratings told: when, at which place of the log, how much."""
        self.version = 0
        """It grows with every change of anything but what is added at the end."""
        self._folds: dict[tuple[Since, int | None], Tally] = {}
        self._kept: dict[Any, Any] = {}
        self._starts: Sequence[Match] = ()
        self._begans: Sequence[int] = ()
        self._ends: Sequence[Match] = ()
        self._ids: Mapping[str, Match] = {}

    def changed(self) -> None:
        """Something was told that lies before the end of what is known: all is looked at again."""
        self.version += 1
        self._folds, self._kept = {}, {}
        self.matches.sort(key=lambda one: (one.began, one.number))
        self._starts = [one for one in self.matches if one.started]
        self._begans = [one.began for one in self._starts]
        self._ends = [one for one in self.matches if not one.started]
        self._ids = {id: one for one in self.matches for id in (one.id, *one.known_as) if id}

    def _once(self, key: Any, make: Any) -> Any:
        """What changes with the version alone is made once."""
        if key not in self._kept:
            self._kept[key] = make()
        return self._kept[key]

    # Matches

    def by_id(self, id: str) -> Match | None:
        """The match with this id."""
        return self._ids.get(id) if id else None

    def started_by(self, at: int) -> Match | None:
        """The last match that had started by this instant, whether it had ended or not."""
        index = bisect_right(self._begans, at) - 1
        return self._starts[index] if index >= 0 else None

    def going_on(self, at: int) -> Match | None:
        """The match that went on at this instant; one that started goes before one of which only the end was told."""
        match = self.started_by(at)
        if match is not None and (match.ended is None or at <= match.ended):
            return match
        return next((one for one in reversed(self._ends) if one.began <= at <= (one.ended or 0)), None)

    @property
    def open(self) -> Match | None:
        """The match that goes on: the one that started last, unless it has ended."""
        last = self._starts[-1] if self._starts else None
        return last if last is not None and last.ended is None else None

    def of(self, told: str | int, at: int) -> Match | None:
        """The match of something that told this of it, and happened then."""
        if told == "":
            return self.going_on(at)
        if isinstance(told, int):
            return next((one for one in self.matches if one.number == told), None)
        return self._ids.get(told)

    def add_match(self, match: Match) -> Match:
        """A match was told of that was not known."""
        self.matches.append(match)
        self.changed()
        self._let_go()
        return match

    def other_side(self, match: Match) -> Match | None:
        """The same match as another source tells it: one of about the same time, whose end was told."""
        for one in reversed(self.matches):
            if one is not match and one.ended is not None and one.source != match.source and _overlap(one, match):
                return one
        return None

    def join(self, match: Match, other: Match) -> None:
        """Both are one match: what the first does not know is taken from the other, which is known no more."""
        match.result = match.result or other.result
        match.rating = other.rating if match.rating is None else match.rating
        match.before = other.before if match.before is None else match.before
        match.opponent, match.arena = match.opponent or other.opponent, match.arena or other.arena
        match.totals = {**other.totals, **match.totals}
        match.known_as = sorted({*match.known_as, *other.known_as, other.id} - {"", match.id})
        self.matches = [one for one in self.matches if one is not other]
        self.marks = [one._replace(match=match.number) if one.match == other.number else one for one in self.marks]
        self.changed()

    def finished(self) -> list[Match]:
        """The matches that have ended, the one that ended first at the front."""
        found: list[Match] = self._once(
            "finished",
            lambda: sorted((one for one in self.matches if one.finished), key=lambda one: (one.ended or 0, one.number)),
        )
        return found

    # What is told

    def add(self, mark: TallyMark) -> None:
        """Count something."""
        match = self.of(mark.match, mark.at)
        last = not self.marks or mark[:2] >= self.marks[-1][:2]
        if not last or mark.what in (PAUSE, RESUME) or (match is not None and match is not self.open):
            insort(self.marks, mark, key=lambda one: one[:2])
            self.changed()
        else:
            self.marks.append(mark)
            number = match.number if match else None
            for (since, only), tally in self._folds.items():
                if mark[:2] > since and only in (None, number):
                    tally.add(mark, number, self.within_us)
        if len(self.marks) > MOST_EXACT:
            self._coarsen()

    def take_away(self, seq: int) -> None:
        """Uncount what has this place in the log."""
        self.marks = [mark for mark in self.marks if mark.seq != seq]
        self.changed()

    def add_fight(self, fight: Fight) -> None:
        """Somebody beat somebody."""
        match = self.of(fight.match, fight.at)
        last = not self.fights or fight[:2] >= self.fights[-1][:2]
        insort(self.fights, fight, key=lambda one: one[:2])
        if not last or (match is not None and match is not self.open):
            self.changed()
        elif match is not None and "fights" in self._kept:
            _count_fight(self._kept["fights"].setdefault(match.number, {}), fight)

    def rated(self, at: int, seq: int, rating: float) -> None:
        """A rating was told."""
        insort(self.ratings, (at, seq, rating))
        self.changed()

    def rating_by(self, at: int) -> float | None:
        """The last rating told by this instant."""
        index = bisect_right(self.ratings, at, key=lambda one: one[0]) - 1
        return self.ratings[index][2] if index >= 0 else None

    @property
    def rating(self) -> float | None:
        """The last rating told."""
        return self.ratings[-1][2] if self.ratings else None

    def _coarsen(self) -> None:
        """Keep what is told many times a second as one, so that the longest session can be kept whole."""
        seconds: dict[tuple[int, int, str | int], TallyMark] = {}
        kept: list[TallyMark] = []
        for mark in self.marks:
            if not mark.of and mark.what in (KILL, DEATH, ASSIST, PAUSE, RESUME, LEFT_KILL, LEFT_DEATH):
                kept.append(mark)
                continue
            key = (mark.at // 1_000_000, mark.what, mark.match)
            known = seconds.get(key)
            more = (known.amount, known.of) if known else (0.0, 0.0)
            seconds[key] = (known or mark)._replace(amount=more[0] + mark.amount, of=more[1] + mark.of)
        self.marks = sorted([*kept, *seconds.values()])
        self.changed()

    # What it adds up to

    def since(self, since: Since) -> Tally:
        """What all from there on comes to, the sums of ends included."""
        return self._with_totals(self._fold(since, None), since, [one for one in self.finished() if one.totals])

    def of_match(self, match: Match, since: Since = (0, 0)) -> Tally:
        """What a match comes to, from there on."""
        return self._with_totals(self._fold(since, match.number), since, [match] if match.totals else [])

    def of_matches(self, matches: Iterable[Match]) -> Tally:
        """What these matches come to, one after the other."""
        wanted = {one.number for one in matches}
        tally = counted((pair for pair in self._numbered() if pair[1] in wanted), self.within_us)
        return self._with_totals(tally, (0, 0), [one for one in self.matches if one.number in wanted])

    def _numbered(self) -> Sequence[tuple[TallyMark, int | None]]:
        """All marks with the numbers of their matches."""

        return [(mark, match.number if (match := self.of(mark.match, mark.at)) else None) for mark in self.marks]

    def _fold(self, since: Since, only: int | None) -> Tally:
        known = self._folds.get((since, only))
        if known is None:
            known, within = Tally(), self.within_us
            for mark in self.marks[bisect_right(self.marks, since, key=lambda one: one[:2]) :]:
                match = self.of(mark.match, mark.at)
                if only is None or (match is not None and match.number == only):
                    known.add(mark, match.number if match else None, within)
            self._folds[since, only] = known
        return known

    def _with_totals(self, tally: Tally, since: Since, matches: Sequence[Match]) -> Tally:
        """The end's own sums too, field by field, of matches of which no single kill, death or assist was told."""
        more = {"kills": 0, "deaths": 0, "assists": 0}
        for one in matches:
            if (one.ended or 0) >= since[0]:
                told = self._singles(one)
                for name in more:
                    more[name] += 0 if name in told else round(one.totals.get(name, 0))
        if not any(more.values()):
            return tally
        return Tally(
            tally.kills + more["kills"], tally.deaths + more["deaths"], tally.assists + more["assists"], tally.dealt,
            tally.taken, tally.shots, tally.hits, tally.run, tally.best, tally.multis,
        )  # fmt: skip

    def _singles(self, match: Match) -> set[str]:
        def make() -> dict[int, set[str]]:
            found: dict[int, set[str]] = {}
            for mark, number in self._numbered():
                if number is not None and mark.what in _SINGLE:
                    found.setdefault(number, set()).add(_SINGLE[mark.what])
            return found

        told: dict[int, set[str]] = self._once("singles", make)
        return told.get(match.number, set())

    def kills_in(self, match: Match) -> Mapping[str, int]:
        """Everybody's kills in a match, by the keys of the names; of those who were only killed, none."""

        def make() -> dict[int, dict[str, int]]:
            found: dict[int, dict[str, int]] = {}
            for fight in self.fights:
                it = self.of(fight.match, fight.at)
                if it is not None:
                    _count_fight(found.setdefault(it.number, {}), fight)
            return found

        kills: dict[int, dict[str, int]] = self._once("fights", make)
        return kills.get(match.number, {})

    # Match time

    def played_us(self, since: int, now: int, only: Match | None = None) -> int:
        """The match time from an instant on, µs; of one match, or of all."""
        open_, spans = self.open, self._spans()
        key = ("played", since, only.number if only else None)

        def make() -> int:
            return sum(
                max(off - max(on, since), 0)
                for number, spans_ in spans.items()
                if (only is None or number == only.number) and not (open_ is not None and number == open_.number)
                for on, off in spans_
            )

        total: int = self._once(key, make)
        if open_ is not None and only in (None, open_):
            total += sum(max(min(off, now) - max(on, since), 0) for on, off in spans[open_.number])
        return total

    def ticks(self) -> bool:
        """Whether match time goes on."""
        open_ = self.open
        return open_ is not None and bool(spans := self._spans()[open_.number]) and spans[-1][1] == FOREVER

    def _spans(self) -> Mapping[int, Sequence[tuple[int, int]]]:
        """When each match's clock ran, by its number: from and until, µs; until for ever while it goes on."""

        def make() -> dict[int, list[tuple[int, int]]]:
            pauses: dict[int, list[TallyMark]] = {}
            last: dict[int, int] = {}
            for mark, number in self._numbered():
                if number is not None:
                    last[number] = max(last.get(number, 0), mark.at)
                    if mark.what in (PAUSE, RESUME):
                        pauses.setdefault(number, []).append(mark)
            found: dict[int, list[tuple[int, int]]] = {}
            for one in self.matches:
                until = one.ended
                if until is None:
                    # One that never ended is over since its last event.
                    until = FOREVER if one is self.open else max(last.get(one.number, one.began), one.began)
                found[one.number] = _clock(one.began, until, pauses.get(one.number, ()))
            return found

        spans: Mapping[int, Sequence[tuple[int, int]]] = self._once("spans", make)
        return spans

    # Letting go, copies, a restart

    def _let_go(self) -> None:
        """Forget what no scope can ask for any more."""
        if len(self.matches) <= 2 * KEPT_MATCHES:
            return
        last_at = max(self.matches[-1].began, self.marks[-1].at if self.marks else 0)
        day = self.days.began(last_at)
        needed = min(self.matches[-KEPT_MATCHES].began, self.session_from or day, day)
        if self.matches[KEPT_MATCHES].began >= needed:
            return
        self.matches = [one for one in self.matches if one.began >= needed or (one.ended or 0) >= needed]
        first = min((one.began for one in self.matches), default=needed)
        self.marks = self.marks[bisect_left(self.marks, min(first, needed), key=lambda one: one.at) :]
        self.fights = self.fights[bisect_left(self.fights, min(first, needed), key=lambda one: one.at) :]
        older = bisect_left(self.ratings, needed, key=lambda one: one[0])
        self.ratings = self.ratings[max(older - 1, 0) :]
        self.changed()

    def copy(self) -> Course:
        """Another course that can take a command by itself. Commands change no match, so these are shared."""
        again = Course.__new__(Course)
        again.__dict__.update(self.__dict__)
        again.marks, again.matches = list(self.marks), list(self.matches)
        again._folds = {key: replace(one, multis=dict(one.multis)) for key, one in self._folds.items()}
        again._kept = dict(self._kept)
        return again

    def saved(self) -> dict[str, Any]:
        """As it is stored."""
        return {
            "marks": [list(one) for one in self.marks], "fights": [list(one) for one in self.fights],
            "matches": [one.saved() for one in self.matches], "ratings": [list(one) for one in self.ratings],
        }  # fmt: skip

    def restore(self, saved: Mapping[str, Any]) -> None:
        """Go on from what was stored."""
        self.marks = [TallyMark(*one) for one in saved["marks"]]
        self.fights = [Fight(*one) for one in saved["fights"]]
        self.matches = [Match(**one) for one in saved["matches"]]
        self.ratings = [(at, seq, rating) for at, seq, rating in saved["ratings"]]
        self.changed()


def _overlap(one: Match, other: Match) -> bool:
    """Whether two matches are of about the same time: they share half of the shorter, or end together."""
    if one.ended is None or other.ended is None:
        return False
    if abs(one.ended - other.ended) <= SAME_END_US:
        return True
    shared = min(one.ended, other.ended) - max(one.began, other.began)
    return 2 * shared > min(one.ended - one.began, other.ended - other.began) > 0


def _count_fight(kills: dict[str, int], fight: Fight) -> None:
    for name, more in ((fight.actor, 1), (fight.target, 0)):
        if name:
            kills[name] = kills.get(name, 0) + more


def _clock(began: int, until: int, pauses: Iterable[TallyMark]) -> list[tuple[int, int]]:
    found: list[tuple[int, int]] = []
    on: int | None = began
    for mark in pauses:
        if mark.what == PAUSE and on is not None:
            found.append((on, min(mark.at, until)))
            on = None
        elif mark.what == RESUME and on is None:
            on = mark.at
    return [*found, (on, until)] if on is not None and on <= until else found
