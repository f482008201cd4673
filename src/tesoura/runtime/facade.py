"""The runtime: one asyncio loop that owns the engine, the feeds and the hub.

Threads reach it through one door, `Runtime.call`, which runs on the loop and gives frozen values back.
"""

from __future__ import annotations

import asyncio
import contextlib
import contextvars
import inspect
import logging
import uuid
from collections.abc import Awaitable, Callable, Coroutine, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial
from typing import Any, Concatenate, ParamSpec, TypeVar, overload

from sqlmodel import Session

from tesoura.core.computed.almanac import Almanac
from tesoura.core.desk.controls import ControlMoved
from tesoura.core.instruments.records import KeptRecord
from tesoura.core.instruments.runner import CLOCK_SET, COMMAND
from tesoura.core.language.numbers import plain
from tesoura.core.signals.assignments import OWN_FEEDS, Assignment, assignment_of
from tesoura.core.signals.changes import Changes
from tesoura.core.signals.engine import OWN_TYPES, Engine
from tesoura.core.tracks.schema import STARTED
from tesoura.core.values import Event, Reading, Scalar, Signal
from tesoura.errors import DataFolderError
from tesoura.feeds.api import Item
from tesoura.outputs.hub import Hub, Page
from tesoura.outputs.topics import Topics
from tesoura.runtime import own_events
from tesoura.runtime.audience import Viewers
from tesoura.runtime.clips import Clips
from tesoura.runtime.computations import Computations
from tesoura.runtime.controls import Controls
from tesoura.runtime.corrections import Corrections
from tesoura.runtime.covering import Covering
from tesoura.runtime.covers import Covers
from tesoura.runtime.desk_leaves import DeskLeaves
from tesoura.runtime.devices import Devices
from tesoura.runtime.effects import Effects
from tesoura.runtime.explaining import Explanation, explain
from tesoura.runtime.feed_watch import FeedWatch
from tesoura.runtime.feeds import Feeds
from tesoura.runtime.instruments import Instruments
from tesoura.runtime.journal import Journal
from tesoura.runtime.links import Links
from tesoura.runtime.listening import Listening
from tesoura.runtime.painted import PaintedSpans
from tesoura.runtime.paused import Paused
from tesoura.runtime.performers import Performers
from tesoura.runtime.persistence import Persistence
from tesoura.runtime.pipeline import Outcome, Pipeline
from tesoura.runtime.preferences import Preferences, read_preferences
from tesoura.runtime.saves import SavedGames
from tesoura.runtime.scheduler import JUMP_S, Scheduler
from tesoura.runtime.session_reports import SessionReports
from tesoura.runtime.sessions import Sessions
from tesoura.runtime.set_values import SetValues
from tesoura.runtime.showing import Showing
from tesoura.runtime.sightings import Sightings
from tesoura.runtime.stage import Stage
from tesoura.runtime.startup import Startup
from tesoura.runtime.system_keys import SystemKeys
from tesoura.runtime.talking import Talking
from tesoura.runtime.tasks import Tasks, forget_requests, fresh
from tesoura.runtime.text_files import TextFiles
from tesoura.runtime.undoing import UndoLine
from tesoura.runtime.visits import Visits
from tesoura.settings import Settings, build
from tesoura.store import feeds as stored_feeds
from tesoura.store import log as event_log
from tesoura.store import records as kept_records
from tesoura.store import sources, state
from tesoura.store.log import Logged
from tesoura.store.readings import KeptReading
from tesoura.store.store import Store
from tesoura.studio.workshop import Studio

