"""Waking up when something is due by the wall clock, not before; and noticing when that clock was set."""

from __future__ import annotations

import asyncio
import logging
import time
from collections.abc import Awaitable, Callable
from datetime import datetime

from tesoura.runtime.tasks import fresh
from tesoura.settings import lasting_s

LEAST_WAIT_S = 0.001
JUMP_S = 1.0
log = logging.getLogger(__name__)


class Scheduler:
    """One timer for all that is due. `due` tells when that is next, and `wake` is called then.

    `jumped` is awaited, before anything else wakes, when the machine slept or its clock was set, and told by how many
    seconds it was set: what is due by it is then due by another wait.
    """

    def __init__(
        self,
        clock: Callable[[], datetime],
        due: Callable[[], datetime | None],
        wake: Callable[[], None],
        jumped: Callable[[datetime, float], Awaitable[None]],
        awake_s: Callable[[], float] = time.monotonic,
        lasting_s: Callable[[], float] = lasting_s,
    ) -> None:
        self._clock, self._due, self._wake, self._jumped = clock, due, wake, jumped
        self._awake_s, self._lasting_s = awake_s, lasting_s
        self._loop: asyncio.AbstractEventLoop | None = None
        self._timer: asyncio.TimerHandle | None = None
        self._timer_due: datetime | None = None
        self._seen = self._look()
        self._righting: asyncio.Task[None] | None = None

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
        if due is None or self._loop is None or self._righting is not None:
            return
        if self._timer is not None and self._timer_due is not None and self._timer_due <= due:
            return
        self._cancel()
        self._timer_due = due
        wait_s = max((due - self._clock()).total_seconds(), LEAST_WAIT_S)
        self._timer = self._loop.call_later(wait_s, self._ring, context=fresh())

    def watch(self) -> None:
        """See whether the wall clock went as time does. Done before every waking, and to be called now and then."""
        if self._righting is not None or self._loop is None:
            return
        before, self._seen = self._seen, self._look()
        wall_s, awake_s, lasted_s = (new - old for new, old in zip(self._seen, before, strict=True))
        # Time spent asleep has passed for everybody. What the wall clock says beyond that, somebody set.
        set_s = wall_s - lasted_s
        if abs(wall_s - awake_s) >= JUMP_S or abs(set_s) >= JUMP_S:
            log.info("The system clock changed by %+.0f s; recalculating", wall_s - awake_s)
            self._cancel()
            self._righting = asyncio.ensure_future(self._right(round(set_s, 3) if abs(set_s) >= JUMP_S else 0.0))

    async def steady(self) -> None:
        """Wait until a clock that was set is known to everybody; nothing to wait for if it was not."""
        self.watch()
        if self._righting is not None and self._righting is not asyncio.current_task():
            await asyncio.shield(self._righting)

    async def _right(self, set_s: float) -> None:
        try:
            await self._jumped(self._clock(), set_s)
        except Exception:
            log.exception("Clock-dependent values couldn't be corrected; retrying at the next change")
        finally:
            self._righting = None
            self.plan()

    @property
    def righting(self) -> bool:
        """Whether a clock that was set is just being put right."""
        return self._righting is not None

    def _look(self) -> tuple[float, float, float]:
        # Should the machine sleep between one clock and the next, they tell of different instants: look again.
        while True:
            lasted_s = self._lasting_s()
            seen = self._clock().timestamp(), self._awake_s(), lasted_s
            if self._lasting_s() - lasted_s < JUMP_S / 2:
                return seen

    def _ring(self) -> None:
        self._timer = None
        self.watch()
        if self._righting is None:
            self._wake()
            self.plan()

    def _cancel(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
