"""An attempt at a route: where it stands, its hits by split, its time; and what counts of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple, Self

from tesoura.core.runs.route import Route

EVERY, FIGHTS, WORSE = "every", "fights", "worse"
"""Which hits count: every one; only those of the fights; or it counts as over once it is worse than the best."""
FIGHT, WAY = "fight", "way"
READY, RUNNING, PAUSED, THROUGH = "ready", "running", "paused", "through"


class SplitCount(NamedTuple):
    """Of one split in an attempt: hits in its fight, hits on the way to it, µs spent in it."""

    fight: int = 0
    way: int = 0
    us: int = 0

    def hits(self, rule: str) -> int:
        """Those that count by a rule."""
        return self.fight + (0 if rule == FIGHTS else self.way)


@dataclass(frozen=True, slots=True)
class Attempt:
    """An attempt. `began` is when it began, µs since 1970, 0 before; `at` the split it is in; `since` from when on the
    clock runs that is not in `counts` yet, 0 while it stands; `hits` are all hits in the order in which they came.

    `limit` is how many hits the best had when it began; None when there was none. `ended` says that its end was told,
    `beat` that it was told to have beaten the best.
    """

    number: int = 1
    began: int = 0
    at: str = ""
    counts: Mapping[str, SplitCount] = field(default_factory=dict)
    since: int = 0
    through: bool = False
    hits: tuple[tuple[str, str], ...] = ()
    limit: int | None = None
    ended: bool = False
    beat: bool = False

    @property
    def state(self) -> str:
        """Whether it runs: `ready`, `running`, `paused` or `through`."""
        if not self.began:
            return READY
        if self.through:
            return THROUGH
        return RUNNING if self.since else PAUSED

    def of(self, split_id: str) -> SplitCount:
        """What it has of a split."""
        return self.counts.get(split_id, SplitCount())

    def counted(self, split_id: str, **more: int) -> Self:
        """It with more (`fight`, `way`, `us`) in a split; nothing is ever less than nothing."""
        had = self.of(split_id)
        told = had._replace(**{name: max(getattr(had, name) + by, 0) for name, by in more.items()})
        return replace(self, counts={**self.counts, split_id: told})

    def until(self, at: int) -> Self:
        """It with the time until now in its split, the clock running on; as it is while the clock stands."""
        if not self.since:
            return self
        return replace(self.counted(self.at, us=max(at - self.since, 0)), since=at)

    def time(self, at: int) -> int:
        """How long it has run, pauses out, µs; also in splits that were taken out since."""
        return sum(one.us for one in self.counts.values()) + self.running(at)

    def split_time(self, at: int) -> int:
        """How long it has been in its split, pauses out, µs."""
        return self.of(self.at).us + self.running(at)

    def running(self, at: int) -> int:
        """The time that is not in its counts yet, µs."""
        return max(at - self.since, 0) if self.since else 0

    def place(self, route: Route) -> int:
        """Where in the route it is, counted from 0; behind the last split when it is through."""
        if self.through:
            return len(route.splits)
        return route.place(self.at) or 0

    def saved(self) -> dict[str, Any]:
        """It, to be stored."""
        return {
            "number": self.number,
            "began": self.began,
            "at": self.at,
            "since": self.since,
            "through": self.through,
            "counts": {name: list(one) for name, one in self.counts.items()},
            "hits": [list(one) for one in self.hits],
            "limit": self.limit,
            "ended": self.ended,
            "beat": self.beat,
        }


def attempt_of(saved: Mapping[str, Any]) -> Attempt:
    """It, as it was stored."""
    counts = {name: SplitCount(*one) for name, one in saved["counts"].items()}
    hits = tuple((str(one), str(kind)) for one, kind in saved["hits"])
    return Attempt(**{**saved, "counts": counts, "hits": hits})


def total(attempt: Attempt, route: Route, rule: str) -> int:
    """The hits that count, in all splits that the route has."""
    return sum(attempt.of(one.id).hits(rule) for one in route.splits)


def over_at(attempt: Attempt, route: Route, rule: str) -> int | None:
    """At which split, counted from 0 along the route, it was over by the rule; None when it is not."""
    found = 0
    for at, one in enumerate(route.splits):
        found += attempt.of(one.id).hits(rule)
        if found > _most(rule, attempt.limit):
            return at
    return None


def _most(rule: str, limit: int | None) -> float:
    """So many hits may be had before it is over."""
    if rule == WORSE:
        return float("inf") if limit is None else limit
    return 0
