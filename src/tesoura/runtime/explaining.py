"""Why a signal has the value it has: the events that changed it, the readings, the signals it is computed from."""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlmodel import Session

from tesoura.core.computed.graph import Definition, State, key_of, make_state
from tesoura.core.computed.occurrence import instant
from tesoura.core.instruments.runner import Runner, Setup
from tesoura.core.names import snake
from tesoura.core.signals.assignments import TYPES, assignment_of
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Scalar, Signal, scalars
from tesoura.runtime.computations import Computations
from tesoura.store import log as event_log
from tesoura.store import readings
from tesoura.store.log import Logged
from tesoura.store.store import Store

LOOKED_AT = 5_000
"""So many of the newest places of the log are looked at for what changed a value."""
MOST = 30


@dataclass(frozen=True, slots=True)
class Because:
    """An event that changed a signal: it, and the value before and after it."""

    logged: Logged
    before: Scalar | None
    after: Scalar | None


@dataclass(frozen=True, slots=True)
class Explanation:
    """What stands behind a signal.

    `events` are those that changed it and `found` its readings, the latest first; `reads` the signals that it is
    computed from, as they are now. `partly` when the log goes back further than was looked at.
    """

    signal: Signal
    events: Sequence[Because] = ()
    found: Sequence[readings.KeptReading] = ()
    reads: Sequence[Signal] = ()
    partly: bool = False


async def explain(
    name: str, store: Store, engine: Engine, computations: Computations, now: datetime
) -> Explanation | None:
    """What stands behind a signal; None when there is none of that name."""
    signal = engine.signal(name, now)
    if signal is None:
        return None
    until_seq = computations.applied
    definition = _of(engine, name)
    if definition is not None and key_of(definition) in engine.graph.broken:
        return Explanation(signal)
    if definition is not None:
        state = make_state(definition, engine.graph.almanac, now)
        reads = [one for read in state.reads if (one := engine.signal(read, now)) is not None]
        if not state.types:
            return Explanation(signal, reads=reads)
        events, partly = await asyncio.to_thread(
            store.read, lambda session: _replayed(session, computations, definition, name, until_seq, now)
        )
        return Explanation(signal, events, reads=reads, partly=partly)

    def look(session: Session) -> Explanation:
        told = _assigned(session, name, until_seq)
        kept = [*readings.latest(session, name, MOST)]
        return Explanation(signal, told or _of_type(session, engine, name, until_seq), kept)

    return await asyncio.to_thread(store.read, look)


def _of(engine: Engine, name: str) -> Definition | None:
    """The computation that gives a signal."""
    for key in (name, name.partition(".")[0]):
        definition = engine.graph.definition(key)
        if definition is not None and name in definition.outputs():
            return definition
    return None


def _replayed(
    session: Session, computations: Computations, definition: Definition, name: str, until_seq: int, now: datetime
) -> tuple[list[Because], bool]:
    """The events that changed a signal, by reading the log again and looking at the value before and after each.

    What time alone changes is not among them: both looks are at the event's own instant.
    """
    state, after_seq = computations.beginning(session, definition, now)
    if not isinstance(definition, Setup):
        # An instrument comes to what it is from its beginning on; what counts is told by the newest events.
        after_seq = max(until_seq - LOOKED_AT, after_seq)
    found: deque[tuple[int, Scalar | None, Scalar | None]] = deque(maxlen=MOST)
    for one in event_log.happenings(session, state.types, None, until_seq, after_seq, in_order=True):
        at = instant(one.at)
        before = _value(state, name, at)
        took = state.take(one, at)
        after = _value(state, name, at)
        if took and before != after:
            found.append((one.seq, before, after))
    logged = {seq: event_log.with_corrections(session, seq) for seq, _, _ in found}
    told = [Because(it, before, after) for seq, before, after in reversed(found) if (it := logged[seq]) is not None]
    return told, after_seq > 0


def _value(state: State, name: str, at: datetime) -> Scalar | None:
    if isinstance(state, Runner):
        return state.instrument.advance(at).read(at).get(name.partition(".")[2])
    state.settle(at)
    told: Mapping[str, Scalar | None] = state.read(at, {})
    return told.get(name)


def _assigned(session: Session, name: str, until_seq: int) -> list[Because]:
    """The last times that a value was set: by a script, by hand, or as the scene."""
    found: list[tuple[Logged, Scalar | None]] = []
    for logged in event_log.backwards(session, sorted(TYPES), until_seq):
        given = assignment_of(logged.event)
        if given is not None and given.signal == name:
            found.append((logged, given.value))
        if len(found) > MOST:
            break
    return _one_after_another(found)


def _told(logged: Logged, field: str) -> Scalar | None:
    return next((value for key, value in scalars(logged.event.data) if snake(key) == field), None)


def _of_type(session: Session, engine: Engine, name: str, until_seq: int) -> list[Because]:
    """The last events of the type whose own signal this is, with what each told."""
    feed, _, field = name.partition(".")
    kind = next((one for one in engine.event_types() if engine.event_feed(one) == feed), None)
    if kind is None:
        return []
    told: list[tuple[Logged, Scalar | None]] = []
    for logged in event_log.backwards(session, [kind], until_seq):
        told.append((logged, _told(logged, field)))
        if len(told) > MOST:
            break
    return _one_after_another(told)


def _one_after_another(told: Sequence[tuple[Logged, Scalar | None]]) -> list[Because]:
    """What each event told, the latest first, each beside what the one before it had told."""
    return [
        Because(logged, told[at + 1][1] if at + 1 < len(told) else None, value)
        for at, (logged, value) in enumerate(told)
    ][:MOST]
