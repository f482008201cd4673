"""What a stream session came to: figures and marks, found in the log, and kept before the log lets go of its events."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime
from typing import Any

from sqlmodel import Session

from tesoura.core.instruments.records import RecordKind
from tesoura.core.instruments.registry import KINDS
from tesoura.core.values import Scalar
from tesoura.runtime.computations import Computations
from tesoura.store import computed as stored_computed
from tesoura.store import log as event_log
from tesoura.store import log_search, state
from tesoura.store import records as kept_records
from tesoura.store.log_search import Search
from tesoura.store.state import StreamSession
from tesoura.store.store import Store
from tesoura.store.tables import SessionReportRow

MARKS = 160
"""Into so many stretches a session is divided for the picture of what happened when."""
MOST_RECORDS = 200


@dataclass(frozen=True, slots=True)
class SessionFigures:
    """What one computation or instrument told at a session's end, by signal, with the signals' units."""

    name: str
    values: Mapping[str, Scalar | None]
    units: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class SessionFacts:
    """What a session came to: until when something happened in it, its figures, and how often what happened when."""

    until: datetime
    figures: Sequence[SessionFigures] = ()
    marks: Mapping[str, Mapping[int, int]] = field(default_factory=dict)
    """How often a type of event happened in each stretch of the session, by its number."""


@dataclass(frozen=True, slots=True)
class SessionRecords:
    """What an instrument wrote down in a session, of one kind, the oldest first."""

    title: str
    kind: RecordKind
    rows: Sequence[tuple[datetime, Mapping[str, Any]]]


class SessionReports:
    """The way to what sessions came to."""

    def __init__(self, store: Store, computations: Computations) -> None:
        self._store, self._computations = store, computations

    async def facts(self, one: StreamSession, until: datetime) -> SessionFacts:
        """Return what a session came to: as it was kept, or found in the log where all of it still is."""
        kept = await asyncio.to_thread(self._store.read, lambda session: _kept(session, one))
        return kept or await self._found(one, until)

    async def keep_before(self, before: datetime) -> None:
        """Keep what those sessions came to of which the log is about to let go."""

        def ask(session: Session) -> list[tuple[StreamSession, datetime]]:
            every = [one for one in state.all_sessions(session) if one.ended_at and one.started_at < before]
            lasts = [
                (one, event_log.last_time(session, one.started_at, one.ended_at))
                for one in every
                if session.get(SessionReportRow, one.id) is None
            ]
            return [(one, last) for one, last in lasts if last is not None]

        for one, last in await asyncio.to_thread(self._store.read, ask):
            facts = await self._found(one, last, one.ended_at)
            row = SessionReportRow(session_id=one.id, until=facts.until, facts=_told(facts))

            def write(session: Session, row: SessionReportRow = row) -> None:
                session.merge(row)

            await asyncio.wrap_future(self._store.writer.submit(write))

    async def _found(self, one: StreamSession, until: datetime, end: datetime | None = None) -> SessionFacts:
        previews = await self._computations.of_session(one.started_at, end or one.ended_at or until)
        figures = [
            SessionFigures(next(iter(found.values)).partition(".")[0], found.values, found.units)
            for found in previews
            if found.events and found.values
        ]
        marks = await asyncio.to_thread(self._store.read, lambda session: marks_of(session, one, until))
        return SessionFacts(until, figures, marks)

    def records(self, session: Session, one: StreamSession) -> list[SessionRecords]:
        """Return what instruments wrote down in a session; it stays when the log lets go of what led to it."""
        found = []
        for row in stored_computed.all_computed(session):
            kind = KINDS.get(row.kind)
            for each in kind.records if kind is not None else ():
                kept = list(
                    kept_records.of(session, row.name, each.name, one.started_at, until=one.ended_at, most=MOST_RECORDS)
                )[::-1]
                if kept:
                    told = [(record.record.at, record.record.data) for record in kept]
                    found.append(SessionRecords(str(row.choices.get("title", row.name)), each, told))
        return found


def marks_of(session: Session, one: StreamSession, until: datetime) -> dict[str, dict[int, int]]:
    """Return how often each type of event happened in each stretch of a session."""
    length_s = max((until - one.started_at).total_seconds(), 1.0)
    void = event_log.voided(session)
    found: dict[str, dict[int, int]] = {}
    for logged in log_search.by_time(session, Search(since=one.started_at, until=one.ended_at)):
        kind = logged.event.type
        if not kind.startswith("tesoura.") and logged.seq not in void:
            place = min(int((logged.event.time - one.started_at).total_seconds() / length_s * MARKS), MARKS - 1)
            row = found.setdefault(kind, {})
            row[place] = row.get(place, 0) + 1
    return found


def _told(facts: SessionFacts) -> dict[str, Any]:
    marks = {kind: [[at, count] for at, count in row.items()] for kind, row in facts.marks.items()}
    return {"figures": [asdict(one) for one in facts.figures], "marks": marks}


def _kept(session: Session, one: StreamSession) -> SessionFacts | None:
    row = session.get(SessionReportRow, one.id)
    if row is None:
        return None
    figures = [SessionFigures(each["name"], each["values"], each["units"]) for each in row.facts["figures"]]
    marks = {kind: {int(at): int(count) for at, count in told} for kind, told in row.facts["marks"].items()}
    return SessionFacts(row.until, figures, marks)
