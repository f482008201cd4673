"""Computed signals that run: brought back after a restart, built from the log when only it can tell, saved."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable, Container, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlmodel import Session

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.clock_sets import ClockSets
from tesoura.core.computed.definitions import build
from tesoura.core.computed.derived import Change, DerivedState
from tesoura.core.computed.graph import Definition, State, depends_on, find_cycle, key_of, make_state
from tesoura.core.computed.occurrence import Occurrence, instant, micros, occurrence
from tesoura.core.instruments.registry import KINDS as INSTRUMENTS
from tesoura.core.instruments.runner import Setup
from tesoura.core.signals.changes import Changes
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event, Scalar
from tesoura.errors import FormulaError
from tesoura.runtime.replay import (
    Progress,
    Rebuilding,
    base_for,
    base_of,
    feed_alone,
    feed_from_log,
    feed_together,
    nobody,
    stands_for,
)
from tesoura.store import computed as stored
from tesoura.store import log as event_log
from tesoura.store.computed import SavedState
from tesoura.store.event_corrections import NO_CORRECTION, corrections, with_consequences
from tesoura.store.log import Logged
from tesoura.store.store import Store
from tesoura.store.tables import ComputedRow

log = logging.getLogger(__name__)
NO_SETS = ClockSets()
PREVIEWED = 20_000
"""A preview looks at so many places of the log, the newest."""


@dataclass(frozen=True, slots=True)
class Counted:
    """What an event did to one computation: whether it counts there, and why not when it does not."""

    key: str
    why_not: str | None


@dataclass(frozen=True, slots=True)
class Preview:
    """What a definition would tell: its signals' values and units, what is wrong, and from how much it was found."""

    values: Mapping[str, Scalar | None]
    units: Mapping[str, str]
    problem: str | None
    events: int
    partly: bool


@dataclass(frozen=True, slots=True)
class _Made:
    """A computation as it was made from what was stored and the log, and when the log last changed it since."""

    state: State
    at: datetime | None


@dataclass(frozen=True, slots=True)
class _Failed:
    """A computation that failed while it was made: one at its beginning, to stand in its place, and the failure."""

    fresh: State
    error: Exception


def defined(row: ComputedRow) -> Definition | None:
    """The definition in a row; None when this version cannot read it."""
    if row.kind in INSTRUMENTS:
        return Setup(row.kind, row.name, row.choices)
    try:
        return build(row.kind, row.name, row.choices)
    except (FormulaError, KeyError, ValueError, TypeError):
        log.exception("The computation %s can't be read", row.name)
        return None


