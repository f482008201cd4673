"""The engine: readings, events and feeds' fortunes in; changed signals and changed texts out.

It owns every signal's present value and every wording that viewers see, and recomputes just the texts that read what
changed. It knows no clock, no file and no network: whoever calls it hands in `now`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime

from tesoura.core.changes import Changes, FeedState
from tesoura.core.event_names import EventNames
from tesoura.core.freshness import Cell, Deadlines, Feed, patience
from tesoura.core.names import snake
from tesoura.core.numbers import ENGLISH, NumberStyle
from tesoura.core.scope import Scope
from tesoura.core.texts import Texts
from tesoura.core.trail import Trail
from tesoura.core.unsaved import Unsaved
from tesoura.core.values import (
    Event,
    Freshness,
    Reading,
    Scalar,
    Signal,
    ValueRefused,
    as_scalar,
)

MAX_EVENT_FIELDS = 48
MAX_EVENT_SIGNALS = 200
"""The most signals that one type of event can have; further fields stay in the log alone."""
COUNT = "count_this_session"
STALE = (Freshness.LATE, Freshness.DOWN)


class Engine:
    """All present values and texts. One loop owns it; nothing in it waits."""

    def __init__(self, style: NumberStyle = ENGLISH) -> None:
        self._values: dict[str, Scalar] = {}
        self.texts = Texts(Scope(self._values, style))
        self._cells: dict[str, Cell] = {}
        self._feeds: dict[str, Feed] = {}
        self._deadlines = Deadlines()
        self._event_names = EventNames()
        self._session_began: datetime | None = None
        self._unsaved = Unsaved()

    # Feeds and their signals

    def add_feed(self, feed: str, period_s: float | None, paused: bool = False) -> None:
        """Make a feed known, or change its period. Without a period its values are held until the next comes."""
        known = self._feeds.setdefault(feed, Feed(period_s))
        known.period_s, known.paused = period_s, paused

    def add_signal(self, feed: str, name: str, unit: str = "") -> None:
        """Make a feed's signal known, or change its unit."""
        cell = self._cells.setdefault(name, Cell(feed))
        cell.unit = unit
        self._feeds[feed].names.add(name)

    def remove_signal(self, name: str, now: datetime) -> Changes:
        """Forget a signal; texts that read it say "nothing yet"."""
        cell = self._cells.pop(name, None)
        if cell is None:
            return Changes()
        self._feeds[cell.feed].names.discard(name)
        self._values.pop(name, None)
        self.texts.mark(name, None)
        return Changes(signals=(name,), texts=self.texts.redraw([name]))

    def remove_feed(self, feed: str, now: datetime) -> Changes:
        """Forget a feed and its signals."""
        known = self._feeds.pop(feed, None)
        names = tuple(sorted(known.names)) if known else ()
        for name in names:
            self._cells.pop(name, None)
            self._values.pop(name, None)
            self.texts.mark(name, None)
        return Changes(signals=names, feeds=(feed,), texts=self.texts.redraw(names))

    def pause_feed(self, feed: str, paused: bool, now: datetime) -> Changes:
        """Hold a feed's values on purpose, or let it go on."""
        self._feeds[feed].paused = paused
        return self._reconsider(feed, now)

    def feed_ok(self, feed: str, readings: Sequence[Reading], problems: Mapping[str, str], now: datetime) -> Changes:
        """A try of a feed gave these readings; `problems` tells of signals it could not fill, by name."""
        known = self._feeds.get(feed)
        if known is None:
            return Changes()
        known.last_ok_at, known.problem, known.failures, known.restored = now, None, 0, False
        touched = self._fill(readings, problems)
        feeds = self._feed_changed(feed, known, now)
        again = touched if not feeds and not problems else known.names
        changed = self._states_changed(again, touched, now)
        return Changes(changed, feeds, self.texts.redraw(changed))

    def picked_again(self, readings: Sequence[Reading], problems: Mapping[str, str], now: datetime) -> Changes:
        """Other values were picked from what a feed gave before. They are as old as it is, and so is its state."""
        touched = self._fill(readings, problems)
        changed = self._states_changed([*touched, *problems], touched, now)
        return Changes(changed, (), self.texts.redraw(changed))

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
        if feed not in self._feeds:
            self.add_feed(feed, None)
        cell = self._cells.get(reading.name)
        if cell is None:
            self.add_signal(feed, reading.name)
            cell = self._cells[reading.name]
        cell.unit = cell.unit if unit is None else unit
        cell.fresh_for_s = fresh_for_s
        self._take(reading.name, reading.value, reading.observed_at)
        return Changes(self._states_changed([reading.name], [reading.name], now), (), self.texts.redraw([reading.name]))

    def apply_event(self, event: Event, now: datetime) -> Changes:
        """Take an event in: each plain value in its data becomes a signal of the event's type, and it is counted."""
        feed = self._event_feed(event.type)
        if feed is None:
            return Changes()
        known = self._feeds[feed]
        known.last_ok_at = now
        counter = f"{feed}.{COUNT}"
        count = self._values.get(counter, 0)
        touched = [counter]
        known_before = len(self._cells)
        if counter not in self._cells:
            self.add_signal(feed, counter)
        observed_at = min(event.time, now)
        counted_at = self._cells[counter].observed_at
        one = 1 if self._session_began is None or event.time >= self._session_began else 0
        self._take(
            counter,
            count + one if isinstance(count, int) else one,
            observed_at if counted_at is None or counted_at <= observed_at else now,
        )
        for key, value in event.data.items():
            name = f"{feed}.{snake(key)}"
            if len(touched) >= MAX_EVENT_FIELDS or name == counter:
                continue
            try:
                scalar = as_scalar(value)
            except ValueRefused:
                continue
            if name not in self._cells:
                if len(known.names) >= MAX_EVENT_SIGNALS:
                    continue
                self.add_signal(feed, name)
            if self._newest(name, event.time, now) and self._take(name, scalar, observed_at):
                touched.append(name)
        if len(self._cells) == known_before:
            # What events bring is held from the first on, so there is no other state to look for.
            return Changes(tuple(touched), (), self.texts.redraw(touched))
        feeds = self._feed_changed(feed, known, now)
        return Changes(self._states_changed(touched, touched, now), feeds, self.texts.redraw(touched))

    def count_events(self, counts: Mapping[str, int], began: datetime | None, now: datetime) -> Changes:
        """Set how many events of each type there were since the session began; types not named have had none."""
        self._session_began = began
        touched: list[str] = []
        for kind in counts:
            self._event_feed(kind)
        for kind, feed in self._event_names:
            name = f"{feed}.{COUNT}"
            self.add_signal(feed, name)
            if self._take(name, counts.get(kind, 0), now):
                touched.append(name)
        return Changes(self._states_changed(touched, touched, now), (), self.texts.redraw(touched))

    def _event_feed(self, kind: str) -> str | None:
        feed = self._event_names.of(kind, self._feeds.keys())
        if feed is not None and feed not in self._feeds:
            self.add_feed(feed, None)
        return feed

    def restyle(self, style: NumberStyle) -> Changes:
        """Write all numbers in another style from now on."""
        return Changes(texts=self.texts.restyle(style))

    # Time

    def next_change(self) -> datetime | None:
        """The earliest instant at which a value may become late, or None."""
        return self._deadlines.next()

    def tick(self, now: datetime) -> Changes:
        """Notice what has become late by now."""
        names: list[str] = []
        feeds: list[str] = []
        for name in self._deadlines.passed(now):
            if name in self._cells:
                names += self._states_changed([name], (), now)
            elif name in self._feeds:
                feeds += self._feed_changed(name, self._feeds[name], now)
        return Changes(tuple(names), tuple(feeds), self.texts.redraw(names))

    def reconsider(self, now: datetime) -> Changes:
        """Look at every signal, once all that was saved is back and the feeds are known."""
        changed = self._states_changed(list(self._cells), (), now)
        return Changes(changed, (), self.texts.redraw(changed))

    # Reading it

    def signals(self, now: datetime, trails: bool = False) -> list[Signal]:
        """All signals by name; with `trails`, each with its last ten minutes."""
        return [self._signal(name, self._cells[name], now, trails) for name in sorted(self._cells)]

    def signal(self, name: str, now: datetime) -> Signal | None:
        """One signal with its last ten minutes."""
        cell = self._cells.get(name)
        return self._signal(name, cell, now, True) if cell else None

    def feed_state(self, feed: str, now: datetime) -> FeedState:
        """How a feed fares now."""
        known = self._feeds[feed]
        return FeedState(known.freshness(now), known.last_ok_at, known.problem, known.failures)

    def feed_names(self) -> set[str]:
        """The first halves of all signals' names that are taken."""
        return set(self._feeds)

    # Keeping it over a restart

    def restore(
        self, feed: str, signal: Signal, fresh_for_s: float | None = None, event_type: str | None = None
    ) -> None:
        """Put back a signal as it was saved. It is late until its feed speaks again."""
        if event_type is not None:
            self._event_names.keep(event_type, feed)
        if feed not in self._feeds:
            self.add_feed(feed, None)
        self.add_signal(feed, signal.name, signal.unit)
        cell = self._cells[signal.name]
        cell.observed_at, cell.fresh_for_s, cell.restored = signal.observed_at, fresh_for_s, True
        cell.trail = Trail(signal.trail)
        if signal.value is not None:
            self._values[signal.name] = signal.value
        known = self._feeds[feed]
        known.restored = True
        if signal.observed_at and (known.last_ok_at is None or known.last_ok_at < signal.observed_at):
            known.last_ok_at = signal.observed_at

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

    def save_again(self, names: Iterable[str]) -> None:
        """These could not be saved."""
        self._unsaved.again(names)

    # Inside

    def _fill(self, readings: Sequence[Reading], problems: Mapping[str, str]) -> list[str]:
        for name, problem in problems.items():
            if name in self._cells:
                self._cells[name].problem = problem
        return [one.name for one in readings if self._take(one.name, one.value, one.observed_at)]

    def _newest(self, name: str, at: datetime, now: datetime) -> bool:
        # A late arrival does not replace what happened after it. A value from the future, left by a clock since
        # set right, is replaced by anything.
        present = self._cells[name].observed_at
        return present is None or at >= present or present > now

    def _take(self, name: str, value: Scalar, observed_at: datetime) -> bool:
        cell = self._cells.get(name)
        if cell is None:
            return False
        cell.observed_at, cell.problem, cell.restored = observed_at, None, False
        self._values[name] = value
        if value.__class__ is not str:
            cell.trail.add(observed_at, value)  # type: ignore[arg-type]
        self._unsaved.add(name)
        return True

    def _reconsider(self, feed: str, now: datetime) -> Changes:
        known = self._feeds[feed]
        changed = self._states_changed(known.names, (), now)
        return Changes(changed, self._feed_changed(feed, known, now), self.texts.redraw(changed))

    def _feed_changed(self, feed: str, known: Feed, now: datetime) -> tuple[str, ...]:
        fresh = known.freshness(now)
        if fresh is Freshness.LIVE and known.period_s and known.last_ok_at:
            self._deadlines.expect(feed, known.last_ok_at + patience(known.period_s))
        before, known.shown = known.shown, fresh
        return (feed,) if before is not fresh else ()

    def _states_changed(self, names: Iterable[str], touched: Sequence[str], now: datetime) -> tuple[str, ...]:
        changed = dict.fromkeys(touched)
        for name in names:
            cell = self._cells[name]
            fresh = self._freshness(name, cell, now)
            limit = cell.limit(self._feeds[cell.feed])
            if fresh is Freshness.LIVE and limit and cell.observed_at:
                self._deadlines.expect(name, cell.observed_at + limit)
            if fresh is not cell.shown:
                cell.shown = fresh
                changed[name] = None
                self.texts.mark(name, fresh.value if fresh in STALE else None)
        return tuple(changed)

    def _freshness(self, name: str, cell: Cell, now: datetime) -> Freshness:
        return cell.freshness(self._feeds[cell.feed], now) if name in self._values else Freshness.NEVER

    def _signal(self, name: str, cell: Cell, now: datetime, trails: bool) -> Signal:
        return Signal(
            name,
            self._values.get(name),
            cell.unit,
            cell.observed_at,
            self._freshness(name, cell, now),
            cell.problem,
            cell.trail.points() if trails else (),
        )
