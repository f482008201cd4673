"""The course of matches: what was told, in the order of time, and what each stretch of it adds up to.

All that was told is kept as it was told, and only looked at together: so it does not matter in which order it came.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right, insort
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, tzinfo
from typing import Any, NamedTuple

from tesoura.core.computed.occurrence import micros
from tesoura.core.instruments.statistics.spans import Days, clock_spans, overlap, within
from tesoura.core.instruments.statistics.tally import (
    ASSIST,
    DEATH,
    KILL,
    LEFT_DEATH,
    LEFT_KILL,
    PAUSE,
    RESUME,
    SEEN,
    Tally,
    TallyMark,
    counted,
)

KEPT_MATCHES = 30
"""Matches kept beside those of the session and the day: as many as a card can show."""
FOREVER = 1 << 62
MOST_EXACT = 20_000
"""Beyond so many marks, damage of the same second is kept as one."""
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
        self.added = 0
        """How many marks were ever added."""
        self.version = 0
        """It grows with every change of anything but single things that are added at the end."""
        self._folds: dict[tuple[Since, int | None], Tally] = {}
        self._kept: dict[Any, Any] = {}
        """What was worked out of all that is known, brought up to date by what is added at its end."""
        self._made: dict[Any, Any] = {}
        """What was worked out for this version."""
        self._exact = MOST_EXACT
        self._starts: Sequence[Match] = ()
        self._begans: Sequence[int] = ()
        self._ends: Sequence[Match] = ()
        self._ids: Mapping[str, Match] = {}

    def changed(self) -> None:
        """Something was told that lies before the end of what is known: all is looked at again."""
        self._folds, self._kept = {}, {}
        self.matches.sort(key=lambda one: (one.began, one.number))
        self._starts = [one for one in self.matches if one.started]
        self._begans = [one.began for one in self._starts]
        self._ends = [one for one in self.matches if not one.started]
        self._ids = {id: one for one in self.matches for id in (one.id, *one.known_as) if id}
        self.grown()

    def grown(self) -> None:
        """Something was told that lies at the end of what is known."""
        self.version += 1
        self._made = {}

    def _once(self, key: Any, make: Any) -> Any:
        """What changes with the version alone is made once."""
        if key not in self._made:
            self._made[key] = make()
        return self._made[key]

    def _last_at(self) -> int:
        return max(self.marks[-1].at if self.marks else -1, self.fights[-1].at if self.fights else -1)

    # Matches

    def by_id(self, id: str) -> Match | None:
        """The match with this id."""
        return self._ids.get(id) if id else None

    def started_by(self, at: int) -> Match | None:
        """The last match that had started by this instant, whether it had ended or not."""
        if self._begans and at >= self._begans[-1]:
            return self._starts[-1]
        index = bisect_right(self._begans, at) - 1
        return self._starts[index] if index >= 0 else None

    def going_on(self, at: int) -> Match | None:
        """The match that went on at this instant; one that started goes before one of which only the end was told."""
        match = self.started_by(at)
        if match is not None and (match.ended is None or at <= match.ended):
            return match
        return next((one for one in reversed(self._ends) if one.began <= at <= (one.ended or 0)), None)

    @property
    def current(self) -> Match | None:
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
        last = self.matches[-1] if self.matches else None
        before = self.current
        self.matches.append(match)
        if not match.started or match.began <= self._last_at() or (last is not None and last.began >= match.began):
            self.changed()
        else:
            self._starts, self._begans = [*self._starts, match], [*self._begans, match.began]
            self._ids = {**self._ids, match.id: match} if match.id else self._ids
            if before is not None:
                self._closed(before)
            self.grown()
        self._let_go()
        return match

    def ended(self, match: Match) -> None:
        """A match's end was told."""
        last = self._starts[-1] if self._starts else None
        finished = self._kept.get("finished")
        if match is last and (match.ended or 0) >= self._last_at() and match.id in ("", *self._ids):
            if finished is not None and (not finished or (finished[-1].ended or 0) <= (match.ended or 0)):
                finished.append(match)
            else:
                self._kept.pop("finished", None)
            self._closed(match)
            self.grown()
        else:
            self.changed()

    def _closed(self, match: Match) -> None:
        """A match went on that does not any more: its time stands from now on."""
        self._kept.pop(("span", match.number), None)
        span = self._span(match)
        for key in [key for key in self._kept if key[0] == "played"]:
            self._kept[key] += within(span, key[1], FOREVER)

    def other_side(self, match: Match) -> Match | None:
        """The same match as another source tells it: one of about the same time, whose end was told."""
        for one in reversed(self.matches):
            if one is not match and one.source != match.source and _of_one_time(one, match):
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
        found: list[Match] | None = self._kept.get("finished")
        if found is None:
            known = [one for one in self.matches if one.finished]
            found = self._kept["finished"] = sorted(known, key=lambda one: (one.ended or 0, one.number))
        return found

    # What is told

    def add(self, mark: TallyMark) -> None:
        """Count something."""
        self.added += 1
        match = self.of(mark.match, mark.at)
        last = not self.marks or mark[:2] >= self.marks[-1][:2]
        if not last or (match is not None and match is not self.current):
            insort(self.marks, mark, key=lambda one: one[:2])
            self.changed()
        else:
            self.marks.append(mark)
            number = match.number if match else None
            if (by_match := self._kept.get("by_match")) is not None:
                by_match.setdefault(number, []).append(mark)
            if mark.what in (PAUSE, RESUME):
                self._kept.pop(("span", number), None)
            for (since, only), tally in self._folds.items():
                if mark[:2] > since and only in (None, number):
                    tally.add(mark, number, self.within_us)
        if len(self.marks) > self._exact:
            self._coarsen()

    def take_away(self, seq: int) -> None:
        """Uncount what has this place in the log."""
        self.marks = [mark for mark in self.marks if mark.seq != seq]
        self.changed()

    def add_fight(self, fight: Fight) -> None:
        """Somebody beat somebody."""
        match = self.of(fight.match, fight.at)
        last = not self.fights or fight[:2] >= self.fights[-1][:2]
        if last:
            self.fights.append(fight)
        else:
            insort(self.fights, fight, key=lambda one: one[:2])
        if not last or (match is not None and match is not self.current):
            self.changed()
        elif match is not None and (fights := self._kept.get("fights")) is not None:
            _count_fight(fights.setdefault(match.number, {}), fight)

    def rated(self, at: int, seq: int, rating: float) -> None:
        """A rating was told."""
        insort(self.ratings, (at, seq, rating))
        self.grown()

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
            of_second = mark if mark.what == SEEN else known or mark
            seconds[key] = of_second._replace(amount=more[0] + mark.amount, of=more[1] + mark.of)
        self.marks = sorted([*kept, *seconds.values()], key=lambda one: one[:2])
        self._exact = max(MOST_EXACT, 2 * len(self.marks))
        self.changed()

    # What it adds up to

    def since(self, since: Since) -> Tally:
        """What all from there on comes to, the sums of ends included."""
        with_totals = self._once("with_totals", lambda: [one for one in self.finished() if one.totals])
        return self._with_totals(self._fold(since, None), since, with_totals)

    def of_match(self, match: Match, since: Since = (0, 0)) -> Tally:
        """What a match comes to, from there on."""
        return self._with_totals(self._fold(since, match.number), since, [match] if match.totals else [])

    def of_matches(self, matches: Sequence[Match]) -> Tally:
        """What these matches come to, one after the other."""
        pairs = [(mark, one.number) for one in matches for mark in self._marks_of(one.number)]
        tally = counted(sorted(pairs, key=lambda pair: pair[0][:2]), self.within_us)
        return self._with_totals(tally, (0, 0), [one for one in matches if one.totals])

    def _marks_of(self, number: int | None) -> Sequence[TallyMark]:
        """The marks of a match, or those between matches, in the order of time."""
        by_match: dict[int | None, list[TallyMark]] | None = self._kept.get("by_match")
        if by_match is None:
            by_match = self._kept["by_match"] = {}
            for mark in self.marks:
                match = self.of(mark.match, mark.at)
                by_match.setdefault(match.number if match else None, []).append(mark)
        return by_match.get(number, ())

    def _fold(self, since: Since, only: int | None) -> Tally:
        known = self._folds.get((since, only))
        if known is None:
            known, within = Tally(), self.within_us
            marks = self.marks if only is None else self._marks_of(only)
            for mark in marks[bisect_right(marks, since, key=lambda one: one[:2]) :]:
                match = self.of(mark.match, mark.at) if only is None else None
                known.add(mark, only if only is not None else match.number if match else None, within)
            if only is not None:
                # Of matches only the present one is asked for again and again.
                self._folds = {key: one for key, one in self._folds.items() if key[1] is None}
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
            tally.kills + more["kills"],
            tally.deaths + more["deaths"],
            tally.assists + more["assists"],
            tally.dealt,
            tally.taken,
            tally.shots,
            tally.hits,
            tally.run,
            tally.best,
            tally.multis,
        )

    def _singles(self, match: Match) -> set[str]:
        """Which of kills, deaths and assists were told one by one in a match."""
        told: set[str] = self._once(
            ("singles", match.number),
            lambda: {_SINGLE[mark.what] for mark in self._marks_of(match.number) if mark.what in _SINGLE},
        )
        return told

    def kills_in(self, match: Match) -> Mapping[str, int]:
        """Everybody's kills in a match, by the keys of the names; of those who were only killed, none."""

        fights: dict[int, dict[str, int]] | None = self._kept.get("fights")
        if fights is None:
            fights = self._kept["fights"] = {}
            for fight in self.fights:
                it = self.of(fight.match, fight.at)
                if it is not None:
                    _count_fight(fights.setdefault(it.number, {}), fight)
        return fights.get(match.number, {})

    # Match time

    def played_us(self, since: int, now: int, only: Match | None = None) -> int:
        """The match time from an instant on, µs; of one match, or of all."""
        open_ = self.current
        if only is not None:
            return within(self._span(only), since, now if only is open_ else FOREVER)
        key = ("played", since)
        closed: int | None = self._kept.get(key)
        if closed is None:
            closed = sum(within(self._span(one), since, FOREVER) for one in self.matches if one is not open_)
            self._kept[key] = closed
        return closed + (within(self._span(open_), since, now) if open_ is not None else 0)

    def ticks(self) -> bool:
        """Whether match time goes on."""
        open_ = self.current
        return open_ is not None and bool(span := self._span(open_)) and span[-1][1] == FOREVER

    def _span(self, match: Match) -> Sequence[tuple[int, int]]:
        """When a match's clock ran: from and until, µs; until for ever while it goes on."""
        key = ("span", match.number)
        found: list[tuple[int, int]] | None = self._kept.get(key)
        if found is None:
            marks, until = self._marks_of(match.number), match.ended
            if until is None:
                # One that never ended is over since its last event.
                last = max((mark.at for mark in marks), default=match.began)
                until = FOREVER if match is self.current else max(last, match.began)
            pauses = [mark for mark in marks if mark.what in (PAUSE, RESUME)]
            found = self._kept[key] = clock_spans(match.began, until, pauses)
        return found

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
        again._kept = {key: _copied(one) for key, one in self._kept.items()}
        again._made = dict(self._made)
        return again

    def saved(self) -> dict[str, Any]:
        """As it is stored."""
        return {
            "marks": [list(one) for one in self.marks],
            "fights": [list(one) for one in self.fights],
            "matches": [one.saved() for one in self.matches],
            "ratings": [list(one) for one in self.ratings],
        }

    def restore(self, saved: Mapping[str, Any]) -> None:
        """Go on from what was stored."""
        self.marks = [TallyMark(*one) for one in saved["marks"]]
        self.fights = [Fight(*one) for one in saved["fights"]]
        self.matches = [Match(**one) for one in saved["matches"]]
        self.ratings = [(at, seq, rating) for at, seq, rating in saved["ratings"]]
        self.changed()


def _of_one_time(one: Match, other: Match) -> bool:
    """Whether two matches that have ended are of about the same time."""
    if one.ended is None or other.ended is None:
        return False
    return overlap((one.began, one.ended), (other.began, other.ended))


def _count_fight(kills: dict[str, int], fight: Fight) -> None:
    for name, more in ((fight.actor, 1), (fight.target, 0)):
        if name:
            kills[name] = kills.get(name, 0) + more


def _copied(kept: Any) -> Any:
    """What is brought up to date in place, so that a copy can be by itself."""
    if isinstance(kept, dict):
        return {key: _copied(one) for key, one in kept.items()}
    return list(kept) if isinstance(kept, list) else kept
