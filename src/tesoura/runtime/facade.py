"""The runtime: one asyncio loop that owns the engine, the feeds and the hub.

Threads reach it through one door, `Runtime.call`, which runs on the loop and gives frozen values back.
"""

from __future__ import annotations

import asyncio
import inspect
import logging
import uuid
from collections.abc import Callable, Coroutine, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any, Concatenate, ParamSpec, TypeVar, overload

from sqlmodel import Session

from tesoura.core.computed.almanac import Almanac
from tesoura.core.language.numbers import plain
from tesoura.core.signals.changes import Changes
from tesoura.core.signals.engine import OWN_TYPES, Engine
from tesoura.core.values import Event, Reading, Scalar, Signal
from tesoura.feeds.api import Item
from tesoura.outputs.hub import Hub
from tesoura.outputs.topics import Topics
from tesoura.runtime.computations import Computations
from tesoura.runtime.corrections import Corrections
from tesoura.runtime.feeds import Feeds
from tesoura.runtime.instruments import Instruments
from tesoura.runtime.journal import Journal, nothing_more
from tesoura.runtime.persistence import Persistence
from tesoura.runtime.preferences import Preferences, read_preferences
from tesoura.runtime.scheduler import Scheduler
from tesoura.runtime.stage import Stage
from tesoura.runtime.text_files import TextFiles
from tesoura.settings import Settings, build
from tesoura.store import feeds as stored_feeds
from tesoura.store import log as event_log
from tesoura.store import state
from tesoura.store.log import Logged
from tesoura.store.store import Store

P = ParamSpec("P")
T = TypeVar("T")
SCRIPT_FEED = "script"
SCENE_FEED = "scene"
BY_HAND = "tesoura.set_by_hand"
SCENE_SET = "tesoura.scene"
MOMENT_FOR = timedelta(minutes=2)
_BEGINNING = datetime(1970, 1, 1, tzinfo=UTC)
log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Accepted:
    """How many events were new, and how many had come before."""

    accepted: int
    duplicates: int


