"""Waking up when something is due by the wall clock, not before; and noticing when that clock was set."""

from __future__ import annotations

import asyncio
import logging
import time
from collections.abc import Callable
from datetime import datetime

LEAST_WAIT_S = 0.02
JUMP_S = 3.0
log = logging.getLogger(__name__)


class Alarm:
    """One timer for all that is due. `due` tells when that is next, `wake` is called then, `jumped` when the clock was
    set or the machine slept: what is due by it is then due by another wait."""

    def __init__(
        self,
        clock: Callable[[], datetime],
        due: Callable[[], datetime | None],
        wake: Callable[[], None],
        jumped: Callable[[datetime], None],
    ) -> None:
        self._clock, self._due, self._wake, self._jumped = clock, due, wake, jumped
        self._loop: asyncio.AbstractEventLoop | None = None
        self._timer: asyncio.TimerHandle | None = None
        self._timer_due: datetime | None = None
        self._seen_at, self._seen_s = clock(), time.monotonic()

    def start(self) -> None:
        """Wake on the present loop from now on."""
        self._loop = asyncio.get_running_loop()
        self.plan()

    def stop(self) -> None:
        """Wake no more."""
        self._cancel()
        self._loop = None

    def plan(self) -> None:
        """Something may be due sooner than before."""
        due = self._due()
        if due is None or self._loop is None:
            return
        if self._timer is not None and self._timer_due is not None and self._timer_due <= due:
            return
        self._cancel()
        self._timer_due = due
        wait_s = max((due - self._clock()).total_seconds(), LEAST_WAIT_S)
        self._timer = self._loop.call_later(wait_s, self._ring)

    def watch(self) -> None:
        """See whether the wall clock went as time does. To be called every few seconds."""
        now, seconds = self._clock(), time.monotonic()
        jump_s = (now - self._seen_at).total_seconds() - (seconds - self._seen_s)
        self._seen_at, self._seen_s = now, seconds
        if abs(jump_s) >= JUMP_S:
            log.info("The clock went %+.0f s by itself; what depends on it is looked at again", jump_s)
            self._cancel()
            self._jumped(now)
            self.plan()

    def _ring(self) -> None:
        self._timer = None
        self._wake()
        self.plan()

    def _cancel(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
