"""Earlier attempts, and what they tell: where runs end, hits a split, the chance from here, the best of each split.

All of it is counted, nothing is smoothed: of the attempts that came so far, so many went on.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from tesoura.core.runs.attempt import WORSE, Attempt, SplitCount
from tesoura.core.runs.route import Route

LEAST_ATTEMPTS = 10
"""Of fewer attempts no chance is told."""
TOGETHER = 256
"""So many attempts are stored as one text."""
HITS, DISTANCE = "hits", "distance"
"""What makes a best: the fewest hits, then the least time; or the most splits before it was over."""


class PastSplit(NamedTuple):
    """Of a split in an earlier attempt: its id, hits in the fight and on the way, µs."""

    id: str
    fight: int
    way: int
    us: int


@dataclass(frozen=True, slots=True)
class PastAttempt:
    """An attempt that is over: the splits it went into, in order, and in which it stood; nowhere when it came through.

    `limit` is how many hits the best had then.
    """

    number: int
    route: str
    began: int
    over: int
    at: str
    splits: tuple[PastSplit, ...]
    limit: int | None = None

    @property
    def through(self) -> bool:
        """Whether it passed the last split."""
        return not self.at

    @property
    def passed(self) -> int:
        """How many splits it passed, clean or not."""
        return next((place for place, one in enumerate(self.splits) if one.id == self.at), len(self.splits))

    @property
    def us(self) -> int:
        """How long it ran, µs."""
        return sum(one.us for one in self.splits)

    def hits(self, rule: str) -> int:
        """The hits that count."""
        return sum(_hits(one, rule) for one in self.splits)

    @property
    def by_id(self) -> Mapping[str, PastSplit]:
        """What it has of each split, by the split's id."""
        return {one.id: one for one in self.splits}

    def of(self, split_id: str) -> PastSplit | None:
        """What it has of a split; None when it did not go into it."""
        return next((one for one in self.splits if one.id == split_id), None)

    def over_in(self, rule: str) -> str | None:
        """In which split it was over by the rule; None when it never was."""
        found = 0
        most = float("inf") if self.limit is None else self.limit
        for one in self.splits:
            found += _hits(one, rule)
            if found > (most if rule == WORSE else 0):
                return one.id
        return None

    def ended_in(self, rule: str) -> str | None:
        """In which split it ended: where it was over, or was given up; None when it came through."""
        return self.over_in(rule) or self.at or None

    def got_through(self, rule: str) -> int:
        """How many splits it passed before it was over or given up."""
        end = self.ended_in(rule)
        return next((at for at, one in enumerate(self.splits) if one.id == end), len(self.splits))

    def saved(self) -> list[Any]:
        """It, to be stored."""
        return [self.number, self.route, self.began, self.over, self.at, self.limit, [list(one) for one in self.splits]]


def past_of(saved: Sequence[Any]) -> PastAttempt:
    """It, as it was stored."""
    number, route, began, over, at, limit, splits = saved
    return PastAttempt(number, route, began, over, at, tuple(PastSplit(*one) for one in splits), limit)


def _hits(one: PastSplit, rule: str) -> int:
    return SplitCount(one.fight, one.way).hits(rule)


def past(attempt: Attempt, route: Route, at: int) -> PastAttempt:
    """An attempt as it is kept, from now on over. Splits that the route has no more are left out."""
    told = attempt.until(at)
    last = len(route.splits) if told.through else told.place(route) + 1
    splits = tuple(
        PastSplit(one.id, *told.of(one.id))
        for place, one in enumerate(route.splits)
        if place < last or told.of(one.id) != SplitCount()
    )
    stood = "" if told.through else told.at
    return PastAttempt(attempt.number, route.id, attempt.began, at, stood, splits, attempt.limit)


class SplitHistory(NamedTuple):
    """What earlier attempts tell of a split.

    How many went into it, and hits in all; how many passed it, the fewest hits and the least µs of those; how many came
    to it before they were over, how many of those came through the whole route without; and how many ended in it.
    """

    entered: int = 0
    hits: int = 0
    passed: int = 0
    fewest: int | None = None
    least_us: int | None = None
    came: int = 0
    whole: int = 0
    ended: int = 0

    @property
    def average(self) -> float | None:
        """Hits a time; None when nobody went into it."""
        return self.hits / self.entered if self.entered else None


_NONE = SplitHistory()


