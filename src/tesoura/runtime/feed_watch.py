"""What feeds go through, told in the log: each goes down once and comes back once."""

from __future__ import annotations

import uuid
from collections import deque
from collections.abc import Callable, Coroutine, Iterable
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.cues.happenings import BACK, DOWN, FEED_CHANGED
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event, Freshness
from tesoura.runtime.journal import Journal

UNSTEADY = 3
"""A feed that went down so often within `UNSTEADY_WITHIN` is unsteady, though it may work at this moment."""
UNSTEADY_WITHIN = timedelta(minutes=10)


class FeedWatch:
    """Watches how feeds fare. What a feed was before Tesoura started is not known, so its first state is no news."""

    def __init__(
        self,
        engine: Engine,
        journal: Journal,
        clock: Callable[[], datetime],
        start: Callable[[Coroutine[Any, Any, Any]], object],
    ) -> None:
        self._engine, self._journal, self._clock, self._start = engine, journal, clock, start
        self._down: dict[str, bool] = {}
        self._failed: dict[str, deque[tuple[datetime, str]]] = {}

    def changed(self, feeds: Iterable[str]) -> None:
        """The state of these feeds changed, perhaps."""
        now = self._clock()
        events = [one for feed in feeds if (one := self._news(feed, now)) is not None]
        if events:
            self._start(self._journal.log(events))

    def unsteady(self) -> dict[str, tuple[int, str]]:
        """The feeds that fail again and again: how often each did lately, at most 99 times, and why it did last."""
        since, found = self._clock() - UNSTEADY_WITHIN, {}
        for feed, failed in self._failed.items():
            while failed and failed[0][0] < since:
                failed.popleft()
            if len(failed) >= UNSTEADY:
                found[feed] = (len(failed), failed[-1][1])
        return found

    def _news(self, feed: str, now: datetime) -> Event | None:
        if feed not in self._engine.feed_names():
            self._down.pop(feed, None)
            self._failed.pop(feed, None)
            return None
        state = self._engine.feed_state(feed, now)
        if state.freshness not in (Freshness.DOWN, Freshness.LIVE):
            return None
        down = state.freshness is Freshness.DOWN
        before = self._down.get(feed)
        self._down[feed] = down
        if before is None or before is down:
            return None
        if down:
            self._failed.setdefault(feed, deque(maxlen=99)).append((now, state.problem or "it sent nothing"))
        data = {"feed": feed, "state": DOWN if down else BACK, **({"why": state.problem} if down else {})}
        return Event(uuid.uuid4().hex, "tesoura", FEED_CHANGED, now, data, feed, actor=f"feed:{feed}")
