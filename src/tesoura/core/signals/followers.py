"""Signals whose changes are followed by what is computed from them, in order, before anything is redrawn."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.derived import OWN, DerivedState
from tesoura.core.computed.graph import Definition, Graph, State, key_of, make_state
from tesoura.core.instruments.runner import CLOCK_SET, COMMAND, Setup
from tesoura.core.language.numbers import ENGLISH, NumberStyle
from tesoura.core.signals.cells import Cells
from tesoura.core.signals.changes import Changes
from tesoura.core.signals.freshness import Cell
from tesoura.core.values import Scalar

_OWN_TYPES = (COMMAND, CLOCK_SET)
BROKEN = "An error in Tesoura stopped this. Rebuild it on its page."
"""What the signals of a computation say that failed."""


class FollowedCells(Cells):
    """The cells, and the computations that read them."""

    def __init__(self, style: NumberStyle = ENGLISH) -> None:
        super().__init__(style)
        self.graph = Graph()
        self.texts.extremes = self.graph.extremes
        self._built_at: dict[str, datetime] = {}

    def compute(
        self, definition: Definition, now: datetime, state: State | None = None, at: datetime | None = None
    ) -> Changes:
        """Compute these signals from now on, from the beginning or from a state that was built or stored.

        `at` is when what it was built from last changed it, if that was not now.
        """
        key = key_of(definition)
        self._built_at = {key: at} if at is not None else {}
        gone = self._outputs(key) - set(definition.outputs())
        for name in gone:
            self._forget(name)
        self.graph.put(definition, state or make_state(definition, self.graph.almanac, now))
        feed = OWN if isinstance(self._state(key), DerivedState) else key
        plays = isinstance(definition, Setup)
        self.add_feed(feed, None, lasting=plays, own=True)
        self._feeds[feed].restored = False
        watches = isinstance(definition, Setup) and definition.kind_of.watches
        kinds = () if watches else _of_others(key, self._state(key).types)
        for name, unit in definition.outputs().items():
            self.add_signal(feed, name, unit)
            self._cells[name].reads = () if watches else self._state(key).reads
            self._cells[name].broken = self._cells[name].restored = False
            self._follows(name, kinds)
            self._cells[name].passing = isinstance(definition, Setup) and definition.kind_of.passing
        changes = self._done(sorted(gone), now, (), [key])
        self._built_at = {}
        return changes

    def computing_failed(self, key: str, error: Exception, now: datetime) -> Changes:
        """A computation failed outside the engine: it stands still, and its signals say so."""
        self.graph.fail(key, error)
        return self._done([], now, (), [key])

    def stop_computing(self, key: str, now: datetime) -> Changes:
        """Forget computed signals."""
        names = sorted(self._outputs(key))
        self.graph.remove(key)
        for name in names:
            self._forget(name)
        if key in self._feeds and not self._feeds[key].names:
            del self._feeds[key]
        return self._done(names, now)

    def _outputs(self, key: str) -> set[str]:
        definition = self.graph.definition(key)
        return set(definition.outputs()) if definition else set()

    def set_almanac(self, almanac: Almanac) -> None:
        """Another zone, first weekday or session start. Whoever sets it builds the computations anew."""
        self.graph.almanac = almanac

    def _done(
        self, names: Sequence[str], now: datetime, feeds: tuple[str, ...] = (), computed: Iterable[str] = ()
    ) -> Changes:
        """These have changed, states included: compute what follows from them, and redraw."""
        self.texts.now = now
        if not self.graph or (not computed and self.graph.is_unread(names, now)):
            return self._changes(names, feeds)
        changed = dict.fromkeys(names)

        def write(key: str, values: Mapping[str, Scalar | None]) -> list[str]:
            written = self._write(key, values, now)
            changed.update(dict.fromkeys(written))
            return written

        self.graph.follow(computed, names, now, self._values, write)
        return self._changes(changed, feeds)

    def _write(self, key: str, values: Mapping[str, Scalar | None], now: datetime) -> list[str]:
        if key in self.graph.broken:
            return self._stand_still(key, now)
        touched: list[str] = []
        at = min(self._built_at.get(key, now), now)
        state, known = self.graph.state(key), self._values.get
        reads = state is not None and bool(state.reads)
        for name, value in values.items():
            before = known(name)
            same = value is before or (value == before and _alike(value, before))
            # Most of what a window tells is as it was: only what reads signals is as old as they are, and told again.
            if (same and not (reads and value is not None)) or (cell := self._cells.get(name)) is None:
                continue
            if value is None:
                self._empty(name)
            else:
                self._take(name, value, self._oldest(cell, at))
            if not same:
                touched.append(name)
        if not reads:
            return self._states_changed(touched, touched, now)
        if isinstance(state, DerivedState):
            for name in values:
                self._cells[name].problem = state.problem
        return self._states_changed([name for name in values if name in self._cells], touched, now)

    def _stand_still(self, key: str, now: datetime) -> list[str]:
        """What a broken computation told last is not live any more; its signals say why."""
        names = sorted(self._outputs(key))
        for name in names:
            self._cells[name].problem, self._cells[name].broken = BROKEN, True
        return self._states_changed(names, (), now)

    def _oldest(self, cell: Cell, now: datetime) -> datetime:
        """What is computed is as old as the oldest value it was computed from."""
        if not cell.reads:
            return now
        ages = [at for name in cell.reads if (at := self._age(name))]
        return min(ages, default=now)

    def _state(self, key: str) -> State:
        state = self.graph.state(key)
        assert state is not None
        return state


def _alike(one: object, other: object) -> bool:
    """Whether equal values are the same to a reader: 1 and True are not; 1 and 1.0 are."""
    return one.__class__ is other.__class__ or {one.__class__, other.__class__} == {int, float}


def _of_others(key: str, kinds: Iterable[str]) -> tuple[str, ...]:
    """The types among these that are brought from elsewhere: no commands, and nothing that it fires itself."""
    return tuple(kind for kind in kinds if not kind.startswith((*_OWN_TYPES, f"{key}.")))
