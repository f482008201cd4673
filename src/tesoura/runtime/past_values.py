"""Values as they were, led from one event to the next: by an engine, or plainly where nothing is computed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Protocol

from tesoura.core.computed.occurrence import Occurrence, instant
from tesoura.core.names import snake
from tesoura.core.signals.assignments import TYPES, assignment_of
from tesoura.core.signals.engine import COUNT, Engine, LogEntry
from tesoura.core.values import Event, Reading, Scalar, scalars
from tesoura.store.readings import KeptReading


class PastValues(Protocol):
    """What keeps the values as they were."""

    @property
    def values(self) -> Mapping[str, Scalar]:
        """All that are known."""
        ...

    def take(self, event: Occurrence, at: datetime) -> None:
        """Let an event change what it changes."""
        ...

    def read(self, reading: KeptReading, at: datetime) -> None:
        """Let a reading change its signal."""
        ...

    def next_change(self) -> datetime | None:
        """When time alone changes something."""
        ...

    def tick(self, at: datetime) -> None:
        """Let time change it."""
        ...


class ComputedPast:
    """Values as an engine keeps them, with all that is computed from them."""

    def __init__(self, engine: Engine) -> None:
        self._engine, self.values = engine, engine.values

    def take(self, event: Occurrence, at: datetime) -> None:
        """Let an event change what it changes."""
        told = Event(str(event.seq), event.source, event.type, instant(event.at), event.data)
        self._engine.apply_events((LogEntry(event.seq, told, at),), at)

    def read(self, reading: KeptReading, at: datetime) -> None:
        """Let a reading change its signal."""
        if reading.value is None:
            self._engine.remove_signal(reading.signal, at)
        else:
            feed = reading.signal.partition(".")[0]
            self._engine.set_value(Reading(reading.signal, reading.value, at), feed, None, None, at)

    def next_change(self) -> datetime | None:
        """When a computation changes by itself."""
        return self._engine.graph.next_change()

    def tick(self, at: datetime) -> None:
        """Let time change it."""
        self._engine.tick(at)


class ToldPast:
    """Values that nothing computes: those alone that are asked for, in a third of an engine's time."""

    def __init__(self, names: Sequence[str], kinds: Mapping[str, str], known: Mapping[str, Scalar]) -> None:
        self.values: dict[str, Scalar] = {name: known[name] for name in names if name in known}
        self._counts: dict[str, str] = {}
        self._fields: dict[str, dict[str, str]] = {}
        self._newest: dict[str, int] = {}
        for name in names:
            feed, _, field = name.partition(".")
            if kind := kinds.get(feed):
                if field == COUNT:
                    self._counts[kind] = name
                else:
                    self._fields.setdefault(kind, {})[field] = name

    def take(self, event: Occurrence, at: datetime) -> None:
        """Let an event change what it changes."""
        if name := self._counts.get(event.type):
            count = self.values.get(name, 0)
            self.values[name] = count + 1 if isinstance(count, int) else 1
        if event.type in TYPES:
            given = assignment_of(Event("", event.source, event.type, at, event.data))
            if given is not None:
                self.values[given.signal] = given.value
        wanted = self._fields.get(event.type)
        if wanted and event.at >= self._newest.get(event.type, 0):
            self._newest[event.type] = event.at
            for key, value in scalars(event.data):
                if (name := wanted.get(key) or wanted.get(snake(key))) is not None:
                    self.values[name] = value

    def read(self, reading: KeptReading, at: datetime) -> None:
        """Let a reading change its signal."""
        if reading.value is None:
            self.values.pop(reading.signal, None)
        else:
            self.values[reading.signal] = reading.value

    def next_change(self) -> datetime | None:
        """Never."""
        return None

    def tick(self, at: datetime) -> None:
        """Nothing."""
