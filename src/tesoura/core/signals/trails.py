"""The last ten minutes of a number, thinned to one point in five seconds."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable
from datetime import datetime, timedelta

SPAN_S = 600.0
STEP_S = 5.0


class Trail:
    """Points `(unix seconds, value)`, oldest first; the last value of each step of five seconds stands for it."""

    __slots__ = ("_points",)

    def __init__(self, points: Iterable[tuple[float, float]] = ()) -> None:
        self._points: deque[tuple[float, float]] = deque((float(at), float(value)) for at, value in points)

    def add(self, at: datetime, value: float) -> None:
        """Add a value. One that is older than the newest, after a clock was set back, starts the trail anew."""
        instant, points = at.timestamp(), self._points
        if points:
            last = points[-1][0]
            if instant < last:
                points.clear()
            elif instant // STEP_S == last // STEP_S:
                points[-1] = (instant, value)
                return
        points.append((instant, value))
        while points[0][0] < instant - SPAN_S:
            points.popleft()

    def shifted(self, by: timedelta) -> Trail:
        """The same after the computer's clock was set by so much."""
        return Trail((at + by.total_seconds(), value) for at, value in self._points)

    def points(self) -> tuple[tuple[float, float], ...]:
        """All points, frozen."""
        return tuple(self._points)
