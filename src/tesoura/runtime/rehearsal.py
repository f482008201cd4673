"""What a cue would have done, values and all: an engine of its own, led through the log and the readings again.

Only what decides is led through: what the cue listens to, and the signals that its trigger and its conditions read,
with all that those are computed from.
"""

from __future__ import annotations

import heapq
import time
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import NamedTuple

from sqlmodel import Session

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.graph import Definition, key_of, make_state
from tesoura.core.computed.occurrence import Occurrence, instant
from tesoura.core.cues.conditions import OnlyIf
from tesoura.core.cues.limits import Answer, Cause, Limits, Turns
from tesoura.core.cues.looking_back import Decides, LookedBack, stepped, turn_of
from tesoura.core.cues.triggers import Seen, Trigger
from tesoura.core.signals.assignments import TYPES
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Reading
from tesoura.runtime.computations import Computations
from tesoura.runtime.past_values import ComputedPast, PastValues, ToldPast
from tesoura.runtime.replay import feed_from_log
from tesoura.store import log as event_log
from tesoura.store import readings
from tesoura.store.readings import KeptReading
from tesoura.store.state import StreamSession

BUDGET_S = 2.0
"""So long is gone through the log; what is left then is told as not looked at."""
LOOKS = 100
MOST_TICKS = 50_000


@dataclass(frozen=True, slots=True)
class Question:
    """When something was so, each time."""

    trigger: Trigger
    conditions: OnlyIf = field(default_factory=OnlyIf)
    limits: Limits = field(default_factory=Limits)


@dataclass(frozen=True, slots=True)
class Ground:
    """What the loop knows and a rehearsal needs: all that is computed, and whose signals types of events are."""

    definitions: Mapping[str, Definition]
    kinds: Mapping[str, str]
    """The type of event by the first half of its signals' names."""
    until_seq: int
    almanac: Almanac


class _Step(NamedTuple):
    """One thing that happened: at which place of the log, whether a reading behind it, and what."""

    seq: int
    behind: int
    at: datetime
    what: Occurrence | KeptReading


@dataclass(slots=True)
class Rehearsed:
    """What it would have decided, until when it was looked at, and the values that the log does not tell."""

    found: LookedBack = field(default_factory=LookedBack)
    until: datetime | None = None
    """Where the time for looking was over; None when all was looked at."""
    untold: Sequence[str] = ()


def ground_of(engine: Engine, until_seq: int) -> Ground:
    """What a rehearsal needs of the engine that runs."""
    kinds = {feed: kind for kind in engine.event_types() if (feed := engine.event_feed(kind))}
    return Ground(dict(engine.graph), kinds, until_seq, engine.graph.almanac)


def ground_of_session(session: Session, ground: Ground, one: StreamSession) -> Ground:
    """The same as it was in an earlier stream session: up to its end, and with what counts from its beginning."""
    until_seq = event_log.seq_before(session, one.ended_at) if one.ended_at is not None else ground.until_seq
    return replace(ground, until_seq=until_seq, almanac=replace(ground.almanac, session_began=one.started_at))


def rehearse(
    session: Session,
    computations: Computations,
    ground: Ground,
    plan: Decides,
    since: datetime,
    now: datetime,
    budget_s: float = BUDGET_S,
) -> Rehearsed:
    """Its decisions from one instant to another, had it been there."""
    needed = dict.fromkeys((*plan.trigger.reads, *plan.conditions.reads))
    own = _below(needed, ground, since)
    from_seq = event_log.seq_before(session, since)
    engine = Engine()
    engine.graph.almanac = ground.almanac
    raw = _raw(needed, own, ground.almanac, since)
    for name in raw:
        if (reading := readings.at(session, name, since)) is not None and reading.value is not None:
            engine.set_value(Reading(name, reading.value, since), name.partition(".")[0], None, None, since)
    kinds = {kind for name in raw if (kind := ground.kinds.get(name.partition(".")[0]))}
    for kind in (*sorted(kinds), *sorted(TYPES)):
        for logged in event_log.newest_before(session, kind, from_seq, LOOKS if kind in TYPES else 1):
            engine.apply_event(logged.event, since, logged.seq)
    for definition in own:
        state, after_seq = computations.beginning(session, definition, since, ground.almanac)
        feed_from_log(session, state, from_seq, after_seq, since)
        engine.compute(definition, since, state)
    types = {*plan.trigger.types, *kinds, *TYPES}
    for definition in own:
        types |= set(make_state(definition, ground.almanac, since).types)
    steps = _steps(session, sorted(types), raw, from_seq, ground.until_seq, since, now)
    told = Rehearsed(untold=[name for name in raw if name not in engine.values])
    engine.settle(since)
    kept: PastValues = ComputedPast(engine) if own else ToldPast(raw, ground.kinds, engine.values)
    _Rehearsing(plan, kept, told, since).lead(steps, now, budget_s)
    told.untold = [name for name in told.untold if name not in kept.values]
    return told


