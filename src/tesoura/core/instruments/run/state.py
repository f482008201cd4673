"""A run as it stands: its routes, the attempt, earlier attempts and bests; what was pressed, to be taken back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from datetime import datetime, timedelta
from typing import Any, Self

from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.instruments.base import Fired, Instrument
from tesoura.core.instruments.owed_events import fired_of, plain_of
from tesoura.core.instruments.run.plan import RunPlan
from tesoura.core.runs.attempt import WORSE, Attempt, SplitCount, attempt_of, over_at
from tesoura.core.runs.history import PastAttempt, RouteHistory, RunHistory, beats, history_of, past, past_of
from tesoura.core.runs.route import Route, RouteSplit

HIT, CLEAN, BEATEN, ENDED, LAST = "hit", "clean_split", "best_beaten", "ended", "last_begun"
MOMENTS: Mapping[str, str] = {
    HIT: "has a hit",
    CLEAN: "passes a split without a hit",
    BEATEN: "has beaten its best",
    ENDED: "ends",
    LAST: "reaches its last split",
}
CLOCK_SET = "tesoura.clock_set"
MOST_AGE = timedelta(days=1)
"""What happened longer ago than this, and is not in the log, is not told any more."""
MOST_PRESSES = 2_000
"""So many presses can be taken back, one after the other, over attempts too."""


@dataclass(frozen=True, slots=True)
class Press:
    """A press that can be taken back: what it was, in words, and what it changed, as it was before.

    `attempt` holds the fields of the attempt that were others, `counts` the splits, `hits` from where on its hits were
    others and which; `past` and `bests` how many there were, and `route` which one it was.
    """

    words: str
    attempt: Mapping[str, Any] = field(default_factory=dict)
    counts: Mapping[str, SplitCount | None] = field(default_factory=dict)
    hits: tuple[int, tuple[tuple[str, str], ...]] = (0, ())
    past: int = 0
    bests: int = 0
    route: str = ""


_PLAIN = tuple(one.name for one in fields(Attempt) if one.name not in ("counts", "hits"))


@dataclass(frozen=True, slots=True)
class RunBase(Instrument):
    """A run. `route` is the id of the one that is run; `bests` are the bests of each, the present one last.

    `pressed` is when each command came last, µs since 1970: so that a press from two devices is one.
    """

    plan: RunPlan
    routes: tuple[Route, ...] = ()
    route_id: str = ""
    attempt: Attempt = field(default_factory=Attempt)
    history: RunHistory = field(default_factory=RunHistory)
    bests: tuple[PastAttempt, ...] = ()
    presses: tuple[Press, ...] = ()
    pressed: Mapping[str, int] = field(default_factory=dict)
    debts: tuple[Fired, ...] = ()
    """What has happened and is not in the log yet."""

    # What there is

    @property
    def route(self) -> Route:
        """The route that is run; an empty one before there is any."""
        return next((one for one in self.routes if one.id == self.route_id), Route("", ""))

    def route_of(self, route_id: str) -> Route | None:
        """One of its routes."""
        return next((one for one in self.routes if one.id == route_id), None)

    @property
    def best(self) -> PastAttempt | None:
        """The best of the route that is run."""
        return next((one for one in reversed(self.bests) if one.route == self.route_id), None)

    @property
    def told(self) -> RouteHistory:
        """What earlier attempts at the route tell."""
        return self.history.of(self.route_id, self.plan.rule)

    @property
    def split(self) -> RouteSplit | None:
        """The split that is in hand; the last one when the run is through."""
        splits = self.route.splits
        return splits[min(self.attempt.place(self.route), len(splits) - 1)] if splits else None

    def over_at(self) -> int | None:
        """At which split, counted from 0, the run was over by its rule; None when it is not."""
        return over_at(self.attempt, self.route, self.plan.rule)

    # Changing it

    def changed(self, after: Self, words: str) -> Self:
        """After a press: with what takes it back."""
        before, now = self.attempt, after.attempt
        names = {*before.counts, *now.counts}
        same = next(
            (at for at, (one, other) in enumerate(zip(before.hits, now.hits, strict=False)) if one != other),
            min(len(before.hits), len(now.hits)),
        )
        press = Press(
            words,
            {name: getattr(before, name) for name in _PLAIN if getattr(before, name) != getattr(now, name)},
            {name: before.counts.get(name) for name in names if before.counts.get(name) != now.counts.get(name)},
            (same, before.hits[same:]),
            len(self.history.attempts),
            len(self.bests),
            self.route_id if self.route_id != after.route_id else "",
        )
        return replace(after, presses=(*self.presses[-MOST_PRESSES + 1 :], press))

    def taken_back(self) -> Self:
        """Before its last press. What came of the press and is in the log stays there."""
        press, now = self.presses[-1], self.attempt
        counts = dict(now.counts)
        for name, one in press.counts.items():
            if one is None:
                counts.pop(name, None)
            else:
                counts[name] = one
        same, tail = press.hits
        attempt = replace(now, counts=counts, hits=(*now.hits[:same], *tail), **press.attempt)
        history = self.history.first(press.past)
        return replace(
            self,
            attempt=attempt,
            history=history,
            bests=self.bests[: press.bests],
            presses=self.presses[:-1],
            route_id=press.route or self.route_id,
        )

    def limited(self) -> Self:
        """With as many hits in its attempt's limit as the best has, every one counted."""
        best = self.best
        return replace(self, attempt=replace(self.attempt, limit=best.hits(WORSE) if best else None))

    def owes(self, what: str, now: datetime, seq: int, data: Mapping[str, Any]) -> Self:
        """With something that happened, to be logged. The attempt and the split are told with it."""
        id = f"{what}:{seq}:{micros(now)}"
        told = {"id": id, "attempt": self.attempt.number, "route": self.route.name, **data}
        recent = tuple(one for one in self.debts if now - one.at < MOST_AGE)
        return replace(self, debts=(*recent, Fired(id, f"{self.plan.name}.{what}", now, told)))

    def ends(self, now: datetime, seq: int, why: str) -> Self:
        """With the end of the attempt told, and that the best is beaten, if it is: each once."""
        over, splits = self.over_at(), self.route.splits
        at = over if over is not None else min(self.attempt.place(self.route), len(splits) - 1)
        one, it = past(self.attempt, self.route, micros(now)), self
        came = {
            "hits": one.hits(self.plan.rule),
            "splits": one.got_through(self.plan.rule),
            "seconds": round(one.us / 1e6, 1),
        }
        if not self.attempt.ended:
            it = replace(it, attempt=replace(it.attempt, ended=True))
            it = it.owes(ENDED, now, seq, {"split": splits[at].name, "number": at + 1, "why": why, **came})
        best = self.best
        if not self.attempt.beat and best is not None and beats(one, best, self.plan.best_by, self.plan.rule):
            it = replace(it, attempt=replace(it.attempt, beat=True)).owes(BEATEN, now, seq, came)
        return it

    # The shape of all instruments

    def advance(self, at: datetime) -> Self:
        """It at this instant: nothing but time goes on by itself."""
        return self

    def on_event(self, event: Occurrence) -> Self:
        """It after one of its own events, which is in the log now, the clock that was set, or the run's beginning."""
        if event.type == CLOCK_SET:
            return self._clock_set(round(float(str(event.data.get("by_s") or 0)) * 1_000_000))
        if event.type.startswith(f"{self.plan.name}."):
            told = str(event.data.get("id") or "")
            return replace(self, debts=tuple(one for one in self.debts if one.id != told))
        if self.plan.event and event.type == self.plan.event and not self.attempt.began and self.route.splits:
            return self.changed(self.begun(event.at), f"begun by {event.type}")
        return self

    def _clock_set(self, by: int) -> Self:
        """With the clock set forward: what runs has run as long as before, also where a press is taken back."""
        since = self.attempt.since
        presses = tuple(
            replace(one, attempt={**one.attempt, "since": one.attempt["since"] + by})
            if one.attempt.get("since")
            else one
            for one in self.presses
        )
        attempt = replace(self.attempt, since=since + by) if since else self.attempt
        pressed = {name: at + by for name, at in self.pressed.items()}
        return replace(self, attempt=attempt, presses=presses, pressed=pressed)

    def begun(self, at: int) -> Self:
        """With the attempt begun, in the first split of the route."""
        attempt = replace(self.attempt, began=at, since=at, at=self.route.splits[0].id)
        return replace(self, attempt=attempt).limited()

    def fires(self, now: datetime) -> Sequence[Fired]:
        """What has happened by now and is not in the log yet."""
        return [one for one in self.debts if one.at <= now and now - one.at < MOST_AGE]

    def next_change(self, now: datetime) -> datetime | None:
        """The next full second of the run, or of its split, while the clock runs."""
        if not self.attempt.since:
            return None
        at, second = micros(now), 1_000_000
        left = min(second - one % second for one in (self.attempt.time(at), self.attempt.split_time(at)))
        return now + timedelta(microseconds=left)

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored."""
        return {
            "routes": [
                [one.id, one.name, [[each.id, each.name, each.group, each.picture, each.save] for each in one.splits]]
                for one in self.routes
            ],
            "route": self.route_id,
            "attempt": self.attempt.saved(),
            "past": self.history.saved(),
            "bests": [one.saved() for one in self.bests],
            "presses": [
                [
                    one.words,
                    dict(one.attempt),
                    {name: had and list(had) for name, had in one.counts.items()},
                    [one.hits[0], [list(hit) for hit in one.hits[1]]],
                    one.past,
                    one.bests,
                    one.route,
                ]
                for one in self.presses
            ],
            "pressed": dict(self.pressed),
            "debts": [plain_of(one) for one in self.debts],
        }


def kept(saved: Mapping[str, Any]) -> dict[str, Any]:
    """What was stored, by the names of its fields."""
    return {
        "routes": tuple(
            Route(id, name, tuple(RouteSplit(*one) for one in splits)) for id, name, splits in saved["routes"]
        ),
        "route_id": saved["route"],
        "attempt": attempt_of(saved["attempt"]),
        "history": history_of(saved["past"]),
        "bests": tuple(map(past_of, saved["bests"])),
        "presses": tuple(_press(*one) for one in saved["presses"]),
        "pressed": dict(saved["pressed"]),
        "debts": tuple(map(fired_of, saved["debts"])),
    }


def _press(
    words: str,
    attempt: Mapping[str, Any],
    counts: Mapping[str, Any],
    hits: Sequence[Any],
    past: int,
    bests: int,
    route: str,
) -> Press:
    tail = tuple((str(one), str(kind)) for one, kind in hits[1])
    had = {name: None if one is None else SplitCount(*one) for name, one in counts.items()}
    return Press(words, attempt, had, (int(hits[0]), tail), past, bests, route)
