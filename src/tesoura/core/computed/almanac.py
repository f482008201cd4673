"""Spans of time: since when a window counts, and until when. A day is the user's; a session is not a day."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta, tzinfo
from typing import Any

from tesoura.core.computed.occurrence import MICRO, micros

CALENDAR = ("today", "week", "month", "year")
SPANS = ("session", *CALENDAR, "all", "minutes", "events")
SPAN_WORDS = {
    "session": "this stream session",
    "today": "today",
    "week": "this week",
    "month": "this month",
    "year": "this year",
    "all": "all time",
    "minutes": "the last minutes",
    "events": "the last events",
}
MAX_MINUTES = 7 * 24 * 60
MAX_EVENTS = 10_000


@dataclass(frozen=True, slots=True)
class Almanac:
    """What computations know of the user's general choices.

    What turns a span into instants: the zone, the first day of a week (0 is Monday), the session's start; and which
    signal tells the present scene.
    """

    zone: tzinfo = UTC
    first_weekday: int = 0
    session_began: datetime | None = None
    scene_signal: str = "scene.present"
    shared: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    """The choices of the instruments whose rules others share, by their names."""


@dataclass(frozen=True, slots=True)
class Span:
    """Over which time something is counted. `length` is minutes or events, where the kind has one."""

    kind: str
    length: int = 0

    @property
    def rolling(self) -> bool:
        """Whether old events leave one by one."""
        return self.kind in ("minutes", "events")

    @property
    def words(self) -> str:
        """The span as a person says it."""
        return f"the last {self.length:,} {self.kind}" if self.rolling else SPAN_WORDS[self.kind]

    def bounds(self, now: datetime, almanac: Almanac) -> tuple[int, int | None]:
        """Start and end in µs since 1970; no end for one that ends only by a deliberate act. A rolling one has none."""
        if self.kind == "session" and almanac.session_began is not None:
            return micros(almanac.session_began), None
        if self.kind not in CALENDAR:
            return 0, None
        first, after = _calendar(self.kind, now.astimezone(almanac.zone), almanac)
        return micros(first), micros(after)

    def seconds(self, start: int, now: datetime) -> float:
        """How many seconds of the span have passed."""
        if self.kind == "minutes":
            return self.length * 60.0
        return max((micros(now) - start) / MICRO, 60.0)


def _calendar(kind: str, local: datetime, almanac: Almanac) -> tuple[datetime, datetime]:
    day = datetime(local.year, local.month, local.day)  # noqa: DTZ001 - the zone is put on last, for each day its own
    if kind == "today":
        first, after = day, day + timedelta(days=1)
    elif kind == "week":
        first = day - timedelta(days=(day.weekday() - almanac.first_weekday) % 7)
        after = first + timedelta(days=7)
    elif kind == "month":
        first = day.replace(day=1)
        after = (first + timedelta(days=32)).replace(day=1)
    else:
        first = day.replace(month=1, day=1)
        after = first.replace(year=first.year + 1)
    return first.replace(tzinfo=almanac.zone).astimezone(UTC), after.replace(tzinfo=almanac.zone).astimezone(UTC)
