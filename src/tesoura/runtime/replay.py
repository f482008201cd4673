"""Reading the log again: for a computation that only it can tell, from where it was stored or from its beginning."""

from __future__ import annotations

from datetime import datetime
from typing import NamedTuple

from sqlmodel import Session

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.graph import Definition, State, depends_on
from tesoura.core.computed.occurrence import Occurrence, instant, occurrence
from tesoura.core.computed.window import WindowState
from tesoura.core.instruments.runner import Runner
from tesoura.store import log as event_log


class Replayed(NamedTuple):
    """How many events a state was given, and when the last of those that counted happened."""

    events: int
    last_at: datetime | None


def stands_for(definition: Definition, almanac: Almanac) -> str:
    """What a stored state stands for: this very definition, under what of the calendar it depends on."""
    return f"{_told(definition)} {depends_on(definition, almanac)}"


def _told(definition: Definition) -> str:
    rule = getattr(definition, "only_if", None)
    plain = [
        f"{name}={getattr(definition, name)!r}" for name in definition.__slots__ if name not in ("only_if", "formula")
    ]
    return " ".join([type(definition).__name__, *plain, f"only_if={rule.source if rule else ''}"])


def feed_from_log(session: Session, state: State, until_seq: int, after_seq: int, now: datetime) -> Replayed:
    """Let a state have the log's events from one place to another."""
    count, last = 0, 0
    if not state.types:
        return Replayed(0, None)
    if isinstance(state, WindowState) and state.definition.span.kind == "events":
        return _last_events(session, state, until_seq, now)
    since = state.since(now)
    if isinstance(state, Runner) and state.definition.kind_of.records:
        state.recorded_from = after_seq
    for one in event_log.happenings(session, state.types, since, until_seq, after_seq, isinstance(state, Runner)):
        if state.take(one, now):
            last = max(last, one.at)
        count += 1
    return Replayed(count, instant(last) if last else None)


def _last_events(session: Session, state: WindowState, until_seq: int, now: datetime) -> Replayed:
    # The last few are found from the end, however long the log is.
    found: list[Occurrence] = []
    for logged in event_log.backwards(session, state.types, until_seq):
        one = occurrence(logged.event, logged.seq, logged.accepted_at)
        if state.fits(one):
            found.append(one)
        if len(found) >= state.definition.span.length:
            break
    for one in reversed(found):
        state.take(one, now)
    return Replayed(len(found), max((instant(one.at) for one in found), default=None))