def _below(names: Mapping[str, None], ground: Ground, now: datetime) -> list[Definition]:
    """All that these signals are computed from, what is read before what reads it."""
    gives = {output: one for one in ground.definitions.values() for output in one.outputs()}
    found: dict[str, Definition] = {}

    def add(name: str) -> None:
        definition = gives.get(name)
        if definition is None or key_of(definition) in found:
            return
        found[key_of(definition)] = definition
        for read in make_state(definition, ground.almanac, now).reads:
            add(read)

    for name in names:
        add(name)
    return list(reversed(found.values()))


def _raw(names: Mapping[str, None], own: Sequence[Definition], almanac: Almanac, now: datetime) -> list[str]:
    """The signals among those that are read which nothing computes."""
    computed = {output for one in own for output in one.outputs()}
    read = [name for one in own for name in make_state(one, almanac, now).reads]
    return [name for name in dict.fromkeys((*names, *read)) if name not in computed]


def _steps(
    session: Session,
    types: Sequence[str],
    raw: Sequence[str],
    from_seq: int,
    until_seq: int,
    since: datetime,
    now: datetime,
) -> Iterator[_Step]:
    events = (
        _Step(one.seq, 0, instant(one.at), one)
        for one in event_log.happenings(session, types, None, until_seq, from_seq, in_order=True)
    )
    kept = (_Step(one.after_seq, 1, one.observed_at, one) for one in readings.between(session, raw, since, now))
    return heapq.merge(events, kept, key=lambda step: step[:3])


class _Rehearsing:
    """The cue as it is led through: what its trigger has seen, whose turn it is, and the values as they were."""

    def __init__(self, plan: Decides, kept: PastValues, told: Rehearsed, since: datetime) -> None:
        self._plan, self._kept, self._told = plan, kept, told
        self._values = kept.values
        self._turns, self._at = Turns(), since
        # What is so already has happened before it was there.
        self._seen, _ = plan.trigger.see(Seen(), self._values, since)

    def lead(self, steps: Iterator[_Step], now: datetime, budget_s: float) -> None:
        """Go through all of it, or as far as there is time."""
        began, ticks, types = time.monotonic(), 0, frozenset(self._plan.trigger.types)
        sees = bool(self._plan.trigger.reads)
        for number, step in enumerate(steps):
            if number % 64 == 0 and (time.monotonic() - began > budget_s or ticks > MOST_TICKS):
                self._told.until = self._at
                return
            at = max(self._at, step.at)
            ticks += self._tick(at)
            self._at = at
            if isinstance(step.what, Occurrence):
                self._kept.take(step.what, at)
                if step.what.type in types:
                    self._ask(self._plan.trigger.of_event(step.what))
            else:
                self._kept.read(step.what, at)
            if sees:
                self._see(at)
        self._tick(now)
        while self._turns.waiting:
            self._step(turn_of(self._turns, self._plan.limits))

    def _tick(self, until: datetime) -> int:
        """Let all that time alone changes change, up to this instant; how often something did."""
        ticks = 0
        while ticks < MOST_TICKS:
            own = self._plan.trigger.next_change(self._seen, self._at)
            due = [at for at in (self._kept.next_change(), own) if at is not None and at <= until]
            if not due:
                break
            self._at = max(self._at, min(due))
            self._kept.tick(self._at)
            self._see(self._at)
            ticks += 1
        return ticks

    def _see(self, at: datetime) -> None:
        self._seen, cause = self._plan.trigger.see(self._seen, self._values, at)
        self._ask(cause)

    def _ask(self, cause: Cause | None) -> None:
        if cause is None:
            return
        self._step(cause.at)
        if why := self._plan.conditions.unmet(self._values):
            self._told.found.take(Answer(cause, cause.at, why=why))
            return
        self._turns, answer = self._turns.ask(cause, self._plan.limits)
        self._told.found.take(answer)

    def _step(self, at: datetime) -> None:
        self._turns = stepped(self._turns, self._plan.limits, at, self._told.found)
