"""All computed signals together: what each reads, in which order they follow one another, when they change by time."""

from __future__ import annotations

import heapq
import itertools
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any, Protocol, TypeVar

from tesoura.core.computed.almanac import CALENDAR, Almanac
from tesoura.core.computed.chain import Chain, ChainState
from tesoura.core.computed.derived import OWN, Change, ChangeState, Derived, DerivedState, Goal, GoalState
from tesoura.core.computed.occurrence import Occurrence
from tesoura.core.computed.window import WindowState
from tesoura.core.computed.window_definition import Window
from tesoura.core.instruments.base import Fired
from tesoura.core.instruments.records import KeptRecord
from tesoura.core.instruments.runner import COMMAND, Runner, Setup
from tesoura.core.language.numbers import ENGLISH, NumberStyle
from tesoura.core.signals.extremes import Extremes
from tesoura.core.values import Scalar
from tesoura.errors import Invalid

T = TypeVar("T")
Definition = Window | Chain | Derived | Goal | Change | Setup


class State(Protocol):
    """What every computation can do: take events, read signals, tell values, be kept and built again."""

    reads: tuple[str, ...]

    @property
    def stale(self) -> bool:
        """Whether only the log can set it right."""
        ...

    @property
    def types(self) -> tuple[str, ...]:
        """The events it takes."""
        ...

    def take(self, event: Occurrence, now: datetime) -> bool:
        """Take one event; whether it counts."""
        ...

    def why_not(self, event: Occurrence, now: datetime) -> str | None:
        """Why an event does not count here, or None when it does."""
        ...

    def correct(self, before: Occurrence, after: Occurrence) -> bool:
        """Put an event's other amounts in the place of its first ones; False when only the log can."""
        ...

    def settle(self, now: datetime) -> None:
        """Bring it to now."""
        ...

    def next_change(self, now: datetime) -> datetime | None:
        """When it changes by itself."""
        ...

    def read(self, now: datetime, values: Mapping[str, Scalar]) -> dict[str, Scalar | None]:
        """The present value of each of its signals, None where there is nothing to tell."""
        ...

    def saved(self) -> dict[str, Any] | None:
        """How it stands, to be stored; None when the log tells it."""
        ...

    def restore(self, saved: Mapping[str, Any]) -> None:
        """Go on from what was stored."""
        ...

    def since(self, now: datetime) -> datetime | None:
        """From when on the log must be read to build it anew; None for all of it."""
        ...


def key_of(definition: Definition) -> str:
    """Under which name a computation is known: the first half of its signals' names, a formula by its whole name."""
    return f"{OWN}.{definition.name}" if isinstance(definition, Derived) else definition.name


def make_state(definition: Definition, almanac: Almanac, now: datetime) -> State:
    """A computation at its beginning."""
    if isinstance(definition, Setup):
        return definition.begin(almanac, now)
    if isinstance(definition, Window):
        return WindowState(definition, almanac, now)
    if isinstance(definition, Chain):
        return ChainState(definition, almanac, now)
    if isinstance(definition, Derived):
        return DerivedState(definition, almanac, now)
    return (
        GoalState(definition, almanac, now) if isinstance(definition, Goal) else ChangeState(definition, almanac, now)
    )


def depends_on(definition: Definition, almanac: Almanac) -> str:
    """What of the almanac a stored state stands for; with another one it must be built anew."""
    if isinstance(definition, Setup):
        return definition.depends_on(almanac)
    began = almanac.session_began.isoformat() if almanac.session_began else ""
    if isinstance(definition, Window) and definition.span.kind in CALENDAR:
        return f"{almanac.zone}/{almanac.first_weekday}"
    if isinstance(definition, Chain) or (isinstance(definition, Window) and definition.span.kind == "session"):
        return began
    return ""


def find_cycle(definitions: Iterable[Definition], almanac: Almanac, now: datetime) -> list[str] | None:
    """A way from a signal through formulas back to itself, the signal at both ends; None when there is none."""
    reads: dict[str, tuple[str, ...]] = {}
    for definition in definitions:
        read = make_state(definition, almanac, now).reads
        for output in definition.outputs():
            reads[output] = read
    done: set[str] = set()
    for start in reads:
        path: list[str] = []
        if found := _walk(start, reads, path, done):
            return found
    return None


def _walk(name: str, reads: Mapping[str, tuple[str, ...]], path: list[str], done: set[str]) -> list[str] | None:
    if name in path:
        return [*path[path.index(name) :], name]
    if name in done or name not in reads:
        return None
    path.append(name)
    for other in reads[name]:
        if found := _walk(other, reads, path, done):
            return found
    path.pop()
    done.add(name)
    return None


def _knows_more(state: State) -> bool:
    """Whether a computation goes by signals that it has read, which no log tells."""
    return isinstance(state, ChangeState) or (isinstance(state, Runner) and state.definition.kind_of.remembers)