class Computations:
    """The bridge between the stored computations, the log, and the engine."""

    def __init__(
        self, store: Store, engine: Engine, clock: Callable[[], datetime], publish: Callable[[Changes], None]
    ) -> None:
        self._store, self._engine, self._clock, self._publish = store, engine, clock, publish
        self._building = asyncio.Lock()
        self._meanwhile: list[Occurrence] | None = None
        self.applied = 0
        """Up to which place in the log events have been applied."""
        self.shared: Mapping[str, Mapping[str, Any]] = {}
        """The choices of those whose rules others share, by name."""

    def look_for_shared(self) -> bool:
        """See which choices others share; whether they are others than before."""
        rows = self._store.read(lambda session: list(stored.all_computed(session)))
        there = [row for row in rows if row.kind in INSTRUMENTS]
        found = {row.name: dict(row.choices) for row in there if INSTRUMENTS[row.kind].shares}
        changed, self.shared = found != self.shared, found
        return changed

    def names(self) -> set[str]:
        """The signals that are computed, as the store has it."""
        rows = self._store.read(lambda session: list(stored.all_computed(session)))
        return {name for row in rows if (one := defined(row)) is not None for name in one.outputs()}

    def restore(self, almanac: Almanac, until_seq: int, now: datetime, progress: Progress = nobody) -> None:
        """Bring all computations to this place in the log, from what was saved or from the log itself."""
        self._engine.set_almanac(almanac)
        self.applied = until_seq
        rows = self._store.read(lambda session: list(stored.all_computed(session)))
        definitions = [definition for row in rows if (definition := defined(row)) is not None]
        made = self._store.read(
            lambda session: self._made(session, definitions, until_seq, now, anew=False, progress=progress)
        )
        for definition in definitions:
            # Nobody is told yet: all of it is looked at once everything is back.
            list(self._put(definition, made[key_of(definition)]))

    def _made(
        self,
        session: Session,
        definitions: Sequence[Definition],
        until_seq: int,
        now: datetime,
        anew: bool = True,
        progress: Progress = nobody,
    ) -> dict[str, _Made | _Failed]:
        standings = stored.standings(session)
        corrected = [] if anew else event_log.corrected_seqs(session)
        sets = event_log.clock_sets(session)
        last_set = sets.sets[-1].seq if sets else 0
        rebuilding: list[Rebuilding] = []
        for definition in definitions:
            key = key_of(definition)
            # What a later correction has overtaken is good for nothing.
            late = standings.get(key) if not anew else None
            if late and (late.seq < last_set or any(by > late.seq >= of for by, of in corrected)):
                late = None
            base = standings.get(stored.BASE + key)
            # What came between an old standing and where the log begins now is in the base alone.
            behind = late is not None and base is not None and base.seq > late.seq
            if late is not None and (behind or not _fits(late, definition, self._engine.graph.almanac)):
                late = None
            try:
                rebuilding.append(self._begun(definition, late or base, now, sets))
            except Exception as error:
                # One that fails must not keep the others, or Tesoura, from starting.
                fresh = make_state(definition, self._engine.graph.almanac, now)
                rebuilding.append(Rebuilding(key, fresh, until_seq, error=error))
        if anew and len(rebuilding) == 1:
            feed_alone(session, rebuilding[0], until_seq, now)
        else:
            feed_together(session, rebuilding, until_seq, now, progress)
        return {
            one.key: _Made(one.state, one.replayed(session).last_at)
            if one.error is None
            else _Failed(make_state(definition, self._engine.graph.almanac, now), one.error)
            for definition, one in zip(definitions, rebuilding, strict=True)
        }

    def _put(
        self, definition: Definition, made: _Made | _Failed, meanwhile: Sequence[Occurrence] = ()
    ) -> Iterator[Changes]:
        """Run what was made from now on; what failed stands still and says so. What each step of that changed."""
        now = self._clock()
        if not isinstance(made, _Failed):
            try:
                at = made.at
                for one in meanwhile:
                    if one.type in made.state.types and made.state.take(one, now):
                        at = now
                made = _Made(made.state, at)
            except Exception as error:
                made = _Failed(make_state(definition, self._engine.graph.almanac, now), error)
        if isinstance(made, _Failed):
            yield self._engine.compute(definition, now, made.fresh)
            yield self._engine.computing_failed(key_of(definition), made.error, now)
        else:
            yield self._engine.compute(definition, now, made.state, made.at)

    def _state(
        self, session: Session, definition: Definition, standing: SavedState | None, until_seq: int, now: datetime
    ) -> State:
        one = self._begun(definition, standing, now, event_log.clock_sets(session))
        feed_from_log(session, one.state, until_seq, one.after_seq, now)
        return one.state

    def _begun(
        self, definition: Definition, standing: SavedState | None, now: datetime, sets: ClockSets = NO_SETS
    ) -> Rebuilding:
        """A computation as it was saved, or at its beginning, ready to be led through the log from there."""
        almanac, key = self._engine.graph.almanac, key_of(definition)
        if sets and isinstance(definition, Setup) and almanac.session_began is not None:
            # It is told on its way how the clock was set; until then the session began as the clock told it then.
            began = sets.was_at(standing.seq if standing is not None else 0, micros(almanac.session_began))
            almanac = replace(almanac, session_began=instant(began))
        state = make_state(definition, almanac, now)
        if standing is not None and _fits(standing, definition, self._engine.graph.almanac):
            try:
                state.restore(standing.state)
                return Rebuilding(key, state, standing.seq)
            except (KeyError, TypeError, ValueError):
                log.warning("The saved state of %s can't be read; rebuilding from the log", key)
                state = make_state(definition, almanac, now)
        return Rebuilding(key, state, 0)

    def beginning(
        self, session: Session, definition: Definition, now: datetime, almanac: Almanac | None = None
    ) -> tuple[State, int]:
        """A computation as it was where the log begins that is kept, and that place; by another calendar if given."""
        almanac = almanac or self._engine.graph.almanac
        state = make_state(definition, almanac, now)
        base = stored.standings(session).get(stored.BASE + key_of(definition))
        if base is None or not _fits(base, definition, almanac):
            return state, 0
        state.restore(base.state)
        return state, base.seq

    # Changing what is computed

    async def refresh(self, row_id: int) -> None:
        """Bring one computation to what the store says of it: new, changed or gone."""
        row = await asyncio.to_thread(self._store.read, lambda session: session.get(ComputedRow, row_id))
        definition = defined(row) if row is not None else None
        if row is None or definition is None:
            return
        if row.removed_at is not None:
            self._publish(self._engine.stop_computing(key_of(definition), self._clock()))
        else:
            await self._build([definition])

    async def rebuild(self, keys: Iterable[str] | None = None) -> None:
        """Build these computations from the log anew; without keys, all that the log or the calendar decides."""
        wanted = set(keys) if keys is not None else None
        definitions = [
            one for key, one in self._engine.graph if (wanted is None and _of_the_log(one)) or key in (wanted or ())
        ]
        if definitions:
            await self._build(definitions)

    async def set_almanac(self, almanac: Almanac) -> None:
        """Another zone, first weekday or session: what depends on it is built anew."""
        before, now = self._engine.graph.almanac, self._clock()
        self._engine.set_almanac(almanac)
        for key, one in list(self._engine.graph):
            if isinstance(one, Change) and (state := self._engine.graph.state(key)):
                again = make_state(one, almanac, now)
                again.restore(state.saved() or {})
                self._publish(self._engine.compute(one, now, again))
        await self.rebuild(
            key for key, one in self._engine.graph if depends_on(one, before) != depends_on(one, almanac)
        )

    async def _build(self, definitions: Sequence[Definition]) -> None:
        """Build while events go on coming: those that come meanwhile are applied to what was built at its end."""
        async with self._building:
            until_seq, now = self.applied, self._clock()
            self._meanwhile = []
            try:
                made = await asyncio.to_thread(
                    self._store.read, lambda session: self._made(session, definitions, until_seq, now)
                )
                for definition in definitions:
                    for changes in self._put(definition, made[key_of(definition)], self._meanwhile):
                        self._publish(changes)
            finally:
                self._meanwhile = None

    # Events

    def passed(self, logged: Sequence[Logged]) -> None:
        """These events are being applied to the computations that run."""
        self.applied = max(self.applied, logged[-1].seq)
        if self._meanwhile is not None:
            self._meanwhile += [occurrence(one.event, one.seq, one.accepted_at) for one in logged]

    async def correct(self, before: Event, after: Event, seq: int, accepted_at: datetime) -> None:
        """An event's amounts were corrected: put it right everywhere."""
        now = self._clock()
        async with self._building:
            hard = self._engine.correct(before, after, seq, accepted_at, now)
        self._publish(self._engine.corrected(before, after, now))
        await self.rebuild(hard)

    async def rebuild_takers(self, types: Iterable[str]) -> None:
        """Rebuild everything that takes one of these types of events."""
        keys = {key for kind in types for key in self._engine.graph.takers(kind)}
        if keys:
            await self.rebuild(keys)

    async def foresee(self, kind: str, seq: int, told: Sequence[Mapping[str, Any]]) -> list[str]:
        """What computations would tell otherwise if an event were corrected so, a line each."""
        now, until_seq = self._clock(), self.applied
        definitions = [self._engine.graph.definition(key) for key in self._engine.graph.takers(kind)]
        values = dict(self._engine.values)

        def job(session: Session) -> list[str]:
            before = corrections(session)
            change = before.get(seq, NO_CORRECTION)
            for one in told:
                change = change.after(one)
            after = with_consequences(session, {**before, seq: change})
            standings, lines = stored.standings(session), list[str]()
            for definition in definitions:
                if definition is None:
                    continue
                base = standings.get(stored.BASE + key_of(definition))
                found = []
                for corrected in (before, after):
                    tried = self._begun(definition, base, now, event_log.clock_sets(session))
                    feed_together(session, [tried], until_seq, now, corrected=corrected)
                    tried.state.settle(now)
                    found.append(tried.state.read(now, values))
                lines += _differences(*found)
            return lines

        return await asyncio.to_thread(self._store.read, job)

    async def put_right(self) -> None:
        """Build anew what only the log can set right: after the clock was set back, say."""
        stale = self._engine.graph.stale()
        if stale:
            await self.rebuild(stale)

    def counted(self, event: Event, seq: int, accepted_at: datetime) -> list[Counted]:
        """What an event did to the computations that take its type."""
        one, now = occurrence(event, seq, accepted_at), self._clock()
        found = []
        for key in self._engine.graph.takers(event.type):
            broken: str | None = "Stopped by an error in Tesoura."
            found.append(Counted(key, self._engine.graph.ask(key, lambda state: state.why_not(one, now), broken)))
        return found

    async def preview(self, definition: Definition) -> Preview:
        """What a definition would tell now, without keeping it; a window from the newest part of the log alone."""
        now, until_seq = self._clock(), self.applied
        state = make_state(definition, self._engine.graph.almanac, now)
        count = 0
        if state.types:
            after_seq = max(until_seq - PREVIEWED, 0)
            count, _ = await asyncio.to_thread(
                self._store.read, lambda session: feed_from_log(session, state, until_seq, after_seq, now)
            )
        if isinstance(state, DerivedState):
            state.style = self._engine.graph.style
        state.settle(now)
        values = state.read(now, self._engine.values)
        problem = state.problem if isinstance(state, DerivedState) else None
        return Preview(values, definition.outputs(), problem, count, until_seq > PREVIEWED)

    async def preview_all(self, definitions: Sequence[Definition]) -> dict[str, Scalar]:
        """What all of these would tell now, found in one walk through the newest part of the log."""
        now, until_seq = self._clock(), self.applied
        almanac = self._engine.graph.almanac
        states = [make_state(definition, almanac, now) for definition in definitions]
        types = sorted({kind for state in states for kind in state.types})
        after_seq = max(until_seq - PREVIEWED, 0)

        def job(session: Session) -> None:
            for one in event_log.happenings(session, types, None, until_seq, after_seq):
                for state in states:
                    if one.type in state.types:
                        state.take(one, now)

        await asyncio.to_thread(self._store.read, job)
        values: dict[str, Scalar] = dict(self._engine.values)
        for state in states:
            state.settle(now)
            told = state.read(now, values)
            values |= {name: value for name, value in told.items() if value is not None}
        return values

    async def of_session(self, start: datetime, until: datetime) -> list[Preview]:
        """What the windows and chains of a session told at its end, and the instruments that count by session."""
        almanac = replace(self._engine.graph.almanac, session_began=start)
        definitions = [
            one
            for _, one in self._engine.graph
            if (one.kind_of.reported if isinstance(one, Setup) else depends_on(one, almanac) == start.isoformat())
        ]
        until_seq, end = self.applied, micros(until)
        if start == self._engine.graph.almanac.session_began:
            return [self._of_present_session(one) for one in definitions]

        def job(session: Session) -> list[Preview]:
            told = []
            for definition in definitions:
                state, count = make_state(definition, almanac, until), 0
                plays = isinstance(definition, Setup)
                # An instrument must have heard all that led to how it stood when the session began.
                events = event_log.happenings(session, state.types, None if plays else start, until_seq, in_order=plays)
                for one in events:
                    if one.at < end:
                        state.take(one, until)
                        count += one.at >= micros(start)
                told.append(
                    Preview(_reported(definition, state.read(until, {})), definition.outputs(), None, count, False)
                )
            return told

        return await asyncio.to_thread(self._store.read, job)

    def _of_present_session(self, definition: Definition) -> Preview:
        """What a computation tells now, also where the log does not hold all that it counted any more."""
        known = self._engine.values
        values = _reported(definition, {name: known.get(name) for name in definition.outputs()})
        counted = sum(value not in (None, 0, "", False) for value in values.values())
        return Preview(values, definition.outputs(), None, counted, False)

    def cycle(self, definition: Definition) -> list[str] | None:
        """The way by which a definition would read itself, or None."""
        key = key_of(definition)
        others = [one for other, one in self._engine.graph if other != key]
        return find_cycle([definition, *others], self._engine.graph.almanac, self._clock())

    # Keeping

    async def let_go(self, before: datetime, now: datetime) -> int:
        """Let go of the log's beginning that is older than this instant, and keep what the windows had of it.

        What they had is worked out beside the writer, which others need; it only writes the answer, and only when
        nothing was corrected or defined otherwise meanwhile.
        """
        if self._engine.graph.broken:
            # What failed is built anew from the whole log once it is mended.
            return 0
        definitions = list(self._engine.graph)
        prepared = await asyncio.to_thread(
            self._store.read, lambda session: self._bases(session, definitions, before, now)
        )
        if prepared is None:
            return 0
        until_seq, bases, corrected = prepared

        def job(session: Session) -> int:
            if event_log.corrected_seqs(session) != corrected:
                return 0
            stored.save_standings(session, bases)
            return event_log.prune(session, until_seq)

        if definitions != list(self._engine.graph):
            return 0
        return await asyncio.wrap_future(self._store.writer.submit(job))

    def _bases(
        self, session: Session, definitions: Sequence[tuple[str, Definition]], before: datetime, now: datetime
    ) -> tuple[int, list[SavedState], list[tuple[int, int]]] | None:
        until_seq = event_log.prunable(session, before)
        if until_seq is None or until_seq > self.applied:
            return None
        standings, almanac, bases = stored.standings(session), self._engine.graph.almanac, []
        for key, definition in definitions:
            state = self._state(session, definition, standings.get(stored.BASE + key), until_seq, now)
            if (kept := base_of(state)) is not None:
                bases.append(SavedState(stored.BASE + key, until_seq, base_for(definition, almanac), kept))
        return until_seq, bases, event_log.corrected_seqs(session)

    def standings(self, keys: Container[str] | None = None) -> list[SavedState]:
        """How computations stand that are worth saving: all of them, or these."""
        almanac, seq = self._engine.graph.almanac, self.applied
        found = []
        for key, definition in self._engine.graph:
            if keys is not None and key not in keys:
                continue
            saved: dict[str, Any] | None = self._engine.graph.ask(key, lambda state: state.saved(), None)
            if saved is not None:
                found.append(SavedState(key, seq, stands_for(definition, almanac), saved))
        return found


def _fits(standing: SavedState, definition: Definition, almanac: Almanac) -> bool:
    """Whether a computation can go on from what was stored."""
    if standing.key.startswith(stored.BASE):
        return standing.stands_for in (base_for(definition, almanac), stands_for(definition, almanac))
    return standing.stands_for == stands_for(definition, almanac)


def _reported(definition: Definition, values: Mapping[str, Scalar | None]) -> dict[str, Scalar | None]:
    """What of a computation's signals tells what a session came to."""
    wanted = f"{definition.name}.{definition.kind_of.reported}" if isinstance(definition, Setup) else ""
    return {name: value for name, value in values.items() if name.startswith(wanted)}


def _differences(before: Mapping[str, Scalar | None], after: Mapping[str, Scalar | None]) -> list[str]:
    """What is told otherwise, signal by signal."""
    names = dict.fromkeys([*before, *after])
    pairs = [(name, before.get(name), after.get(name)) for name in names]
    return [
        f"{name}: {'—' if was is None else was} → {'—' if now is None else now}"
        for name, was, now in pairs
        if was != now
    ]


def _of_the_log(definition: Definition) -> bool:
    return hasattr(definition, "types")
