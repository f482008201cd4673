"""Tasks in the background: none is forgotten by the collector, and none fails unseen."""

from __future__ import annotations

import asyncio
import contextvars
import logging
import time
from collections.abc import Callable, Coroutine
from typing import Any

log = logging.getLogger(__name__)
AGAIN_S, MOST_AGAIN_S = 1.0, 30.0
"""Seconds until a loop that failed is run again, at first and at most."""
WELL_S = 60.0
"""A loop that has run for so long is no longer failing."""


def fresh() -> contextvars.Context:
    """An empty context, for work that outlives a request: it must not run as the user who sent it."""
    return contextvars.Context()


def forget_requests(loop: asyncio.AbstractEventLoop) -> None:
    """Make new tasks on this loop start in an empty context, unless one is passed in."""
    loop.set_task_factory(_fresh_task)


def _fresh_task(
    loop: asyncio.AbstractEventLoop, job: Any, context: contextvars.Context | None = None
) -> asyncio.Task[Any]:
    return asyncio.Task(job, loop=loop, context=context or fresh())


class Tasks:
    """What runs beside everything else on the loop."""

    def __init__(self) -> None:
        self._tasks: set[asyncio.Task[Any]] = set()
        self.failing: dict[str, str] = {}
        """Loops that failed and have not run for long since, by name, and how."""

    def start(self, job: Coroutine[Any, Any, Any], name: str) -> asyncio.Task[Any]:
        """Run this beside everything else; should it fail, the log of the program says so."""
        task = asyncio.create_task(job, name=name)
        self._tasks.add(task)
        task.add_done_callback(self._done, context=fresh())
        return task

    def keep_going(
        self,
        loop: Callable[[], Coroutine[Any, Any, None]],
        name: str,
        failed: Callable[[Exception], None] = lambda error: None,
    ) -> asyncio.Task[None]:
        """Run a loop in the background; when it fails, report it, call `failed`, and restart it.

        The task ends only when it is cancelled; cancel it before `stop`.
        """
        return asyncio.create_task(self._kept_going(loop, name, failed), name=name)

    async def _kept_going(
        self, loop: Callable[[], Coroutine[Any, Any, None]], name: str, failed: Callable[[Exception], None]
    ) -> None:
        wait_s = AGAIN_S
        try:
            while True:
                began = time.monotonic()
                well = asyncio.get_running_loop().call_later(WELL_S, self.failing.pop, name, None, context=fresh())
                try:
                    await loop()
                    return
                except Exception as error:
                    log.error("%s failed; restarting in %g s", name, wait_s, exc_info=error)
                    self.failing[name] = f"{type(error).__name__}: {error}"[:200]
                    failed(error)
                finally:
                    well.cancel()
                await asyncio.sleep(wait_s)
                wait_s = AGAIN_S if time.monotonic() - began > WELL_S else min(2 * wait_s, MOST_AGAIN_S)
        finally:
            # A cancelled loop, such as that of a removed feed, is no longer failing.
            self.failing.pop(name, None)

    def _done(self, task: asyncio.Task[Any]) -> None:
        self._tasks.discard(task)
        if not task.cancelled() and (error := task.exception()) is not None:
            log.error("%s failed; everything else keeps running", task.get_name(), exc_info=error)

    async def stop(self, within_s: float = 5.0) -> None:
        """Wait for what still runs, and end what takes longer."""
        if self._tasks:
            _, late = await asyncio.wait(self._tasks, timeout=within_s)
            for task in late:
                task.cancel()
            await asyncio.gather(*late, return_exceptions=True)
