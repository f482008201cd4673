"""Tasks in the background: none is forgotten by the collector, and none fails unseen."""

from __future__ import annotations

import asyncio
import contextvars
import logging
from collections.abc import Coroutine
from typing import Any

log = logging.getLogger(__name__)


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

    def start(self, job: Coroutine[Any, Any, Any], name: str) -> asyncio.Task[Any]:
        """Run this beside everything else; should it fail, the log of the program says so."""
        task = asyncio.create_task(job, name=name)
        self._tasks.add(task)
        task.add_done_callback(self._done, context=fresh())
        return task

    def _done(self, task: asyncio.Task[Any]) -> None:
        self._tasks.discard(task)
        if not task.cancelled() and (error := task.exception()) is not None:
            log.error("%s failed; everything else goes on", task.get_name(), exc_info=error)

    async def stop(self, within_s: float = 5.0) -> None:
        """Wait for what still runs, and end what takes longer."""
        if self._tasks:
            _, late = await asyncio.wait(self._tasks, timeout=within_s)
            for task in late:
                task.cancel()
            await asyncio.gather(*late, return_exceptions=True)
