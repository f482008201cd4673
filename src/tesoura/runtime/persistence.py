"""Saving what runs, now and then and at the end; and letting go of what the log no longer keeps."""

from __future__ import annotations

import asyncio
import logging
from collections import Counter
from collections.abc import Awaitable, Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime, timedelta

from sqlmodel import Session

from tesoura.core.signals.engine import Engine
from tesoura.core.values import Freshness, Reading, Signal
from tesoura.runtime.computations import Computations
from tesoura.runtime.tasks import Tasks
from tesoura.settings import Settings
from tesoura.store import computed as stored_computed
from tesoura.store import log as event_log
from tesoura.store import media, overlays, readings, sources, state
from tesoura.store import records as kept_records
from tesoura.store.readings import KeptReading
from tesoura.store.store import Store

log = logging.getLogger(__name__)
READINGS_DAYS = 30
"""Readings of feeds are kept so long, and no longer than the log is."""
MOST_READINGS = 5_000
TRAILS_EVERY = 15
LET_GO_EVERY = 150


class Persistence:
    """Saves the signals every few seconds, their trails and the computations less often."""

    def __init__(
        self,
        store: Store,
        engine: Engine,
        computations: Computations,
        settings: Settings,
        keep_days: Callable[[], int | None],
        turned: Callable[[], None],
        keep_reports: Callable[[datetime], Awaitable[None]],
        tasks: Tasks,
    ) -> None:
        self._tasks = tasks
        self._keep_reports = keep_reports
        self._store, self._engine, self._computations, self._settings = store, engine, computations, settings
        self._keep_days, self._turned = keep_days, turned
        self._task: asyncio.Task[None] | None = None
        self._saving: asyncio.Task[None] | None = None
        self._readings: list[KeptReading] = []
        self._committing: Counter[str] = Counter()
        """The signals whose newest value is being written with something else, and by how many."""
        self.applied = 0
        """Up to which place in the log the engine's values stand."""

    def start(self) -> None:
        """Save from now on."""
        self.applied = max(self.applied, self._computations.applied)
        self._task = self._tasks.keep_going(self._now_and_then, "Saving")

    async def stop(self) -> None:
        """Save everything a last time."""
        if self._task is not None:
            self._task.cancel()
            await asyncio.gather(self._task, return_exceptions=True)
        if self._saving is not None:
            await asyncio.gather(self._saving, return_exceptions=True)
        await self.save(trails=True)

    def soon(self) -> None:
        """Save what changed once all that is being done now is done."""
        if self._saving is None or self._saving.done():
            self._saving = asyncio.create_task(self.save(trails=False), name="saving at once")

    async def _now_and_then(self) -> None:
        turn = 0
        while True:
            await asyncio.sleep(self._settings.save_every_s)
            turn += 1
            self._turned()
            await self.save(trails=turn % TRAILS_EVERY == 0)
            await self._index_words()
            if turn % LET_GO_EVERY == 1:
                await self.let_go()

    async def _index_words(self) -> None:
        try:
            while await asyncio.wrap_future(self._store.writer.submit(event_log.index_words)) == event_log.AT_ONCE:
                pass
        except Exception as error:
            log.error("The search index couldn't be updated; retrying: %s", error)

    async def let_go(self) -> int:
        """Let go of what is older than it is kept: readings, and of the log as the user chose; how many events went."""
        days, now, gone = self._keep_days(), self._settings.clock(), 0
        if days is not None:
            # What only the events that go could tell must be saved before.
            await self.save(trails=True)
        kept_days = READINGS_DAYS if days is None else min(days, READINGS_DAYS)
        try:
            if days is not None:
                await self._keep_reports(now - timedelta(days=days))
            while days is not None and (count := await self._computations.let_go(now - timedelta(days=days), now)):
                gone += count
            kept = now - timedelta(days=kept_days)
            while await asyncio.wrap_future(self._store.writer.submit(lambda session: readings.let_go(session, kept))):
                pass
        except Exception as error:
            log.error("Old log entries couldn't be deleted: %s", error)
        await self._let_go_of_media()
        return gone

    async def _let_go_of_media(self) -> None:
        """Let go of the files of instruments that are kept no longer, unless an overlay or a draft shows them."""
        now, folder = self._settings.clock(), self._store.folder

        def job(session: Session) -> list[str]:
            return media.past(session, now, overlays.media_in_use(session))

        def remove(names: Sequence[str]) -> None:
            for name in names:
                media.path_of(folder, name).unlink(missing_ok=True)

        try:
            if gone := await asyncio.wrap_future(self._store.writer.submit(job)):
                await asyncio.to_thread(remove, gone)
        except Exception as error:
            log.error("Unused files couldn't be deleted: %s", error)

    def keep_readings(self, found: Sequence[KeptReading]) -> None:
        """What feeds told that was another value than before; written with the next saving."""
        self._readings += found
        if len(self._readings) > MOST_READINGS:
            log.warning("%d readings wait to be written; the oldest of them are given up", len(self._readings))
            del self._readings[: -MOST_READINGS // 2]

    @contextmanager
    def committing(self, feed: str, found: Sequence[Reading]) -> Iterator[Callable[[Session], None]]:
        """Give a job that writes a feed's readings, to go into the transaction of whatever else came with them.

        The readings must be in the engine when the context ends. Until then no older value of theirs is saved, which
        could end up on disk after the newer one.
        """
        names, now, units = [one.name for one in found], self._settings.clock(), {}
        kept = [one for one in found if self._engine.values.get(one.name) != one.value]
        for one in found:
            known = self._engine.signal(one.name, now)
            units[one.name] = known.unit if known else ""
        saved = [
            state.SavedSignal(
                Signal(one.name, one.value, units[one.name], one.observed_at, Freshness.LIVE), feed, None, None
            )
            for one in found
        ]

        def job(session: Session) -> None:
            state.save(session, saved, None, trails=False)
            readings.keep(session, [KeptReading(one.name, one.value, one.observed_at, self.applied) for one in kept])

        self._committing.update(names)
        try:
            yield job
        finally:
            self._committing.subtract(names)
            self._committing += Counter()
            self._engine.save_again(names)

    async def save(self, trails: bool) -> None:
        """Save what changed, and with `trails` how the computations stand too."""
        applied = self.applied
        changed = [
            one for one in self._engine.unsaved(self._settings.clock(), trails) if one[0].name not in self._committing
        ]
        unsaved = self._engine.graph.take_unsaved()
        standings = self._computations.standings(None if trails else unsaved)
        read, self._readings = self._readings, []
        records, overtaken = self._engine.graph.take_records()
        learned = self._engine.sources.take_new()
        if not (changed or standings or read or records or overtaken or learned):
            return
        saved = [state.SavedSignal(*one) for one in changed]

        def job(session: Session) -> None:
            state.save(session, saved, applied, trails)
            readings.keep(session, read)
            kept_records.keep(session, records, overtaken)
            sources.keep(session, learned)
            stored_computed.save_standings(session, standings)

        saving = self._store.writer.submit(job)
        try:
            # Once taken out of the engine it must be written, even when this task is told to end meanwhile.
            await asyncio.shield(asyncio.wrap_future(saving))
        except Exception as error:
            self._engine.save_again([one.signal.name for one in saved])
            self._engine.graph.save_again(unsaved)
            self._readings = [*read, *self._readings]
            self._engine.graph.give_back(records, overtaken)
            self._engine.sources.give_back(learned)
            log.error("The signals couldn't be saved; retrying: %s", error)