class Graph:
    """The computations that run, in the order in which they follow from one another."""

    def __init__(self) -> None:
        self.almanac = Almanac()
        self.style: NumberStyle = ENGLISH
        self.fired: list[tuple[Setup, Fired]] = []
        """What instruments have fired and nobody has logged yet; whoever logs it takes it off."""
        self._states: dict[str, State] = {}
        self._definitions: dict[str, Definition] = {}
        self.by_type: dict[str, list[str]] = {}
        """Which computations take a type of event."""
        self.runners: dict[str, Runner] = {}
        """The instruments that run, by name."""
        self._readers: dict[str, list[str]] = {}
        self._rank: dict[str, int] = {}
        self._due: list[tuple[datetime, int, str]] = []
        self._due_at: dict[str, datetime] = {}
        self._turn = itertools.count()
        self._stale: set[str] = set()
        self._now: datetime | None = None
        self.broken: dict[str, str] = {}
        """Computations that failed, and how. They stand still until they are put anew; the others go on."""
        self._unsaved: set[str] = set()
        self.faults: list[tuple[str, Exception]] = []
        """What failed since somebody last looked; whoever looks takes it off."""

    def __bool__(self) -> bool:
        return bool(self._states)

    def __iter__(self) -> Iterator[tuple[str, Definition]]:
        return iter(self._definitions.items())

    def definition(self, key: str) -> Definition | None:
        """What is computed under this name."""
        return self._definitions.get(key)

    def state(self, key: str) -> State | None:
        """How a computation stands."""
        return self._states.get(key)

    def put(self, definition: Definition, state: State) -> None:
        """Run a computation from now on, in the place of one with its name."""
        key = key_of(definition)
        self._definitions[key], self._states[key] = definition, state
        self._unsaved.add(key)
        self._due_at.pop(key, None)
        self.broken.pop(key, None)
        if isinstance(state, DerivedState):
            state.style = self.style
        self._index()

    def remove(self, key: str) -> None:
        """Stop a computation."""
        self._definitions.pop(key, None)
        self._states.pop(key, None)
        self._due_at.pop(key, None)
        self.broken.pop(key, None)
        self._index()

    def restyle(self, style: NumberStyle) -> None:
        """Formulas write numbers inside texts in this style."""
        self.style = style
        for state in self._states.values():
            if isinstance(state, DerivedState):
                state.style = style

    def _index(self) -> None:
        self.by_type, self._readers, producers = {}, {}, {}
        self.runners = {key: state for key, state in self._states.items() if isinstance(state, Runner)}
        for key, state in self._states.items():
            for kind in state.types:
                self.by_type.setdefault(kind, []).append(key)
            for name in state.reads:
                self._readers.setdefault(name, []).append(key)
            for output in self._definitions[key].outputs():
                producers[output] = key
        self._rank = {}
        for key in self._states:
            self._ranked(key, producers)

    def _ranked(self, key: str, producers: Mapping[str, str]) -> int:
        if key not in self._rank:
            # Set before looking further: should a cycle ever be stored, it must not take Tesoura along.
            self._rank[key] = 0
            below = [self._ranked(producers[name], producers) for name in self._states[key].reads if name in producers]
            self._rank[key] = 1 + max(below, default=0)
        return self._rank[key]

    # Events and time

    def event(self, event: Occurrence, now: datetime) -> list[str]:
        """Let the computations that take this event have it; which of them it changed."""
        changed = []
        for key in self.by_type.get(event.type, ()):
            if key in self.broken:
                continue
            state = self._states[key]
            try:
                if state.take(event, now):
                    changed.append(key)
                if event.type.startswith(COMMAND):
                    self._unsaved.add(key)
                self._see_whether_stale(key, state)
            except Exception as error:
                self.fail(key, error)
                changed.append(key)
        return changed

    def clock_was_set(self, by: timedelta) -> None:
        """The computer's clock was set. The event tells instruments; the caller rebuilds windows."""
        for state in self._states.values():
            if isinstance(state, ChangeState):
                state.clock_was_set(by // timedelta(microseconds=1))
        self._due_at = {key: at + by for key, at in self._due_at.items()}
        self._due = [(at, next(self._turn), key) for key, at in self._due_at.items()]
        heapq.heapify(self._due)

    def timed(self) -> list[str]:
        """The windows and chains: what they count depends on how events lie in time."""
        return [key for key, state in self._states.items() if state.types and not isinstance(state, Runner)]

    def fail(self, key: str, error: Exception) -> None:
        """A fault of ours in one computation must not keep the others from going on."""
        self.broken[key] = f"{type(error).__name__}: {error}"[:200]
        self.faults.append((key, error))
        self._due_at.pop(key, None)
        self._stale.discard(key)

    def ask(self, key: str, question: Callable[[Any], T], otherwise: T) -> T:
        """Return a computation's answer; one that fails is marked broken and no longer runs.

        A broken computation answers `otherwise`. Raises Invalid when the question itself is wrong.
        """
        state = self._states.get(key)
        if state is None or key in self.broken:
            return otherwise
        try:
            return question(state)
        except Invalid:
            raise
        except Exception as error:
            self.fail(key, error)
            # At the next tick its signals are shown as down.
            if self._now is not None:
                self._expect(key, self._now)
            return otherwise

    def takers(self, kind: str) -> Sequence[str]:
        """The computations that take events of this type."""
        return self.by_type.get(kind, ())

    def next_change(self) -> datetime | None:
        """The earliest instant at which one changes by itself."""
        while self._due and self._due_at.get(self._due[0][2]) != self._due[0][0]:
            heapq.heappop(self._due)
        return self._due[0][0] if self._due else None

    def passed(self, now: datetime) -> list[str]:
        """The computations that change by themselves by now."""
        found = []
        while (at := self.next_change()) is not None and at <= now:
            key = heapq.heappop(self._due)[2]
            del self._due_at[key]
            found.append(key)
        return found

    def take_unsaved(self) -> set[str]:
        """The computations that are new, were given a command, or know what no log tells, since this was last asked."""
        found, self._unsaved = self._unsaved, set()
        return found

    def save_again(self, keys: Iterable[str]) -> None:
        """How these stand could not be saved."""
        self._unsaved.update(keys)

    def take_fired(self) -> list[tuple[Setup, Fired]]:
        """What instruments have fired since this was last asked."""
        fired, self.fired = self.fired, []
        return fired

    def take_records(self) -> tuple[list[KeptRecord], dict[str, int]]:
        """What instruments have written down since this was last asked, and from where on theirs were made anew."""
        records: list[KeptRecord] = []
        overtaken: dict[str, int] = {}
        for name, runner in self.runners.items():
            records += runner.new_records
            if runner.recorded_from is not None:
                overtaken[name] = runner.recorded_from
            runner.new_records, runner.recorded_from = [], None
        return records, overtaken

    def give_back(self, records: Sequence[KeptRecord], overtaken: Mapping[str, int]) -> None:
        """These could not be stored: they are asked for again."""
        for name, runner in self.runners.items():
            runner.new_records = [*(one for one in records if one.instrument == name), *runner.new_records]
            if runner.recorded_from is None:
                runner.recorded_from = overtaken.get(name)

    @property
    def any_stale(self) -> bool:
        """Whether some may be such that only the log can set them right."""
        return bool(self._stale)

    def player(self, name: str) -> Runner | None:
        """An instrument that runs."""
        return self.runners.get(name)

    def extremes(self, name: str) -> Extremes | None:
        """What a signal's text may come to, where an instrument tells it."""
        now, key = self._now, name.rpartition(".")[0]
        if now is None or key not in self.runners:
            return None
        told: Mapping[str, Extremes] = self.ask(key, lambda runner: runner.extremes(now), {})
        return told.get(name)

    def stale(self) -> list[str]:
        """The computations that only the log can set right."""
        self._stale = {key for key in self._stale if self.ask(key, lambda state: state.stale, False)}
        return sorted(self._stale)

    def _see_whether_stale(self, key: str, state: State) -> None:
        if state.stale:
            self._stale.add(key)

    def is_unread(self, names: Iterable[str], now: datetime) -> bool:
        """Whether nothing reads any of these signals, so that nothing follows from their change."""
        self._now = now
        return self._readers.keys().isdisjoint(names)

    def read_of(self, feed: str) -> frozenset[str]:
        """The signals of a feed that something reads."""
        return frozenset(name for name in self._readers if name.startswith(f"{feed}."))

    def follow(
        self,
        touched: Iterable[str],
        changed: Iterable[str],
        now: datetime,
        values: Mapping[str, Scalar],
        write: Callable[[str, Mapping[str, Scalar | None]], Iterable[str]],
    ) -> None:
        """Compute these anew, and all that reads what changed, each once what it reads is known.

        `write` takes what one gives and tells which names that changed.
        """
        self._now = now
        queue: list[tuple[int, str]] = []
        queued: set[str] = set()

        def add(keys: Iterable[str], above: int = -1) -> None:
            for key in keys:
                if key not in queued and self._rank.get(key, -1) > above:
                    queued.add(key)
                    heapq.heappush(queue, (self._rank[key], key))

        add(touched)
        for name in changed:
            add(self._readers.get(name, ()))
        while queue:
            rank, key = heapq.heappop(queue)
            queued.discard(key)
            told: Mapping[str, Scalar | None] = {}
            if key not in self.broken:
                try:
                    told = self._asked(key, now, values)
                except Exception as error:
                    self.fail(key, error)
            for name in write(key, told):
                add(self._readers.get(name, ()), rank)

    def _asked(self, key: str, now: datetime, values: Mapping[str, Scalar]) -> Mapping[str, Scalar | None]:
        """What a computation tells now, what it has fired noted, and when it changes next."""
        state = self._states[key]
        state.settle(now)
        self._see_whether_stale(key, state)
        told = state.read(now, values)
        if told and _knows_more(state):
            self._unsaved.add(key)
        if isinstance(state, Runner):
            self.fired += [(state.definition, one) for one in state.fires(now)]
        self._expect(key, state.next_change(now))
        return told

    def _expect(self, key: str, at: datetime | None) -> None:
        if at is None:
            self._due_at.pop(key, None)
        elif self._due_at.get(key) != at:
            self._due_at[key] = at
            heapq.heappush(self._due, (at, next(self._turn), key))
