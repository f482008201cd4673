"""Reading the log again: for a computation that only it can tell, from where it was stored or from its beginning."""

from __future__ import annotations

import heapq
from collections.abc import Mapping
from datetime import datetime
from typing import Any, NamedTuple

from sqlmodel import Session

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.chain import ChainState
from tesoura.core.computed.graph import Definition, State, depends_on
from tesoura.core.computed.occurrence import Occurrence, micros, occurrence
from tesoura.core.computed.window import WindowState
from tesoura.core.computed.window_definition import Window
from tesoura.core.instruments.runner import Runner, Setup
from tesoura.store import log as event_log


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


def feed_from_log(session: Session, state: State, until_seq: int, after_seq: int, now: datetime) -> Replayed:
    """Let a state have the log's events from one place to another."""
    count, last = 0, 0
    if not state.types:
        return Replayed(0, None)
    if isinstance(state, WindowState) and state.definition.span.kind == "events":
        return _last_events(session, state, until_seq, after_seq, now)
    since = state.since(now)
    if isinstance(state, Runner) and state.definition.kind_of.records:
        state.recorded_from = after_seq
    for one in event_log.happenings(session, state.types, since, until_seq, after_seq, isinstance(state, Runner)):
        if state.take(one, now):
            last = max(last, one.seq)
        count += 1
    return Replayed(count, event_log.accepted_at(session, last))


def _last_events(session: Session, state: WindowState, until_seq: int, after_seq: int, now: datetime) -> Replayed:
    """The last few, found from the end however long the log is.

    They are asked for by the times that they claim; since none happened later than it claims, the search ends as soon
    as what is still to come claims less than the oldest of those found.
    """
    wanted, found = state.definition.span.length, list[tuple[int, int, Occurrence]]()
    for logged in event_log.backwards(session, state.types, until_seq):
        one = occurrence(logged.event, logged.seq, logged.accepted_at)
        if len(found) >= wanted and micros(logged.event.time) < found[0][0]:
            break
        if logged.seq > after_seq and state.fits(one):
            heapq.heappush(found, (one.at, one.seq, one))
            if len(found) > wanted:
                heapq.heappop(found)
    for _, _, one in sorted(found):
        state.take(one, now)
    return Replayed(len(found), event_log.accepted_at(session, max((seq for _, seq, _ in found), default=0)))


def base_of(state: State) -> Mapping[str, Any] | None:
    """What is kept of a computation where the log lets go of its beginning; None when that decides nothing of it."""
    kept: Mapping[str, Any] | None = state.base() if isinstance(state, WindowState | ChainState) else state.saved()
    return kept
