"""The runtime: one asyncio loop that owns the engine, the feeds and the hub.

Threads reach it through one door, `Runtime.call`, which runs on the loop and gives frozen values back.
"""

from __future__ import annotations

import asyncio
import inspect
import logging
from collections.abc import Callable, Coroutine, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, Concatenate, ParamSpec, TypeVar, overload

from tesoura.airing import Airing
from tesoura.core.changes import Changes
from tesoura.core.engine import Engine
from tesoura.core.values import Event, Reading, Scalar, Signal, Wanted
from tesoura.feeding import Feeding, FeedReport, Proof
from tesoura.feeds.kinds import KINDS
from tesoura.locales import machine_locale, number_style
from tesoura.outputs.hub import Hub
from tesoura.settings import Settings, build
from tesoura.store import feeds as stored_feeds
from tesoura.store import log as event_log
from tesoura.store import state
from tesoura.store.log import Logged
from tesoura.store.store import Store

P = ParamSpec("P")
T = TypeVar("T")
SCRIPT_FEED = "script"
DESK_EVERY_S = 0.25
TRAILS_EVERY = 15
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
        self._locale = store.read(lambda session: state.choice(session, "locale")) or machine_locale()
        self._engine = Engine(number_style(self._locale))
        self.hub = Hub(build(), lambda: self._touch("overlays"))
        self.feeding = Feeding(store, self._engine, self._clock, self._publish)
        self.airing = Airing(store, self._engine, self.hub)
        self._loop: asyncio.AbstractEventLoop | None = None
        self._tasks: list[asyncio.Task[None]] = []
        self._late: asyncio.TimerHandle | None = None
        self._late_due = _BEGINNING
        self._topics: set[str] = set()
        self._telling = False
        self._applied = 0
        self.session_started_at: datetime | None = None

    # Life

    async def start(self) -> None:
        """Go on from where the last run stopped, then start the feeds."""
        self._loop = asyncio.get_running_loop()
        await asyncio.to_thread(self._restore)
        await self.feeding.start()
        self._publish(self._engine.reconsider(self._clock()))
        await self.airing.start()
        self._plan()
        self._tasks.append(asyncio.create_task(self._save_now_and_then(), name="saving"))

    def _restore(self) -> None:
        now = self._clock()
        saved, position = self.store.read(state.load)
        picked = self.store.read(stored_feeds.picked_names)
        for one in saved:
            if one.event_type is None and one.feed != SCRIPT_FEED and one.signal.name not in picked:
                continue
            self._engine.restore(one.feed, one.signal, one.fresh_for_s, one.event_type)
        missed = self.store.read(lambda session: event_log.after(session, position))
        for logged in missed:
            self._apply(logged, now)
        self._applied = missed[-1].seq if missed else position
        self.session_started_at = self.store.read(state.present_session)
        self._engine.count_events(self._counts(), self.session_started_at, now)

    async def stop(self) -> None:
        """Stop the feeds and save everything."""
        await self.feeding.stop()
        for task in self._tasks:
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)
        if self._late:
            self._late.cancel()
        await self._save(trails=True)

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
        return asyncio.run_coroutine_threadsafe(run(), self._loop).result(timeout=30)

    # Events and signals

    async def accept(self, events: Sequence[Event]) -> Accepted:
        """Log events, and only then let them change anything. Those that came before change nothing."""
        now = self._clock()
        logged: list[Logged] = await asyncio.wrap_future(
            self.store.writer.submit(lambda session: event_log.append(session, events, now))
        )
        for one in logged:
            self._publish(self._apply(one, now))
            self._applied = max(self._applied, one.seq)
        if logged:
            self._touch("log")
        return Accepted(len(logged), len(events) - len(logged))

    def _apply(self, logged: Logged, now: datetime) -> Changes:
        try:
            return self._engine.apply_event(logged.event, now)
        except Exception:
            # It is in the log for good. A fault of ours with one event must keep neither the next nor a start away.
            log.exception("Event %d of the log could not be applied", logged.seq)
            return Changes()

    async def put_signal(self, name: str, value: Scalar, unit: str | None, fresh_for_s: float | None) -> Signal:
        """Set a signal of the script feed, and have it saved before answering."""
        now = self._clock()
        self._publish(self._engine.set_value(Reading(name, value, now), SCRIPT_FEED, unit, fresh_for_s, now))
        signal = self._engine.signal(name, now)
        assert signal is not None
        saved = [state.SavedSignal(signal, SCRIPT_FEED, fresh_for_s, None)]
        await asyncio.wrap_future(
            self.store.writer.submit(lambda session: state.save(session, saved, None, trails=True))
        )
        return signal

    def signals(self, trails: bool = False) -> list[Signal]:
        """All signals."""
        return self._engine.signals(self._clock(), trails)

    def signal(self, name: str) -> Signal | None:
        """One signal."""
        return self._engine.signal(name, self._clock())

    def names_taken(self) -> set[str]:
        """The first halves of signals' names that are in use."""
        return self._engine.feed_names() | {SCRIPT_FEED}

    # Feeds

    async def refresh_feed(self, name: str) -> None:
        """Bring a feed to what the store says of it."""
        await self.feeding.refresh(name)
        self._touch("feeds", "signals")

    def feed_reports(self) -> list[FeedReport]:
        """All feeds."""
        return self.feeding.reports()

    def feed_report(self, name: str) -> FeedReport:
        """One feed. Raises KeyError."""
        return self.feeding.report(name)

    async def probe(self, kind: str, choices: Mapping[str, Any], secrets: Mapping[str, str]) -> Proof:
        """Try a feed once, before it is kept."""
        return await self.feeding.probe(kind, choices, secrets)

    def proof(self, name: str) -> Proof | None:
        """What a feed's last try showed."""
        return self.feeding.proof(name)

    def pick(self, name: str, path: str, wanted: Wanted | None) -> Scalar:
        """What a path reaches in a feed's last payload. Raises NothingPicked, a ValueError."""
        return self.feeding.pick(name, path, wanted)

    def ask_now(self, name: str) -> None:
        """Ask a feed at once."""
        self.feeding.ask_now(name)

    @staticmethod
    def kinds() -> Mapping[str, Any]:
        """The kinds of feed there are, by name."""
        return KINDS

    # Stream sessions and choices

    async def session_changed(self) -> None:
        """A stream session was started, or its start taken back: count its events anew."""
        self.session_started_at, counts = await asyncio.to_thread(self._session_and_counts)
        self._publish(self._engine.count_events(counts, self.session_started_at, self._clock()))
        self._touch("session", "signals")

    def _session_and_counts(self) -> tuple[datetime | None, dict[str, int]]:
        self.session_started_at = self.store.read(state.present_session)
        return self.session_started_at, self._counts()

    def _counts(self) -> dict[str, int]:
        start = self.session_started_at or _BEGINNING
        return self.store.read(lambda session: event_log.counts_since(session, start))

    @property
    def locale(self) -> str:
        """The locale in which numbers are written."""
        return self._locale

    async def set_locale(self, name: str) -> None:
        """Write all numbers as this locale does, from now on."""
        self._locale = name
        self._publish(self._engine.restyle(number_style(name)))

    # Inside

    def touched(self, *topics: str) -> None:
        """Something that the desks show has changed."""
        self._touch(*topics)

    def _publish(self, changes: Changes) -> None:
        if changes.texts:
            self.airing.tell(changes.texts)
        if changes.signals:
            self._touch("signals")
        if changes.feeds:
            self._touch("feeds")
        self._plan()

    def _plan(self) -> None:
        """Wake up when the next value may become late, not before."""
        due = self._engine.next_change()
        if due is None or self._loop is None or (self._late and self._late_due <= due):
            return
        if self._late:
            self._late.cancel()
        self._late_due = due
        self._late = self._loop.call_later(max((due - self._clock()).total_seconds(), 0.02), self._tick)

    def _tick(self) -> None:
        self._late = None
        self._publish(self._engine.tick(self._clock()))

    def _touch(self, *topics: str) -> None:
        self._topics.update(topics)
        if self._loop and not self._telling:
            self._telling = True
            self._loop.call_later(DESK_EVERY_S, self._tell_desks)

    def _tell_desks(self) -> None:
        topics, self._topics, self._telling = self._topics, set(), False
        self.hub.tell_desks({"kind": "changed", "topics": sorted(topics)})

    async def _save_now_and_then(self) -> None:
        turn = 0
        while True:
            await asyncio.sleep(self.settings.save_every_s)
            turn += 1
            await self._save(trails=turn % TRAILS_EVERY == 0)

    async def _save(self, trails: bool) -> None:
        applied = self._applied
        changed = self._engine.unsaved(self._clock(), trails)
        if not changed:
            return
        saved = [state.SavedSignal(*one) for one in changed]
        saving = self.store.writer.submit(lambda session: state.save(session, saved, applied, trails))
        try:
            # Once taken out of the engine it must be written, even when this task is told to end meanwhile.
            await asyncio.shield(asyncio.wrap_future(saving))
        except Exception as error:
            self._engine.save_again([one.signal.name for one in saved])
            log.error("The signals could not be saved; it is tried again: %s", error)