P = ParamSpec("P")
T = TypeVar("T")
log = logging.getLogger(__name__)
MISSED_AT_ONCE = 5_000
"""So many events are read and applied together at a start."""


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
        self._tasks = Tasks()
        self.sessions = Sessions(store)
        self.undo_line = UndoLine()
        self.covering = Covering(store, self.sessions)
        self.listening = Listening(store, settings, self._clock)
        self.visits = Visits(store, self._clock)
        self.journal = Journal(store, self._on_events, self._clock, lambda: self._scheduler.steady())
        self.hub = Hub(build(), self._audience_changed, self._on_ack, self._clock, self._on_trouble, self._on_painted)
        self.topics = Topics(self.hub)
        self.studio = Studio(store)
        self.stage = Stage(store, self._engine, self.hub, self._clock)
        self.leaves = DeskLeaves(store, self.stage)
        self.devices = Devices(store, self.leaves, self._clock, settings.lasting_s, self._tasks.start, self.touched)
        self._pipeline = Pipeline(self._engine, self.stage)
        self.feeds = Feeds(
            store,
            self._engine,
            self._clock,
            self._publish,
            self._on_feed,
            self._on_readings,
            self._on_link_scene,
            self._on_control,
            lambda feed, found: self.persistence.committing(feed, found),
            self._tasks,
        )
        self.computations = Computations(store, self._engine, self._clock, self._publish)
        self.set_values = SetValues(self._engine, self.journal, self._clock)
        self.links = Links(self.feeds)
        self.talking = Talking(self.links)
        self.system_keys = SystemKeys(store, self.leaves, self._tasks.start)
        self.controls = Controls(self.links, self.leaves, self._tasks.start)
        self._viewers = Viewers(self.stage, self._engine, self.journal, self._clock)
        self.sightings = Sightings(self.stage, self._engine, self.journal, self._clock, self._tasks.start)
        self.showing = Showing(store, self.stage, self.journal, self._clock)
        self.paused = Paused(store)
        self.effects = Effects(self.journal, self._clock, Performers(self).table(), self.paused.holds)
        self.instruments = Instruments(
            self._engine,
            self.journal,
            self.effects,
            self._clock,
            self.touched,
            lambda job: self._tasks.start(job, "Carrying out effects"),
        )
        self.covers = Covers(
            store.folder,
            self.journal,
            self._clock,
            settings.lasting_s,
            self.feeds.client,
            self.feeds.told_by,
            lambda job: self._tasks.start(job, "Fetching a cover"),
        )
        self.feed_watch = FeedWatch(
            self._engine, self.journal, self._clock, lambda job: self._tasks.start(job, "Logging a feed's status")
        )
        self.clips = Clips(self, self._tasks.start)
        self.saves = SavedGames(self, self._tasks.start)
        self.painted = PaintedSpans(self.journal, self._clock, self._tasks.start)
        self.corrections = Corrections(
            store, self.stage, self.computations, self.journal, self._clock, self.show_waiting, self._recount
        )
        self.text_files = TextFiles(store, self._engine, self._clock, self.touched)
        self.session_reports = SessionReports(store, self.computations)
        self.persistence = Persistence(
            store,
            self._engine,
            self.computations,
            settings,
            lambda: self.preferences.keep_days,
            self._watch_clock,
            self.session_reports.keep_before,
            self._tasks,
        )
        self._scheduler = Scheduler(self._clock, self._due, self._tick, self._jumped, lasting_s=settings.lasting_s)
        self._loop: asyncio.AbstractEventLoop | None = None
        self._starting: asyncio.Task[None] | None = None
        self.startup = Startup(settings.lasting_s)
        self._planned = False

    # Life

    def begin(self) -> None:
        """Start beside what is served meanwhile; `ready` tells when it is done."""
        self._loop = asyncio.get_running_loop()
        forget_requests(self._loop)
        self._starting = asyncio.create_task(self._start(), name="starting")

    async def ready(self) -> None:
        """Wait until everything runs. Raises what kept it from starting."""
        assert self._starting is not None
        await asyncio.shield(self._starting)

    @property
    def is_ready(self) -> bool:
        """Whether start-up is complete; no value is shown before."""
        task = self._starting
        return task is not None and task.done() and not task.cancelled() and task.exception() is None

    async def _start(self) -> None:
        """Go on from where the last run stopped, then start the feeds."""
        self.topics.start()
        await asyncio.to_thread(self._restore)
        self._follow_preferences()
        if STARTED in self._engine.graph.by_type:
            # What was told before is not known to be true any more, for whoever must know.
            started = Event(uuid.uuid4().hex, "tesoura", STARTED, self._clock(), {})
            await self._if_writable(self.journal.log([started]), "The start couldn't be logged")
        await self._if_writable(asyncio.to_thread(self.clips.sweep), "Clips couldn't be cleaned up")
        await self._if_writable(self.saves.sweep(), "Saved games couldn't be cleaned up")
        await self.feeds.start()
        self._publish(self._engine.reconsider(self._clock()))
        await self.stage.start(self._present_scene())
        await self.showing.start()
        self._audience_changed()
        await self.text_files.start()
        await self.system_keys.start()
        self._scheduler.start()
        self.persistence.start()
        self._tasks.start(self.effects.tell_undone(self.store), "Telling what was left undone")
        self._tasks.start(self.clips.begin(), "Looking after clips")
        self._tasks.start(self.saves.begin(), "Mending the shelves of saved games")

    async def _if_writable(self, job: Awaitable[object], failed: str) -> None:
        """Do a job that writes; from a folder that can't be written to, overlays are shown all the same."""
        try:
            await job
        except DataFolderError as error:
            log.error("%s: %s", failed, error)

    def _restore(self) -> None:
        now = self._clock()
        self._see_whether_set_back(now)
        saved, position = self.store.read(state.load)
        picked = self.store.read(stored_feeds.picked_names)
        there = picked | self.computations.names()
        for one in saved:
            if one.event_type is None and one.feed not in OWN_FEEDS and one.signal.name not in there:
                continue
            self._engine.restore(one.feed, one.signal, one.fresh_for_s, one.event_type)
        for kind, feed in self.store.read(sources.all_of):
            self._engine.sources.brings(feed, [kind])
        position = self._apply_missed(position, picked, now)
        # Among the missed ones are events of instruments that were removed after them.
        known = set(self._engine.event_types())
        if gone := self.store.read(lambda session: event_log.of_gone_instruments(session, known)):
            self._engine.forget_types(gone, now)
        self._engine.count_events(self.sessions.read(position), self.session_started_at, now)
        self.computations.look_for_shared()
        self.computations.restore(self._almanac(), position, now, self.startup.phase(position))

    def _see_whether_set_back(self, now: datetime) -> None:
        """What was logged last can't lie in the future: then the clock was set back while Tesoura did not run."""
        seq = self.store.read(event_log.last_seq)
        last_at = self.store.read(lambda session: event_log.accepted_at(session, seq))
        if last_at is None or now >= last_at - timedelta(seconds=JUMP_S):
            return
        by = now - last_at
        log.warning("The clock was set back by %.0f s while Tesoura was not running", -by.total_seconds())

        def job(session: Session) -> None:
            event_log.append(session, [_clock_event(now, by)], now)
            state.shift_session(session, by)

        with contextlib.suppress(DataFolderError):
            self.store.write(job)

    def _apply_missed(self, position: int, picked: Iterable[str], now: datetime) -> int:
        """Let the engine have the events that came after the signals were saved; the place of the last of them."""
        reached = self.startup.phase(self.store.read(event_log.last_seq))
        while missed := self.store.read(partial(event_log.after, seq=position, most=MISSED_AT_ONCE)):
            reached(missed[0].seq)
            known = [one for one in missed if self._is_known(assignment_of(one.event), picked)]
            self._report(self._engine.apply_events(known, now))
            self._engine.mark_restored(given.signal for one in known if (given := assignment_of(one.event)))
            position = missed[-1].seq
        return position

    @staticmethod
    def _is_known(given: Assignment | None, picked: Iterable[str]) -> bool:
        """Whether an event of the log sets nothing, or a signal that there still is."""
        return given is None or given.feed in OWN_FEEDS or given.signal in picked

    def _report(self, changes: Changes) -> Changes:
        for what, error in self._engine.take_faults():
            log.error("%s failed; everything else keeps running", what, exc_info=error)
        return changes

    async def stop(self) -> None:
        """Stop the feeds and save everything. What was still starting has nothing that is worth saving."""
        if not self.is_ready:
            self.startup.stop()
            if self._starting is not None:
                await asyncio.gather(self._starting, return_exceptions=True)
        if not self.is_ready:
            await self._tasks.stop()
            return
        await self.listening.close()
        self.system_keys.stop()
        await self.feeds.stop()
        await self.clips.stop()
        self.saves.end()
        self._viewers.stop()
        self.instruments.stop()
        await self._tasks.stop()
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
            await self._scheduler.steady()
            result = method(self, *args, **kwargs)
            return await result if inspect.isawaitable(result) else result

        if (loop := self._loop) is None:
            raise RuntimeError("The runtime has not been started.")
        context = contextvars.copy_context()

        async def as_asked() -> Any:
            # What is asked for belongs to the request; what it starts on the loop does not.
            return await loop.create_task(run(), context=context)

        return asyncio.run_coroutine_threadsafe(as_asked(), loop).result(timeout=120)

    # Events and signals

    async def accept(self, events: Sequence[Event]) -> Accepted:
        """Log events, and only then let them change anything. Those that came before change nothing."""
        logged = await self.journal.log(events)
        return Accepted(len(logged), len(events) - len(logged))

    def _on_events(self, logged: Sequence[Logged], now: datetime) -> None:
        """These are in the log: let them change what they change, all in one pass."""
        self.computations.passed(logged)
        self.persistence.applied = max(self.persistence.applied, logged[-1].seq)
        self._follow(self._pipeline.take(logged, now))
        if self._loop is not None:
            self.covers.heard(logged)
        if any(one.event.type.startswith(COMMAND) for one in logged) and self.is_ready:
            self.persistence.soon()
        if any(one.event.type not in event_log.QUIET for one in logged):
            self.touched("log")

    def _on_readings(self, found: Sequence[Reading]) -> None:
        seq = self.persistence.applied
        self.persistence.keep_readings([KeptReading(one.name, one.value, one.observed_at, seq) for one in found])

    async def _on_feed(self, items: Sequence[Item], source: str, also: Callable[[Session], None]) -> Sequence[Event]:
        await self._scheduler.steady()
        now = self._clock()
        events = [
            Event(item.id or uuid.uuid4().hex, source, item.type[:120], item.time or now, item.data, actor=source)
            for item in items
            # What tells of Tesoura itself comes from nowhere else.
            if not item.type.startswith(OWN_TYPES)
        ]
        return [one.event for one in await self.journal.log(events, also)]

    async def put_signal(
        self, name: str, value: Scalar, unit: str | None, fresh_for_s: float | None, actor: str = "desk"
    ) -> Signal:
        """Set a signal of the script feed; it is in the log before this ends."""
        return await self.set_values.by_script(Assignment(name, value, unit, fresh_for_s), actor)

    async def set_by_hand(
        self, name: str, choose: Callable[[Scalar | None], Scalar], actor: str = "desk"
    ) -> Signal | None:
        """Set the value of a feed that is set by hand; `choose` is told the present one. None for no such feed."""
        signal = self.feeds.hand_signal(name)
        return await self.set_values.by_hand(signal, choose, actor) if signal else None

    async def set_scene(self, scene: str, actor: str = "desk", cause: int | None = None, id: str = "") -> None:
        """Make this the present scene; it is in the log before this ends.

        With a scene link, the program that composes the picture switches first. Raises SourceUnavailable when it
        cannot be asked, and Gone when it has no such scene.
        """
        scene = await self.talking.switch(scene)
        await self.set_values.scene(self.preferences.scene_signal, scene, actor, cause, id)

    async def _on_link_scene(self, name: str, scene: str) -> None:
        """A scene link tells the present scene."""
        if name == self.talking.scene_link() and scene and scene != self.stage.scene:
            await self.set_values.scene(self.preferences.scene_signal, scene, f"feed:{name}")

    async def _on_control(self, name: str, moved: ControlMoved) -> None:
        await self.controls.moved(name, moved)

    def scenes(self) -> tuple[str, ...]:
        """The scenes there are: those of the scene link, or those that are named under Preferences."""
        return self.talking.scenes() or self.preferences.scenes

    # Answers

    def _audience_changed(self) -> None:
        self.touched("overlays")
        if self._loop is not None:
            self._tasks.start(self._viewers.look(), "Telling who shows what")

    def _on_ack(self, overlay_id: int, page: Page, moment_id: str) -> None:
        """A viewers' page says that it has painted a moment."""
        if painted := self.stage.told.painted(overlay_id, page.id, moment_id):
            self._tasks.start(self.journal.log([painted]), "The answer of a page")

    def _on_trouble(self, overlay_id: int, of: str, why: str) -> None:
        """A viewers' page says that it cannot show something."""
        self._tasks.start(self.clips.trouble(self.stage.placed(f"{overlay_id}/")[0], of, why), "The trouble of a page")

    def _on_painted(self, overlay_id: int, page: Page, number: int, spans: object) -> None:
        """A viewers' page says what it has painted."""
        self.painted.take(self.stage.placed(f"{overlay_id}/")[0], page, number, spans)

    def _present_scene(self) -> str:
        value = self._engine.values.get(self.preferences.scene_signal)
        return value if isinstance(value, str) else ""

    def signals(self, trails: bool = False) -> list[Signal]:
        """All signals."""
        return self._engine.signals(self._clock(), trails)

    def signal(self, name: str) -> Signal | None:
        """One signal."""
        return self._engine.signal(name, self._clock())

    async def explain(self, name: str) -> Explanation | None:
        """What stands behind a signal; None when there is none of that name."""
        await self.persistence.save(trails=False)
        return await explain(name, self.store, self._engine, self.computations, self._clock())

    def names_taken(self) -> set[str]:
        """The first halves of signals' names that are in use."""
        return self._engine.feed_names() | OWN_FEEDS

    def event_types(self) -> list[str]:
        """The types of events that have come."""
        return sorted(self._engine.event_types())

    @property
    def engine(self) -> Engine:
        """The engine, for questions asked on the loop."""
        return self._engine

    async def records(self, instrument: str, kind: str = "", most: int | None = None) -> list[KeptRecord]:
        """What an instrument has written down, the newest first, up to this moment."""
        await self.persistence.save(trails=False)
        return await asyncio.to_thread(
            self.store.read, lambda session: list(kept_records.of(session, instrument, kind, most=most))
        )

    # Feeds

    async def refresh_feed(self, name: str) -> None:
        """Bring a feed to what the store says of it."""
        await self.feeds.refresh(name)
        self.touched("feeds", "signals")

    # Computed signals

    async def refresh_computed(self, row_id: int) -> None:
        """Bring a computation to what the store says of it."""
        await self.computations.refresh(row_id)
        await own_events.follow(self.store, self._engine, row_id, self._publish, self._clock, self._recount)
        await self.persistence.save(trails=False)
        if await asyncio.to_thread(self.computations.look_for_shared):
            await self.computations.set_almanac(self._almanac())
        self.touched("signals")

    # Stream sessions and choices

    @property
    def session_started_at(self) -> datetime | None:
        """When the present stream session began; None before the first."""
        return self.sessions.started_at

    def _almanac(self) -> Almanac:
        p = self.preferences
        shared = self.computations.shared
        return Almanac(p.zone, p.first_weekday, self.session_started_at, p.scene_signal, shared)

    async def session_changed(self) -> None:
        """A stream session was started, or its start taken back or corrected: make what counts from it anew."""
        counts = await self._counts()
        self._publish(self._engine.count_events(counts, self.session_started_at, self._clock()))
        await self.computations.set_almanac(self._almanac())
        self.touched("session", "signals", "covering")

    async def _counts(self) -> dict[str, tuple[int, datetime]]:
        """Count the session's events, those that are applied while the log is being read too."""
        until_seq = self.computations.applied
        counts = await asyncio.to_thread(self.sessions.read, until_seq)
        if self.computations.applied == until_seq:
            return counts
        began = self.session_started_at
        for one in self.store.read(lambda session: event_log.after(session, until_seq)):
            at = min(one.event.time, one.accepted_at)
            if one.seq <= self.computations.applied and (began is None or at >= began):
                count, last = counts.get(one.event.type, (0, at))
                counts[one.event.type] = (count + 1, max(last, at))
        return counts

    async def _recount(self, kind: str, newest: Logged | None) -> None:
        """An event of this type was corrected: find its counts, and what its signals tell, again."""
        counts = await self._counts()
        now = self._clock()
        self._publish(self._engine.last_event(kind, newest.event if newest else None, now))
        self._publish(self._engine.count_events(counts, self.session_started_at, now))
        self.touched("signals", "log")

    async def preferences_changed(self) -> None:
        """The user's general choices have changed: the locale, the zone, the first weekday, the folders."""
        self.preferences = await asyncio.to_thread(self.store.read, read_preferences)
        self._follow_preferences()
        self._publish(self._engine.restyle(self.preferences.style()))
        await self.computations.set_almanac(self._almanac())
        await self.text_files.refresh()
        self.touched("signals", "files")

    def _follow_preferences(self) -> None:
        self.feeds.follow_choices(self.preferences.folders, self.store.folder / "scripts", self.preferences.zone)

    # Inside

    def touched(self, *topics: str) -> None:
        """Something that the desks show has changed."""
        self.topics.touch(*topics)
        self.devices.touched()
        if self._loop is not None:
            self.controls.touched()
            self._plan()

    def failing(self) -> dict[str, str]:
        """Return the broken computations and failing loops, by name, with their errors."""
        return {**self._engine.graph.broken, **self._tasks.failing}

    def failing_loops(self) -> dict[str, str]:
        """Return the loops that failed and are being restarted, by name, with their errors."""
        return self._tasks.failing

    def start_beside(self, job: Coroutine[Any, Any, Any], name: str) -> None:
        """Run this beside everything else."""
        self._tasks.start(job, name)

    def _publish(self, changes: Changes) -> None:
        self._follow(self._pipeline.follow(changes, self._clock()))

    def _follow(self, outcome: Outcome) -> None:
        """Tell everybody what changed, log what was fired, and see when something is due next."""
        for what, error in outcome.faults:
            log.error("%s failed; everything else keeps running", what, exc_info=error)
        changes = outcome.changes
        if changes.texts:
            self.text_files.tell(changes.texts)
        if changes.signals:
            self.hub.tell_watchers(changes.signals, self._written)
            if self.preferences.scene_signal in changes.signals:
                self.stage.set_scene(self._present_scene())
                self.touched("scene")
            self.touched("signals", *self.instruments.panels_changed(changes.signals))
        if changes.feeds:
            self.touched("feeds")
            if self._loop is not None:
                self.feed_watch.changed(changes.feeds)
        if outcome.moments:
            self.touched("moments")
        if outcome.fired and self._loop is not None:
            self.instruments.fired(outcome.fired)
            self._tasks.start(self.instruments.log_fired(), "Logging an instrument's events")
        if outcome.stale:
            self._put_right()
        self._plan()

    def _put_right(self) -> None:
        if self._engine.graph.stale():
            self._tasks.start(self.computations.put_right(), "Rebuilding")

    def _written(self, name: str) -> str:
        value = self._engine.values.get(name)
        return "" if value is None else plain(value, self.preferences.style())

    def show_waiting(self) -> None:
        """Moments wait that did not: begin those whose turn it is."""
        self._publish(Changes())

    def _plan(self) -> None:
        """Something may be due sooner than before: looked at once, after all that is being done now."""
        if not self._planned and self._loop is not None:
            self._planned = True
            self._loop.call_soon(self._plan_now, context=fresh())

    def _plan_now(self) -> None:
        self._planned = False
        self._scheduler.plan()
        self.sightings.look()

    def _due(self) -> datetime | None:
        """When the next value may become late, or the next moment begins or ends."""
        due = (self._engine.next_change(), self.stage.next_change())
        return min((at for at in due if at is not None), default=None)

    def _tick(self) -> None:
        self._follow(self._pipeline.tick(self._clock()))

    def _watch_clock(self) -> None:
        self._scheduler.watch()
        # Show computations that failed since the last tick as down.
        self._plan()

    async def clock_was_set(self, by_s: float) -> None:
        """The computer's clock was set: lengths of time go on, and what lies in the log lies as far back as before."""
        by = timedelta(seconds=by_s)
        event = _clock_event(self._clock(), by)
        self.stage.moments.shift(by)
        self.instruments.clock_was_set(by)
        await self.journal.put([event], lambda session: state.shift_session(session, by), event.time)
        self.sessions.started_at = self.sessions.started_at and self.sessions.started_at + by
        self._tasks.start(self._count_again(), "Counting again after the clock was set")

    async def _count_again(self) -> None:
        await self.session_changed()
        await self.computations.rebuild(self._engine.graph.timed())
        await self.persistence.save(trails=True)

    async def _jumped(self, now: datetime, by_s: float) -> None:
        if by_s:
            await self.clock_was_set(by_s)
        self._publish(self._engine.settle(now))
        self._publish(self._engine.reconsider(now))
        self._tick()


def _clock_event(now: datetime, by: timedelta) -> Event:
    data = {"by_s": by.total_seconds(), "from": (now - by).isoformat(), "to": now.isoformat()}
    return Event(uuid.uuid4().hex, "tesoura", CLOCK_SET, now, data)
