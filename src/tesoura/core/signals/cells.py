"""Every signal's present value, age and freshness, and the texts that are redrawn when one changes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime, timedelta

from tesoura.core.language.numbers import ENGLISH, NumberStyle
from tesoura.core.language.scope import Scope
from tesoura.core.signals.changes import Changes, FeedState
from tesoura.core.signals.freshness import Cell, Deadlines, Feed, patience
from tesoura.core.signals.sources import Sources
from tesoura.core.signals.texts import Texts
from tesoura.core.signals.trails import Trail
from tesoura.core.signals.unsaved import Unsaved
from tesoura.core.values import Freshness, Reading, Scalar, Signal

STALE = (Freshness.LATE, Freshness.DOWN)
_WORST_FIRST = (Freshness.DOWN, Freshness.LATE, Freshness.HELD, Freshness.LIVE)


class Cells:
    """What the engine keeps of feeds and signals, and how one is written."""

    def __init__(self, style: NumberStyle = ENGLISH) -> None:
        self._values: dict[str, Scalar] = {}
        self._cells: dict[str, Cell] = {}
        self._feeds: dict[str, Feed] = {}
        self._deadlines = Deadlines()
        self.sources = Sources()
        """Which feeds bring which types of events."""
        self._unsaved = Unsaved()
        self.texts = Texts(Scope(self._values, style), self._age)

    def add_feed(
        self, feed: str, period_s: float | None, paused: bool = False, lasting: bool = False, own: bool = False
    ) -> None:
        """Make a feed known, or change its period. Without a period its values are held until the next comes.

        With `lasting`, what came stays live however old it is, for as long as the feed works. With `own` it is no feed
        from outside: what it told stands over a restart.
        """
        known = self._feeds.setdefault(feed, Feed(period_s))
        known.period_s, known.paused, known.lasting, known.own = period_s, paused, lasting, own

    def add_signal(self, feed: str, name: str, unit: str = "") -> None:
        """Make a feed's signal known, or change its unit."""
        cell = self._cells.setdefault(name, Cell(feed))
        cell.unit = unit
        self._feeds[feed].names.add(name)

    # Reading

    @property
    def values(self) -> Mapping[str, Scalar]:
        """All present values, by signal."""
        return self._values

    def signals(self, now: datetime, trails: bool = False) -> list[Signal]:
        """All signals by name; with `trails`, each with its last ten minutes."""
        return [self._signal(name, cell, now, trails) for name, cell in sorted(self._cells.items())]

    def signal(self, name: str, now: datetime) -> Signal | None:
        """One signal with its last ten minutes."""
        cell = self._cells.get(name)
        return self._signal(name, cell, now, True) if cell else None

    def freshness_of(self, names: Iterable[str], now: datetime) -> Freshness:
        """How fresh the least fresh of these signals is; those that tell nothing now left out."""
        return _worst({self._freshness(name, self._cells[name], now) for name in names if name in self._values})

    def feed_state(self, feed: str, now: datetime) -> FeedState:
        """How a feed fares now."""
        known = self._feeds[feed]
        return FeedState(known.freshness(now), known.last_ok_at, known.problem, known.failures)

    def feed_names(self) -> set[str]:
        """The first halves of all signals' names that are taken."""
        return set(self._feeds)

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

    def _age(self, name: str) -> datetime | None:
        cell = self._cells.get(name)
        return cell.observed_at if cell else None

    # Writing

    def _fill(self, readings: Sequence[Reading], problems: Mapping[str, str]) -> list[str]:
        for name, problem in problems.items():
            if name in self._cells:
                self._cells[name].problem = problem
        return [one.name for one in readings if self._take(one.name, one.value, one.observed_at)]

    def _take(self, name: str, value: Scalar, observed_at: datetime) -> bool:
        cell = self._cells.get(name)
        if cell is None:
            return False
        cell.observed_at, cell.problem, cell.restored = observed_at, None, False
        self._values[name] = value
        if cell.passing:
            return True
        if value.__class__ is not str:
            cell.trail.add(observed_at, value)  # type: ignore[arg-type]
        self._unsaved.add(name)
        return True

    def _empty(self, name: str) -> None:
        """There is no value any more: it is "nothing yet" again."""
        self._values.pop(name, None)
        cell = self._cells[name]
        cell.observed_at = None
        if not cell.passing:
            self._unsaved.add(name)

    def _forget(self, name: str) -> None:
        cell = self._cells.pop(name, None)
        if cell is not None and cell.feed in self._feeds:
            self._feeds[cell.feed].names.discard(name)
        self._values.pop(name, None)
        self.texts.mark(name, None)
        self.texts.mark_old(name, False)

    def _newest(self, name: str, at: datetime, now: datetime) -> bool:
        # A late arrival does not replace what happened after it. A value from the future, left by a clock since
        # set right, is replaced by anything.
        present = self._cells[name].observed_at
        return present is None or at >= present or present > now

    # Freshness

    def _feed_changed(self, feed: str, known: Feed, now: datetime) -> tuple[str, ...]:
        fresh = known.freshness(now)
        if fresh is Freshness.LIVE and known.period_s and known.last_ok_at:
            self._deadlines.expect(feed, known.last_ok_at + patience(known.period_s))
        before, known.shown = known.shown, fresh
        return (feed,) if before is not fresh else ()

    def _follows(self, name: str, kinds: tuple[str, ...]) -> None:
        """A signal follows from events of these types."""
        self._cells[name].types = kinds
        self.sources.follow(name, kinds)

    def _names_of(self, feed: str) -> list[str]:
        """The signals of a feed, and those that follow from the events which it brings."""
        following = (name for name in self.sources.following(feed) if name in self._cells)
        return [*self._feeds[feed].names, *following]

    def _states_changed(self, names: Iterable[str], touched: Sequence[str], now: datetime) -> list[str]:
        changed = dict.fromkeys(touched)
        for name in names:
            cell = self._cells[name]
            fresh, feed = self._freshness(name, cell, now), self._feeds[cell.feed]
            limit, old_at = cell.limit(feed), cell.old_at(feed)
            if fresh is Freshness.LIVE and limit and cell.observed_at:
                self._deadlines.expect(name, cell.observed_at + limit)
            elif old_at is not None and now < old_at:
                self._deadlines.expect(name, old_at)
            if self.texts.mark_old(name, self._is_old(name, now)):
                changed[name] = None
            if fresh is not cell.shown:
                cell.shown = fresh
                changed[name] = None
                self.texts.mark(name, fresh.value if fresh in STALE else None)
        return list(changed)

    def has_interval(self, name: str) -> bool:
        """Whether a value should come at an interval, or is computed from one that should: then it can become old."""
        cell = self._cells.get(name)
        if cell is None or cell.reads:
            return cell is not None and any(self.has_interval(one) for one in cell.reads)
        return cell.fresh_for_s is not None or self._feeds[cell.feed].period_s is not None

    def _is_old(self, name: str, now: datetime) -> bool:
        """Whether a value is old; one that is computed is, as soon as any is that it was computed from."""
        cell = self._cells.get(name)
        if cell is None or name not in self._values:
            return False
        if cell.reads:
            return any(self._is_old(one, now) for one in cell.reads)
        old_at = cell.old_at(self._feeds[cell.feed])
        return old_at is not None and now >= old_at

    def _freshness(self, name: str, cell: Cell, now: datetime) -> Freshness:
        if name not in self._values:
            return Freshness.NEVER
        if cell.broken:
            return Freshness.DOWN
        streams = self._streams(cell.types, now) if cell.types else set()
        if cell.reads:
            return _worst({*self._states(cell.reads, now), *streams})
        return _worst(streams) if streams else cell.freshness(self._feeds[cell.feed], now)

    def _states(self, names: Iterable[str], now: datetime) -> set[Freshness]:
        """How fresh these signals are. One that has not come is no older than it should be, but it is not live."""
        states = {self._freshness(name, self._cells[name], now) for name in names if name in self._cells}
        return {Freshness.HELD if one is Freshness.NEVER else one for one in states}

    def _streams(self, kinds: Iterable[str], now: datetime) -> set[Freshness]:
        """How the feeds fare that bring events of these types. One that has not spoken since the start may be down."""
        states = {known.freshness(now) for feed in self.sources.of(kinds) if (known := self._feeds.get(feed))}
        return {Freshness.LATE if one is Freshness.NEVER else one for one in states}

    def _clock_was_set(self, by: timedelta) -> None:
        """The computer's clock was set: every value is as old as it was."""
        for name, cell in self._cells.items():
            if cell.observed_at is not None:
                cell.observed_at += by
                cell.trail = cell.trail.shifted(by)
                self._unsaved.add(name)
        for feed in self._feeds.values():
            if feed.last_ok_at is not None:
                feed.last_ok_at += by
        self._deadlines = self._deadlines.shifted(by)

    # Keeping it over a restart

    def _restore(self, feed: str, signal: Signal, fresh_for_s: float | None) -> None:
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

    def save_again(self, names: Iterable[str]) -> None:
        """These could not be saved."""
        self._unsaved.again(names)

    def _changes(self, names: Iterable[str], feeds: tuple[str, ...] = ()) -> Changes:
        told = tuple(names)
        return Changes(told, feeds, self.texts.redraw(told))


def _worst(states: set[Freshness]) -> Freshness:
    """What is computed is no fresher than the least fresh of what it was computed from."""
    return next((fresh for fresh in _WORST_FIRST if fresh in states), Freshness.HELD)
