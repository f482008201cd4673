"""The engine: readings, events and feeds' fortunes in; changed signals and changed texts out.

It owns every signal's present value and every wording that viewers see, and recomputes just what reads what changed.
It knows no clock, no file and no network: whoever calls it hands in `now`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime, timedelta
from typing import NamedTuple, Protocol

from tesoura.core.computed.occurrence import occurrence
from tesoura.core.instruments.runner import CLOCK_SET, seconds_set
from tesoura.core.language.numbers import ENGLISH, NumberStyle
from tesoura.core.names import snake
from tesoura.core.signals.assignments import assignment_of
from tesoura.core.signals.changes import Changes
from tesoura.core.signals.event_names import EventNames
from tesoura.core.signals.followers import FollowedCells
from tesoura.core.values import Event, Reading, Signal, as_scalar, scalars

MAX_EVENT_FIELDS = 48
MAX_EVENT_SIGNALS = 200
"""The most signals that one type of event can have; further fields stay in the log alone."""
COUNT = "count_this_session"


OWN_TYPES = "tesoura."
"""How the types of events begin that tell what was done with Tesoura itself; they become no signals."""


class AcceptedEvent(Protocol):
    """An event of the log: its place there, and when it was accepted."""

    @property
    def seq(self) -> int:
        """Its place in the log."""
        ...

    @property
    def event(self) -> Event:
        """The event itself."""
        ...

    @property
    def accepted_at(self) -> datetime:
        """When it was accepted."""
        ...


class LogEntry(NamedTuple):
    """An event with its place in the log and when it was accepted."""

    seq: int
    event: Event
    accepted_at: datetime


class Engine(FollowedCells):
    """All present values and texts. One loop owns it; nothing in it waits."""

    def __init__(self, style: NumberStyle = ENGLISH) -> None:
        super().__init__(style)
        self._event_names = EventNames()
        self._session_began: datetime | None = None
        self._unapplied: list[tuple[str, Exception]] = []

    # Feeds and their signals

    def remove_signal(self, name: str, now: datetime) -> Changes:
        """Forget a signal; texts that read it say "nothing yet"."""
        if name not in self._cells:
            return Changes()
        self._forget(name)
        return self._done([name], now)

    def remove_feed(self, feed: str, now: datetime) -> Changes:
        """Forget a feed and its signals."""
        return self._feeds_gone([feed], now)

    def _feeds_gone(self, feeds: Sequence[str], now: datetime) -> Changes:
        names = [name for feed in feeds if feed in self._feeds for name in sorted(self._feeds.pop(feed).names)]
        for name in names:
            self._forget(name)
        return self._done(names, now, tuple(feeds))

    def pause_feed(self, feed: str, paused: bool, now: datetime) -> Changes:
        """Hold a feed's values on purpose, or let it go on."""
        self._feeds[feed].paused = paused
        return self._reconsider(feed, now)

    def feed_changed(self, feed: str, now: datetime) -> Changes:
        """A feed's period was changed: what was in time before may be late now."""
        return self._reconsider(feed, now)

    def feed_ok(self, feed: str, readings: Sequence[Reading], problems: Mapping[str, str], now: datetime) -> Changes:
        """A try of a feed gave these readings; `problems` tells of signals it could not fill, by name."""
        known = self._feeds.get(feed)
        if known is None:
            return Changes()
        known.last_ok_at, known.problem, known.failures, known.restored = now, None, 0, False
        touched = self._fill(readings, problems)
        feeds = self._feed_changed(feed, known, now)
        again = touched if not feeds and not problems else self._names_of(feed)
        return self._done(self._states_changed(again, touched, now), now, feeds)

    def feed_unchanged(self, feed: str, now: datetime) -> Changes:
        """A try of a feed found that nothing has changed: what came before is as good as new."""
        known = self._feeds.get(feed)
        names = [name for name in known.names if name in self._values] if known else []
        return self.feed_ok(feed, [Reading(name, self._values[name], now) for name in names], {}, now)

    def picked_again(self, readings: Sequence[Reading], problems: Mapping[str, str], now: datetime) -> Changes:
        """Other values were picked from what a feed gave before. They are as old as it is, and so is its state."""
        touched = self._fill(readings, problems)
        return self._done(self._states_changed([*touched, *problems], touched, now), now)

    def feed_failed(self, feed: str, problem: str, now: datetime) -> Changes:
        """A try of a feed failed."""
        known = self._feeds.get(feed)
        if known is None:
            return Changes()
        known.problem, known.failures = problem, known.failures + 1
        return self._reconsider(feed, now)

    # Values from elsewhere

    def set_value(
        self, reading: Reading, feed: str, unit: str | None, fresh_for_s: float | None, now: datetime
    ) -> Changes:
        """Set one signal of a feed that is not asked but told, making the signal when it is new."""
        self._assign(reading, feed, unit, fresh_for_s, now)
        return self._done(self._states_changed([reading.name], [reading.name], now), now)

    def _assign(self, reading: Reading, feed: str, unit: str | None, fresh_for_s: float | None, now: datetime) -> None:
        if feed not in self._feeds:
            self.add_feed(feed, None)
        cell = self._cells.get(reading.name)
        if cell is None:
            self.add_signal(feed, reading.name)
            cell = self._cells[reading.name]
        cell.unit = cell.unit if unit is None else unit
        cell.fresh_for_s = fresh_for_s
        self._feeds[feed].last_ok_at = now
        self._take(reading.name, reading.value, reading.observed_at)

    # Events

    def apply_event(self, event: Event, now: datetime, seq: int = 0) -> Changes:
        """Take one event in that was accepted now, with its place in the log."""
        return self.apply_events([LogEntry(seq, event, now)], now)

    def apply_events(self, events: Iterable[AcceptedEvent], now: datetime) -> Changes:
        """Take events in, each with its place in the log and when it was accepted.

        Each plain value in an event's data becomes a signal of the event's type, the event is counted, and the windows
        that take it have it. What follows from all of them is computed once.
        """
        touched: dict[str, None] = {}
        fresh: list[str] = []
        feeds: list[str] = []
        windows: set[str] = set()
        takers = self.graph.by_type
        for one in events:
            event = one.event
            try:
                if event.type == CLOCK_SET:
                    by = timedelta(seconds=seconds_set(event.data))
                    self._clock_was_set(by)
                    self.graph.clock_was_set(by)
                if event.type in takers:
                    windows.update(self.graph.event(occurrence(event, one.seq, one.accepted_at), now))
                if not event.type.startswith(OWN_TYPES):
                    self._arrive(event, min(event.time, one.accepted_at), now, touched, fresh, feeds)
                elif (given := assignment_of(event)) is not None:
                    reading = Reading(given.signal, given.value, min(event.time, one.accepted_at, now))
                    self._assign(reading, given.feed, given.unit, given.fresh_for_s, now)
                    touched[given.signal] = None
                    fresh.append(given.signal)
            except Exception as error:
                # It is in the log for good. A fault of ours with one event must not keep the next ones away.
                self._unapplied.append((f"Event {one.seq} of the log", error))
        if fresh:
            touched |= dict.fromkeys(self._states_changed(fresh, (), now))
        return self._done(list(touched), now, tuple(dict.fromkeys(feeds)), windows)

    def take_faults(self) -> list[tuple[str, Exception]]:
        """What failed inside since this was last asked: what it was, and the error."""
        faults = [*self._unapplied, *self.graph.faults]
        self._unapplied, self.graph.faults = [], []
        return faults

    def _arrive(
        self, event: Event, at: datetime, now: datetime, touched: dict[str, None], fresh: list[str], feeds: list[str]
    ) -> None:
        """Take an event in that happened at this instant: no later than it was accepted, whatever it claims."""
        feed = self._event_feed(event.type)
        if feed is None:
            return
        known = self._feeds[feed]
        known.last_ok_at = now
        observed_at = min(at, now)
        counter = f"{feed}.{COUNT}"
        if self.sources.learn(event.type, event.source):
            fresh += [name for name in self.sources.followers(event.type) if name in self._cells]
        if counter not in self._cells:
            self._add_event_signal(event.type, feed, counter)
            fresh.append(counter)
            feeds += self._feed_changed(feed, known, now)
        count = self._values.get(counter, 0)
        counted_at = self._cells[counter].observed_at
        one = 1 if self._session_began is None or at >= self._session_began else 0
        self._take(
            counter,
            count + one if isinstance(count, int) else one,
            observed_at if counted_at is None or counted_at <= observed_at else now,
        )
        touched[counter] = None
        taken = 1
        for key, scalar in scalars(event.data):
            name = f"{feed}.{snake(key)}"
            if taken >= MAX_EVENT_FIELDS or name == counter:
                continue
            if name not in self._cells:
                if len(known.names) >= MAX_EVENT_SIGNALS:
                    continue
                self._add_event_signal(event.type, feed, name)
                fresh.append(name)
            if self._newest(name, at, now) and self._take(name, scalar, observed_at):
                touched[name] = None
                taken += 1

    def _add_event_signal(self, kind: str, feed: str, name: str) -> None:
        self.add_signal(feed, name)
        self._follows(name, (kind,))

    def correct(self, before: Event, after: Event, seq: int, accepted_at: datetime, now: datetime) -> list[str]:
        """Put an event's corrected amounts in the place of its first ones.

        Gives the computations that only the log can set right.
        """
        old, new = occurrence(before, seq, accepted_at), occurrence(after, seq, accepted_at)
        takers = list(self.graph.takers(before.type))
        return [key for key in takers if not self._state(key).correct(old, new)]

    def corrected(self, before: Event, after: Event, now: datetime) -> Changes:
        """Tell what a correction changed, the event's own signals included when no later one came."""
        feed = self._event_feed(before.type)
        touched = []
        for key, value in after.data.items():
            name = f"{feed}.{snake(key)}"
            cell = self._cells.get(name)
            if value != before.data.get(key) and cell is not None and cell.observed_at == min(before.time, now):
                self._take(name, as_scalar(value), cell.observed_at)
                touched.append(name)
        return self._done(touched, now, (), self.graph.takers(before.type))

    def last_event(self, kind: str, event: Event | None, now: datetime) -> Changes:
        """Set the signals of a type of event to this one, its last; clear them when there is none."""
        feed = self._event_feed(kind)
        if feed is None:
            return Changes()
        touched, known = [], self._feeds[feed].names
        told = {f"{feed}.{snake(key)}": scalar for key, scalar in scalars(event.data)} if event is not None else {}
        for name in told.keys() - known:
            if len(known) < MAX_EVENT_SIGNALS:
                self._add_event_signal(kind, feed, name)
        for name in sorted(known):
            if name == f"{feed}.{COUNT}":
                continue
            if event is not None and name in told:
                if self._values.get(name) != told[name] and self._take(name, told[name], min(event.time, now)):
                    touched.append(name)
            elif name in self._values:
                self._empty(name)
                touched.append(name)
        return self._done(self._states_changed(touched, touched, now), now)

    def count_events(
        self, counts: Mapping[str, tuple[int, datetime]], began: datetime | None, now: datetime
    ) -> Changes:
        """Set how many events of each type there were since the session began, and when the last of them happened.

        Types not named have had none.
        """
        self._session_began = began
        touched: list[str] = []
        for kind in counts:
            self._event_feed(kind)
        for kind, feed in self._event_names:
            name = f"{feed}.{COUNT}"
            self._add_event_signal(kind, feed, name)
            count, last_at = counts.get(kind, (0, began or now))
            # What stands already was observed when it was, and not when it is looked at again.
            if self._values.get(name) == count and self._cells[name].observed_at is not None:
                self._cells[name].restored = False
            elif self._take(name, count, min(last_at, now)):
                touched.append(name)
        return self._done(self._states_changed(touched, touched, now), now)

    def event_types(self) -> list[str]:
        """The types of events that have come, in the order in which they first did."""
        return [kind for kind, _ in self._event_names]

    def forget_types(self, kinds: Iterable[str], now: datetime) -> Changes:
        """Forget the signals of these types of events: what told them is gone."""
        return self._feeds_gone([feed for kind in kinds if (feed := self._event_names.drop(kind)) is not None], now)

    def event_feed(self, kind: str) -> str | None:
        """Under which first half of a name the signals of this type of event stand."""
        return self._event_feed(kind)

    def _event_feed(self, kind: str) -> str | None:
        if kind.startswith(OWN_TYPES):
            return None
        feed = self._event_names.of(kind, self._feeds.keys())
        if feed is not None and feed not in self._feeds:
            self.add_feed(feed, None, own=True)
        return feed

    def restyle(self, style: NumberStyle) -> Changes:
        """Write all numbers in another style from now on."""
        self.graph.restyle(style)
        return Changes(texts=self.texts.restyle(style))

    # Time

    def next_change(self) -> datetime | None:
        """The earliest instant at which a value may become late or a computation changes, or None."""
        due = (self._deadlines.next(), self.graph.next_change(), self.texts.next_change())
        return min((at for at in due if at is not None), default=None)

    def tick(self, now: datetime) -> Changes:
        """Notice what has become late, and what has changed by itself, by now."""
        names: list[str] = []
        feeds: list[str] = []
        for name in self._deadlines.passed(now):
            if name in self._cells:
                names += self._states_changed([name], (), now)
            elif name in self._feeds and self._feed_changed(name, self._feeds[name], now):
                feeds.append(name)
                names += self._states_changed(self._names_of(name), (), now)
        changes = self._done(names, now, tuple(feeds), self.graph.passed(now))
        return Changes(changes.signals, changes.feeds, {**changes.texts, **self.texts.aged()})

    def settle(self, now: datetime) -> Changes:
        """Bring every computation to now, wherever the clock was set to."""
        return self._done([], now, (), [key for key, _ in self.graph])

    def reconsider(self, now: datetime) -> Changes:
        """Look at every signal, once all that was saved is back and the feeds are known."""
        return self._done(self._states_changed(list(self._cells), (), now), now)

    def _reconsider(self, feed: str, now: datetime) -> Changes:
        known = self._feeds[feed]
        changed = self._states_changed(self._names_of(feed), (), now)
        return self._done(changed, now, self._feed_changed(feed, known, now))

    # Keeping it over a restart

    def restore(
        self, feed: str, signal: Signal, fresh_for_s: float | None = None, event_type: str | None = None
    ) -> None:
        """Put back a signal as it was saved. It is late until its feed speaks again."""
        if event_type is not None:
            self._event_names.keep(event_type, feed)
        if feed not in self._feeds:
            self.add_feed(feed, None, own=event_type is not None)
        self._restore(feed, signal, fresh_for_s)
        if event_type is not None:
            self._follows(signal.name, (event_type,))

    def mark_restored(self, names: Iterable[str]) -> None:
        """These were set before a restart: late until they are set again, unless they are held."""
        for name in names:
            if cell := self._cells.get(name):
                cell.restored = True

    def unsaved(self, now: datetime, trails: bool) -> list[tuple[Signal, str, float | None, str | None]]:
        """What changed since this was last asked: signal, its feed, how long it stays fresh, its event type.

        With `trails`, what changed since they were last asked for too.
        """
        kinds = {feed: kind for kind, feed in self._event_names}
        saved = []
        for name in self._unsaved.take(trails):
            if cell := self._cells.get(name):
                signal = self._signal(name, cell, now, trails)
                saved.append((signal, cell.feed, cell.fresh_for_s, kinds.get(cell.feed)))
        return saved
