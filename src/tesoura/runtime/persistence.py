"""Saving what runs, now and then and at the end; and letting go of what the log no longer keeps."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable
from datetime import timedelta

from sqlmodel import Session

from tesoura.core.signals.engine import Engine
from tesoura.core.values import Signal
from tesoura.runtime.computations import Computations
from tesoura.settings import Settings
from tesoura.store import computed as stored_computed
from tesoura.store import log as event_log
from tesoura.store import state
from tesoura.store.store import Store

log = logging.getLogger(__name__)
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
    ) -> None:
        self._store, self._engine, self._computations, self._settings = store, engine, computations, settings
        self._keep_days, self._turned = keep_days, turned
        self._task: asyncio.Task[None] | None = None
        self.applied = 0
        """Up to which place in the log the engine's values stand."""

    def start(self) -> None:
        """Save from now on."""
        self.applied = max(self.applied, self._computations.applied)
        self._task = asyncio.create_task(self._now_and_then(), name="saving")

    async def stop(self) -> None:
        """Save everything a last time."""
        if self._task is not None:
            self._task.cancel()
            await asyncio.gather(self._task, return_exceptions=True)
        await self.save(trails=True)

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
            log.error("The words of events could not be put into the index; it is tried again: %s", error)

    async def let_go(self) -> int:
        """Let go of the part of the log that is older than the user keeps it; how many events went."""
        days, now = self._keep_days(), self._settings.clock()
        if days is None:
            return 0
        before, gone = now - timedelta(days=days), 0
        try:
            while count := await asyncio.wrap_future(
                self._store.writer.submit(lambda session: self._computations.let_go(session, before, now))
            ):
                gone += count
        except Exception as error:
            log.error("The log's beginning could not be let go: %s", error)
        return gone

    async def save(self, trails: bool) -> None:
        """Save what changed, and with `trails` how the computations stand too."""
        applied = self.applied
        changed = self._engine.unsaved(self._settings.clock(), trails)
        standings = self._computations.standings() if trails else []
        if not changed and not standings:
            return
        saved = [state.SavedSignal(*one) for one in changed]

        def job(session: Session) -> None:
            state.save(session, saved, applied, trails)
            stored_computed.save_standings(session, standings)

        saving = self._store.writer.submit(job)
        try:
            # Once taken out of the engine it must be written, even when this task is told to end meanwhile.
            await asyncio.shield(asyncio.wrap_future(saving))
        except Exception as error:
            self._engine.save_again([one.signal.name for one in saved])
            log.error("The signals could not be saved; it is tried again: %s", error)

    async def save_signal(self, signal: Signal, feed: str, fresh_for_s: float | None) -> None:
        """Save one signal, and wait until it is safe."""
        saved = [state.SavedSignal(signal, feed, fresh_for_s, None)]
        await asyncio.wrap_future(
            self._store.writer.submit(lambda session: state.save(session, saved, None, trails=True))
        )