class Runtime:
    """Everything that runs. Made anywhere, started and used on one loop."""

    def __init__(self, store: Store, settings: Settings) -> None:
        self.store, self.settings = store, settings
        self._clock = settings.clock
        self.preferences: Preferences = store.read(read_preferences)
        self._engine = Engine(self.preferences.style())
        self.hub = Hub(build(), lambda: self.touched("overlays"))
        self._topics = Topics(self.hub)
        self.feeds = Feeds(store, self._engine, self._clock, self._publish, self._feed_says)
        self.stage = Stage(store, self._engine, self.hub, self._clock)
        self.computations = Computations(store, self._engine, self._clock, self._publish)
        self.instruments = Instruments(self._engine, self.stage, self._clock, self._log, self.touched)
        self.corrections = Corrections(store, self._engine, self.stage, self.computations, self._tell_of, self._plan)
        self.text_files = TextFiles(store, self._engine, self._clock, self.touched)
        self._journal = Journal(store, self._came, self._clock)
        self.persistence = Persistence(
            store,
            self._engine,
            self.computations,
            settings,
            lambda: self.preferences.keep_days,
            lambda: self._scheduler.watch(),
        )
        self._scheduler = Scheduler(self._clock, self._due, self._tick, self._jumped, lasting_s=settings.lasting_s)
        self._loop: asyncio.AbstractEventLoop | None = None
        self._jobs: set[asyncio.Task[Any]] = set()
        self.session_started_at: datetime | None = None

    # Life

    async def start(self) -> None:
        """Go on from where the last run stopped, then start the feeds."""
        self._loop = asyncio.get_running_loop()
        self._topics.start()
        await asyncio.to_thread(self._restore)
        self._follow_choices()
        await self.feeds.start()
        self._publish(self._engine.reconsider(self._clock()))
        await self.stage.start(self._present_scene())
        await self.text_files.start()
        self._scheduler.start()
        self.persistence.start()

    def _restore(self) -> None:
        now = self._clock()
        saved, position = self.store.read(state.load)
        picked = self.store.read(stored_feeds.picked_names)
        for one in saved:
            if one.event_type is None and one.feed not in (SCRIPT_FEED, SCENE_FEED) and one.signal.name not in picked:
                continue
            self._engine.restore(one.feed, one.signal, one.fresh_for_s, one.event_type)
        missed = self.store.read(lambda session: event_log.after(session, position))
        for logged in missed:
            self._apply([logged], now)
        self.session_started_at = self.store.read(state.present_session)
        self._engine.count_events(self._counts(), self.session_started_at, now)
        self.computations.restore(self._almanac(), missed[-1].seq if missed else position, now)

    async def stop(self) -> None:
        """Stop the feeds and save everything."""
        await self.feeds.stop()
        for job in list(self._jobs):
            await asyncio.gather(job, return_exceptions=True)
        await self.text_files.stop()
        self._scheduler.stop()
        await self.persistence.stop()

    @overload
    def call(
        self, method: Callable[Concatenate[Runtime, P], Coroutine[Any, Any, T]], /, *args: P.args, **kwargs: P.kwargs
    ) -> T: ...
    @overload
    def call(self, method: Callable[Concatenate[Runtime, P], T], /, *args: P.args, **kwargs: P.kwargs) -> T: ...
    def call(self, method: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Any:
        """Run a method of the runtime on its loop, from another thread, and wait for what it gives."""

        async def run() -> Any:
            result = method(self, *args, **kwargs)
            return await result if inspect.isawaitable(result) else result

        if self._loop is None:
            raise RuntimeError("The runtime has not been started.")
        return asyncio.run_coroutine_threadsafe(run(), self._loop).result(timeout=120)

    # Events and signals

    async def accept(self, events: Sequence[Event]) -> Accepted:
        """Log events, and only then let them change anything. Those that came before change nothing."""
        logged = await self._log(events)
        return Accepted(len(logged), len(events) - len(logged))

    async def _log(self, events: Sequence[Event], also: Callable[[Session], None] = nothing_more) -> list[Logged]:
        now = self._clock()
        logged: list[Logged] = await self._journal.put(events, also, now)
        return logged

    def _came(self, logged: Sequence[Logged], now: datetime) -> None:
        """These are in the log: let them change what they change."""
        self._publish(self._apply(logged, now))
        self.computations.passed([(one.event, one.seq, one.accepted_at) for one in logged])
        self.persistence.applied = max(self.persistence.applied, logged[-1].seq)
        for one in logged:
            self.stage.listed(one.event)
            # What is long past when it comes is no moment any more; the log can show it again.
            if now - one.event.time < MOMENT_FOR:
                self.corrections.show(one.event, one.seq)
            if scene := self.instruments.effects(one.event, now):
                self._in_the_background(self.set_scene(scene))
        if self._engine.graph.stale():
            self._in_the_background(self.computations.put_right())
        self._plan()
        self.touched("log")

    async def _feed_says(self, items: Sequence[Item], source: str, also: Callable[[Session], None]) -> Sequence[Event]:
        now = self._clock()
        events = [
            Event(item.id or uuid.uuid4().hex, source, item.type[:120], item.time or now, item.data)
            for item in items
            # What tells of Tesoura itself comes from nowhere else.
            if not item.type.startswith(OWN_TYPES)
        ]
        return [one.event for one in await self._log(events, also)]

    def _apply(self, logged: Sequence[Logged], now: datetime) -> Changes:
        return self._engine.apply_events([(one.event, one.seq, one.accepted_at) for one in logged], now)

    async def _tell_of(self, kind: str, data: Mapping[str, Any], subject: str | None = None) -> Logged:
        """Log what was done with Tesoura itself."""
        event = Event(uuid.uuid4().hex, "tesoura", kind, self._clock(), data, subject)
        return (await self._log([event]))[0]

    async def put_signal(self, name: str, value: Scalar, unit: str | None, fresh_for_s: float | None) -> Signal:
        """Set a signal of the script feed, and have it saved before answering."""
        now = self._clock()
        self._publish(self._engine.set_value(Reading(name, value, now), SCRIPT_FEED, unit, fresh_for_s, now))
        signal = self._engine.signal(name, now)
        assert signal is not None
        await self.persistence.save_signal(signal, SCRIPT_FEED, fresh_for_s)
        return signal

    async def set_by_hand(self, name: str, value: Scalar) -> Signal | None:
        """Set the value of a feed that is set by hand, logged and saved before answering."""
        signal = self.feeds.set_by_hand(name, value)
        if signal is not None:
            await self._tell_of(BY_HAND, {"feed": name, "value": value}, name)
            await self.persistence.save_signal(signal, name, None)
        return signal

    async def set_scene(self, scene: str) -> None:
        """Make this the present scene, logged and saved before answering."""
        name, now = self.preferences.scene_signal, self._clock()
        self._publish(self._engine.set_value(Reading(name, scene, now), name.partition(".")[0], None, None, now))
        await self._tell_of(SCENE_SET, {"scene": scene}, scene)
        signal = self._engine.signal(name, now)
        assert signal is not None
        await self.persistence.save_signal(signal, name.partition(".")[0], None)

    def _present_scene(self) -> str:
        value = self._engine.values.get(self.preferences.scene_signal)
        return value if isinstance(value, str) else ""

    def signals(self, trails: bool = False) -> list[Signal]:
        """All signals."""
        return self._engine.signals(self._clock(), trails)

    def signal(self, name: str) -> Signal | None:
        """One signal."""
        return self._engine.signal(name, self._clock())

    def names_taken(self) -> set[str]:
        """The first halves of signals' names that are in use."""
        return self._engine.feed_names() | {SCRIPT_FEED, SCENE_FEED}

    def event_types(self) -> list[str]:
        """The types of events that have come."""
        return sorted(self._engine.event_types())

    @property
    def engine(self) -> Engine:
        """The engine, for questions asked on the loop."""
        return self._engine

    # Feeds

    async def refresh_feed(self, name: str) -> None:
        """Bring a feed to what the store says of it."""
        await self.feeds.refresh(name)
        self.touched("feeds", "signals")

    # Computed signals

    async def refresh_computed(self, row_id: int) -> None:
        """Bring a computation to what the store says of it."""
        await self.computations.refresh(row_id)
        self.touched("signals")

    # Stream sessions and choices

    def _almanac(self) -> Almanac:
        return Almanac(self.preferences.zone, self.preferences.first_weekday, self.session_started_at)

    async def session_changed(self) -> None:
        """A stream session was started, or its start taken back or corrected: make what counts from it anew."""
        counts = await asyncio.to_thread(self._session_and_counts)
        self._publish(self._engine.count_events(counts, self.session_started_at, self._clock()))
        await self.computations.set_almanac(self._almanac())
        self.touched("session", "signals")

    def _session_and_counts(self) -> dict[str, int]:
        self.session_started_at = self.store.read(state.present_session)
        return self._counts()

    def _counts(self) -> dict[str, int]:
        start = self.session_started_at or _BEGINNING
        return self.store.read(lambda session: event_log.counts_since(session, start))

    async def choices_changed(self) -> None:
        """The user's general choices have changed: the locale, the zone, the first weekday, the folders."""
        self.preferences = await asyncio.to_thread(self.store.read, read_preferences)
        self._follow_choices()
        self._publish(self._engine.restyle(self.preferences.style()))
        await self.computations.set_almanac(self._almanac())
        await self.text_files.refresh()
        self.touched("signals", "files")

    def _follow_choices(self) -> None:
        self.feeds.follow_choices(self.preferences.folders, self.store.folder / "scripts", self.preferences.zone)

    # Inside

    def touched(self, *topics: str) -> None:
        """Something that the desks show has changed."""
        self._topics.touch(*topics)

    def _publish(self, changes: Changes) -> None:
        for what, error in self._engine.take_faults():
            log.error("%s failed; everything else goes on", what, exc_info=error)
        if changes.texts:
            self.stage.tell(changes.texts)
            self.text_files.tell(changes.texts)
        if changes.signals:
            self.touched("signals")
            self.stage.drawings.touched(changes.signals)
            self.hub.tell_watchers(changes.signals, self._written)
            self.touched(*self.instruments.panels_changed(changes.signals))
            if self.preferences.scene_signal in changes.signals:
                self.stage.set_scene(self._present_scene())
                self.touched("scene")
        if changes.feeds:
            self.touched("feeds")
        self._plan()

    def _written(self, name: str) -> str:
        value = self._engine.values.get(name)
        return "" if value is None else plain(value, self.preferences.style())

    def _plan(self) -> None:
        """Moments may begin, instruments have fired, and something may be due sooner than before."""
        if self._engine.graph.fired and self._loop is not None:
            self._in_the_background(self.instruments.log_fired())
        if self.stage.step(self._clock()):
            self.touched("moments")
        self._scheduler.plan()

    def _due(self) -> datetime | None:
        """When the next value may become late, or the next moment begins or ends."""
        due = (self._engine.next_change(), self.stage.next_change())
        return min((at for at in due if at is not None), default=None)

    def _tick(self) -> None:
        self._publish(self._engine.tick(self._clock()))
        if self._engine.graph.stale():
            self._in_the_background(self.computations.put_right())

    async def _jumped(self, now: datetime, by_s: float) -> None:
        if by_s:
            await self.instruments.clock_was_set(by_s)
        self._publish(self._engine.settle(now))
        self._publish(self._engine.reconsider(now))
        self._tick()

    def _in_the_background(self, job: Coroutine[Any, Any, Any]) -> None:
        task = asyncio.create_task(job)
        self._jobs.add(task)
        task.add_done_callback(self._jobs.discard)
