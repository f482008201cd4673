"""What a cue would have done, values and all: an engine of its own, led through the log and the readings again.

Only what decides is led through: what the cue listens to, and the signals that its trigger and its conditions read,
with all that those are computed from.
"""

from __future__ import annotations

import heapq
import time
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import NamedTuple

from sqlmodel import Session

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.graph import Definition, key_of, make_state
from tesoura.core.computed.occurrence import Occurrence, instant
from tesoura.core.cues.cue import FIRES, REFUSED, CuePlan
from tesoura.core.cues.limits import Answer, cause_of
from tesoura.core.cues.looking_back import LookedBack
from tesoura.core.instruments.base import Choices, Fired
from tesoura.core.instruments.runner import Setup
from tesoura.core.signals.assignments import TYPES
from tesoura.core.signals.engine import Engine, LogEntry
from tesoura.core.values import Event, Reading
from tesoura.runtime.computations import Computations
from tesoura.runtime.replay import feed_from_log
from tesoura.store import log as event_log
from tesoura.store import readings
from tesoura.store.readings import KeptReading

NAME = "rehearsed_cue"
BUDGET_S = 2.0
"""So long is gone through the log; what is left then is told as not looked at."""
LOOKS = 100
MOST_TICKS = 50_000


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


def rehearse(
    session: Session, computations: Computations, ground: Ground, plan: CuePlan, choices: Choices, since: datetime,
    now: datetime, budget_s: float = BUDGET_S,
) -> Rehearsed:  # fmt: skip
    """Its decisions from this instant on, had it been there."""
    needed = dict.fromkeys((*plan.trigger.reads, *plan.conditions.reads))
    own = [one for one in _below(needed, ground, since) if key_of(one) != NAME]
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
        state, after_seq = computations.beginning(session, definition, since)
        feed_from_log(session, state, from_seq, after_seq, since)
        engine.compute(definition, since, state)
    engine.compute(Setup("cue", NAME, choices), since)
    types = {*plan.trigger.types, *kinds, *TYPES}
    for definition in own:
        types |= set(make_state(definition, ground.almanac, since).types)
    steps = _steps(session, sorted(types), raw, from_seq, ground.until_seq, since, now)
    told = Rehearsed(untold=[name for name in raw if name not in engine.values])
    _lead(engine, steps, told, since, now, budget_s)
    told.untold = [name for name in told.untold if name not in engine.values]
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
    session: Session, types: Sequence[str], raw: Sequence[str], from_seq: int, until_seq: int, since: datetime,
    now: datetime,
) -> Iterator[_Step]:  # fmt: skip
    events = (
        _Step(one.seq, 0, instant(one.at), one)
        for one in event_log.happenings(session, types, None, until_seq, from_seq, in_order=True)
    )
    kept = (_Step(one.after_seq, 1, one.observed_at, one) for one in readings.between(session, raw, since, now))
    return heapq.merge(events, kept, key=lambda step: step[:3])


def _lead(
    engine: Engine, steps: Iterator[_Step], told: Rehearsed, since: datetime, now: datetime, budget_s: float
) -> None:
    began, at, seq, ticks = time.monotonic(), since, 0, 0
    for number, step in enumerate(steps):
        if number % 64 == 0 and (time.monotonic() - began > budget_s or ticks > MOST_TICKS):
            told.until = at
            return
        at, seq = max(at, step.at), max(seq, step.seq)
        ticks += _tick(engine, at, told, seq)
        if isinstance(step.what, Occurrence):
            one = step.what
            event = Event(str(one.seq), one.source, one.type, step.at, one.data)
            engine.apply_events([LogEntry(one.seq, event, at)], at)
        elif step.what.value is None:
            engine.remove_signal(step.what.signal, at)
        else:
            reading = Reading(step.what.signal, step.what.value, step.at)
            engine.set_value(reading, reading.name.partition(".")[0], None, None, at)
        _decide(engine, told, at, seq)
    _tick(engine, now, told, seq)


def _tick(engine: Engine, until: datetime, told: Rehearsed, seq: int) -> int:
    """Let all that time alone changes change, up to this instant; how often something did."""
    ticks = 0
    while (due := engine.graph.next_change()) is not None and due <= until and ticks < MOST_TICKS:
        engine.tick(due)
        _decide(engine, told, due, seq)
        ticks += 1
    return ticks


def _decide(engine: Engine, told: Rehearsed, at: datetime, seq: int) -> None:
    """Count what the cue has decided, and let it hear it as the log would tell it."""
    while fired := [one for setup, one in engine.graph.take_fired() if setup.name == NAME]:
        for one in fired:
            _count(told.found, one)
        events = [LogEntry(seq, Event(one.id, f"instrument:{NAME}", one.type, one.at, one.data), at) for one in fired]
        engine.apply_events(events, at)


def _count(found: LookedBack, one: Fired) -> None:
    outcome, cause = one.data["outcome"], cause_of(one.data["cause"])
    if outcome == FIRES:
        found.take(Answer(cause, one.at, fires=True))
    elif outcome == REFUSED:
        found.take(Answer(cause, one.at, why=str(one.data["why"])))
        found.refused += int(one.data.get("more", 0))
