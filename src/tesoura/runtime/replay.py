"""Reading the log again: for a computation that only it can tell, from where it was stored or from its beginning."""

from __future__ import annotations

import heapq
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from sqlmodel import Session

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.chain import ChainState
from tesoura.core.computed.clock_sets import ClockSets
from tesoura.core.computed.graph import Definition, State, depends_on
from tesoura.core.computed.occurrence import Occurrence, micros, occurrence
from tesoura.core.computed.window import WindowState
from tesoura.core.computed.window_definition import Window
from tesoura.core.instruments.runner import CLOCK_SET, Runner, Setup
from tesoura.store import log as event_log
from tesoura.store.event_corrections import Corrected


class Replayed(NamedTuple):
    """How many events a state was given, and when the last of those that counted was accepted."""

    events: int
    last_at: datetime | None


def stands_for(definition: Definition, almanac: Almanac) -> str:
    """What a stored state stands for: this very definition, under what of the calendar it depends on."""
    return f"{_told(definition)} {depends_on(definition, almanac)}"


def base_for(definition: Definition, almanac: Almanac) -> str:
    """What the state stands for that is kept of the log's beginning: what it counts, and not how it tells it.

    An instrument goes on from how it stood, whatever of its set-up was changed since.
    """
    if isinstance(definition, Setup):
        return f"{definition.kind} {definition.name}"
    if isinstance(definition, Window):
        telling = ("unit", "top", "stats", "anonymous_as")
        return f"{_told(definition, telling)} ranks={'top' in definition.stats} {depends_on(definition, almanac)}"
    return stands_for(definition, almanac)


def _told(definition: Definition, without: tuple[str, ...] = ()) -> str:
    rule = getattr(definition, "only_if", None)
    plain = [
        f"{name}={getattr(definition, name)!r}"
        for name in definition.__slots__
        if name not in ("only_if", "formula", *without)
    ]
    return " ".join([type(definition).__name__, *plain, f"only_if={rule.source if rule else ''}"])


Progress = Callable[[int], None]
"""Told now and then up to which place the log was read. Raises to stop the reading."""
TELL_EVERY = 2_000


def nobody(seq: int) -> None:
    """Nobody waits for it."""


def feed_from_log(session: Session, state: State, until_seq: int, after_seq: int, now: datetime) -> Replayed:
    """Let a state have the log's events from one place to another. Raises what the state raises."""
    one = Rebuilding("", state, after_seq)
    feed_alone(session, one, until_seq, now)
    if one.error is not None:
        raise one.error
    return one.replayed(session)


def feed_alone(session: Session, one: Rebuilding, until_seq: int, now: datetime) -> None:
    """Let one state have the log's events, those of its types alone; should it fail, with its error."""
    since, in_order = one.state.since(now), isinstance(one.state, Runner)
    if since is not None:
        # What was logged before the clock was set forward is later than it was logged.
        since -= timedelta(microseconds=sum(abs(one.by) for one in event_log.clock_sets(session).sets))
    _feed(
        session,
        [one],
        until_seq,
        now,
        lambda types: event_log.happenings(session, types, since, until_seq, one.after_seq, in_order),
        event_log.clock_sets(session),
    )


@dataclass(slots=True)
class Rebuilding:
    """A computation on its way through the log, from `after_seq` on: what it took so far, or how it failed."""

    key: str
    state: State
    after_seq: int
    events: int = 0
    last: int = 0
    """The place of the last event that counted."""
    error: Exception | None = None

    def replayed(self, session: Session) -> Replayed:
        """Return how much it took."""
        return Replayed(self.events, event_log.accepted_at(session, self.last))


def feed_together(
    session: Session,
    rebuilding: Sequence[Rebuilding],
    until_seq: int,
    now: datetime,
    progress: Progress = nobody,
    corrected: Corrected | None = None,
) -> None:
    """Let many states have the log's events, each from its own place on, in one pass.

    One that fails is left where it failed, with its error; the others go on. With `corrected`, as if these were the
    corrections there are.
    """
    _feed(
        session,
        rebuilding,
        until_seq,
        now,
        lambda types: event_log.walk(session, types, until_seq, min(one.after_seq for one in rebuilding), corrected),
        event_log.clock_sets(session),
        progress,
    )


def _feed(
    session: Session,
    rebuilding: Sequence[Rebuilding],
    until_seq: int,
    now: datetime,
    read: Callable[[list[str]], Iterator[Occurrence]],
    sets: ClockSets,
    progress: Progress = nobody,
) -> None:
    """Instruments get the clock change in order; everything else is built from corrected instants."""
    takers: dict[str, list[tuple[Rebuilding, int]]] = {}
    for one in rebuilding:
        state = one.state
        if isinstance(state, Runner) and state.definition.kind_of.records:
            state.recorded_from = one.after_seq
        if isinstance(state, WindowState) and state.definition.span.kind == "events":
            try:
                one.events, one.last = _last_events(session, state, until_seq, one.after_seq, now)
            except Exception as error:
                one.error = error
            continue
        since = state.since(now)
        for kind in state.types:
            takers.setdefault(kind, []).append((one, micros(since) if since is not None else 0))
    for number, event in enumerate(read(sorted(takers)) if takers else ()):
        if number % TELL_EVERY == 0:
            progress(event.seq)
        moved = event._replace(at=sets.now_at(event.seq, event.at)) if sets else event
        for one, since_us in takers[event.type]:
            told = event if isinstance(one.state, Runner) else moved
            if one.error is not None or event.seq <= one.after_seq:
                continue
            if told.at < since_us and event.type != CLOCK_SET:
                continue
            try:
                one.events += 1
                if one.state.take(told, now):
                    one.last = max(one.last, event.seq)
            except Exception as error:
                one.error = error


def _last_events(
    session: Session, state: WindowState, until_seq: int, after_seq: int, now: datetime
) -> tuple[int, int]:
    """Take the last few, found from the end however long the log is; how many, and the place of the last.

    They are asked for by the times that they claim; since none happened later than it claims, the search ends as soon
    as what is still to come claims less than the oldest of those found.
    """
    wanted, found = state.definition.span.length, list[tuple[int, int, Occurrence]]()
    sets = event_log.clock_sets(session)
    slack = sum(abs(one.by) for one in sets.sets)
    for logged in event_log.backwards(session, state.types, until_seq):
        one = occurrence(logged.event, logged.seq, logged.accepted_at)
        if len(found) >= wanted and micros(logged.event.time) + slack < found[0][0]:
            break
        one = one._replace(at=sets.now_at(one.seq, one.at))
        if logged.seq > after_seq and state.fits(one):
            heapq.heappush(found, (one.at, one.seq, one))
            if len(found) > wanted:
                heapq.heappop(found)
    for _, _, one in sorted(found):
        state.take(one, now)
    return len(found), max((seq for _, seq, _ in found), default=0)


def base_of(state: State) -> Mapping[str, Any] | None:
    """What is kept of a computation where the log lets go of its beginning; None when that decides nothing of it."""
    kept: Mapping[str, Any] | None = state.base() if isinstance(state, WindowState | ChainState) else state.saved()
    return kept