@dataclass(frozen=True, slots=True)
class RouteHistory:
    """What the attempts at a route tell, by a rule: their number, and each split by its id."""

    attempts: int = 0
    splits: Mapping[str, SplitHistory] = field(default_factory=dict)

    def of(self, split_id: str) -> SplitHistory:
        """What is told of a split."""
        return self.splits.get(split_id, SplitHistory())

    @classmethod
    def told_by(cls, attempts: Iterable[PastAttempt], rule: str, before: RouteHistory | None = None) -> RouteHistory:
        """What these attempts tell, behind those that were counted before."""
        found = dict(before.splits) if before else {}
        number = before.attempts if before else 0
        for one in attempts:
            number += 1
            over, end, passed = one.over_in(rule), one.ended_in(rule), one.passed
            whole, alive = one.through and over is None, True
            for place, split in enumerate(one.splits):
                had, hits, is_passed = found.get(split.id, _NONE), _hits(split, rule), place < passed
                found[split.id] = SplitHistory(
                    had.entered + 1,
                    had.hits + hits,
                    had.passed + is_passed,
                    _least(had.fewest, hits) if is_passed else had.fewest,
                    _least(had.least_us, split.us) if is_passed else had.least_us,
                    had.came + alive,
                    had.whole + whole,
                    had.ended + (split.id == end),
                )
                alive = alive and split.id != over
        return cls(number, found)

    def going_on(self, route: Route) -> list[float]:
        """The share of all attempts that had not ended after each split, in the route's order: where runs end."""
        came = self.placed(route)
        left, found = came, list[float]()
        for one in route.splits:
            left -= self.of(one.id).ended
            found.append(left / came if came else 1.0)
        return found

    def placed(self, route: Route) -> int:
        """How many attempts ended in a split that the route still has, or came through."""
        there = {one.id for one in route.splits}
        return self.attempts - sum(told.ended for name, told in self.splits.items() if name not in there)

    def chance(self, split_id: str) -> tuple[int, int] | None:
        """Of the attempts that came to this split before they were over, how many came through, and of how many.

        None under ten.
        """
        told = self.of(split_id)
        return (told.whole, told.came) if told.came >= LEAST_ATTEMPTS else None

    def together(self, route: Route) -> tuple[int, int] | None:
        """The fewest hits of each split together, and the least µs; None while one was never passed."""
        told = [self.of(one.id) for one in route.splits]
        if not told or any(one.fewest is None or one.least_us is None for one in told):
            return None
        return sum(one.fewest or 0 for one in told), sum(one.least_us or 0 for one in told)


def _least(one: int | None, other: int) -> int:
    return other if one is None else min(one, other)


class RunHistory:
    """Earlier attempts in order. What they tell of a route is counted once, and goes on with each that comes.

    They are stored as texts of so many each, of which the whole ones never change: a long history costs no more to
    store than a short one.
    """

    __slots__ = ("_stored", "_told", "attempts")

    def __init__(
        self,
        attempts: Iterable[PastAttempt] = (),
        told: Mapping[tuple[str, str], RouteHistory] | None = None,
        stored: Sequence[str] = (),
    ) -> None:
        self.attempts = tuple(attempts)
        self._told, self._stored = dict(told or {}), list(stored)

    def of(self, route: str, rule: str) -> RouteHistory:
        """What the attempts at a route tell, by a rule."""
        if (route, rule) not in self._told:
            mine = (one for one in self.attempts if one.route == route)
            self._told[route, rule] = RouteHistory.told_by(mine, rule)
        return self._told[route, rule]

    def plus(self, one: PastAttempt) -> RunHistory:
        """With one attempt more."""
        told = {
            (route, rule): RouteHistory.told_by([one], rule, had) if route == one.route else had
            for (route, rule), had in self._told.items()
        }
        return RunHistory((*self.attempts, one), told, self._stored)

    def first(self, count: int) -> RunHistory:
        """Only the first ones."""
        return (
            self
            if count >= len(self.attempts)
            else RunHistory(self.attempts[:count], None, self._stored[: count // TOGETHER])
        )

    def saved(self) -> list[str]:
        """It, to be stored."""
        whole = len(self.attempts) // TOGETHER
        for at in range(len(self._stored), whole):
            self._stored.append(self._text(at))
        rest = [self._text(whole)] if len(self.attempts) % TOGETHER else []
        return [*self._stored[:whole], *rest]

    def _text(self, at: int) -> str:
        together = self.attempts[at * TOGETHER : (at + 1) * TOGETHER]
        return json.dumps([one.saved() for one in together], separators=(",", ":"))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, RunHistory) and self.attempts == other.attempts

    def __hash__(self) -> int:
        return hash(len(self.attempts))


def history_of(saved: Sequence[str]) -> RunHistory:
    """It, as it was stored."""
    attempts = [past_of(one) for text in saved for one in json.loads(text)]
    return RunHistory(attempts, None, saved[: len(attempts) // TOGETHER])


def beats(one: PastAttempt, best: PastAttempt | None, by: str, rule: str) -> bool:
    """Whether an attempt is better than the best: by hits and then time, of those that came through; or by distance."""
    if best is None:
        return one.through or by == DISTANCE
    if by == DISTANCE:
        return _far(one, rule) < _far(best, rule)
    return one.through and (not best.through or (one.hits(rule), one.us) < (best.hits(rule), best.us))


def _far(one: PastAttempt, rule: str) -> tuple[int, int, int]:
    return -one.got_through(rule), one.hits(rule), one.us


def difference(attempt: Attempt, best: PastAttempt, route: Route, rule: str) -> int:
    """Hits more than the best, in the splits that are passed, and in the one in hand as far as it is worse already."""
    at, before = attempt.place(route), best.by_id
    found = 0
    for place, one in enumerate(route.splits[: at + 1]):
        had = before.get(one.id)
        more = attempt.of(one.id).hits(rule) - (_hits(had, rule) if had else 0)
        found += more if place < at else max(more, 0)
    return found
