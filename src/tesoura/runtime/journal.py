"""Writing events to the log: those that come while a write is under way go together into the next."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Awaitable, Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import islice

from sqlmodel import Session

from tesoura.core.values import Event
from tesoura.store import log as event_log
from tesoura.store.log import Logged
from tesoura.store.store import Store

log = logging.getLogger(__name__)
MOST_AT_ONCE = 256
CROWD, GATHER_S = 3, 0.01
"""When so many entries came together, the next ones are given so many seconds to gather."""

Also = Callable[[Session], None]


def nothing_more(session: Session) -> None:
    """Nothing else goes into the transaction."""


@dataclass(slots=True)
class _Entry:
    events: Sequence[Event]
    also: Also
    now: datetime
    done: asyncio.Future[list[Logged]]


class Journal:
    """The way into the log. `came` is told of what was new, in the order of the log, before anybody's wait ends.

    `steady` returns once a clock that was just set is in the log, so that nothing is accepted by the new clock before.
    """

    def __init__(
        self,
        store: Store,
        came: Callable[[Sequence[Logged], datetime], None],
        clock: Callable[[], datetime],
        steady: Callable[[], Awaitable[None]],
    ) -> None:
        self._store, self._came, self._clock, self.steady = store, came, clock, steady
        self._waiting: list[_Entry] = []
        self._writing: asyncio.Task[None] | None = None

    async def log(self, events: Sequence[Event], also: Also = nothing_more) -> list[Logged]:
        """Log events that happen now; those that were new, once they are on disk and have changed what they change."""
        await self.steady()
        return await self.put(events, also, self._clock())

    async def put(self, events: Sequence[Event], also: Also, now: datetime) -> list[Logged]:
        """Log events and do the rest of the job in one transaction; those that were new, once they are on disk.

        Raises what the write raised; then nothing of this was kept.
        """
        entry = _Entry(events, also, now, asyncio.get_running_loop().create_future())
        self._waiting.append(entry)
        if self._writing is None or self._writing.done():
            self._writing = asyncio.create_task(self._write(), name="log")
        return await entry.done

    async def _write(self) -> None:
        crowd = False
        while self._waiting:
            if crowd:
                # Many come at once: a little patience puts more of them into one commit.
                await asyncio.sleep(GATHER_S)
            entries, self._waiting = self._waiting[:MOST_AT_ONCE], self._waiting[MOST_AT_ONCE:]
            crowd = len(entries) >= CROWD
            if not await self._together(entries):
                # One that cannot be written must not take the others along.
                for entry in entries:
                    if not await self._together([entry]) and not entry.done.done():
                        entry.done.set_exception(RuntimeError("The log took nothing."))

    async def _together(self, entries: Sequence[_Entry]) -> bool:
        now, writer = entries[-1].now, self._store.writer

        def each(places: Iterable[Logged | None]) -> list[list[Logged]]:
            of_all = iter(places)
            return [[one for one in islice(of_all, len(entry.events)) if one is not None] for entry in entries]

        # All as one statement: most of what an event costs is being written by itself.
        events = [one for entry in entries for one in entry.events]

        def job(session: Session) -> list[list[Logged]]:
            found = each(event_log.append_each(session, events, now))
            for entry in entries:
                entry.also(session)
            return found

        alone = all(entry.also is nothing_more for entry in entries)
        try:
            writing = (
                writer.submit_plain(lambda driver: each(event_log.append_plain(driver, events, now)))
                if alone
                else writer.submit(job)
            )
            logged = await asyncio.wrap_future(writing)
        except Exception as error:
            if len(entries) == 1 and not entries[0].done.done():
                entries[0].done.set_exception(error)
                return True
            return False
        new = [one for of_entry in logged for one in of_entry]
        if new:
            try:
                self._came(new, self._clock())
            except Exception:
                # They are in the log for good; whoever waits for that must be told so.
                log.exception("What follows from events %d to %d failed", new[0].seq, new[-1].seq)
        for entry, of_entry in zip(entries, logged, strict=True):
            if not entry.done.done():
                entry.done.set_result(of_entry)
        return True
