"""Triggers of time: times of day, every so many minutes, so long before an entry of a calendar."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta, tzinfo

from tesoura.core.computed.occurrence import instant
from tesoura.core.cues.limits import Cause
from tesoura.core.cues.triggers import Deaf, Seen
from tesoura.core.values import Scalar

LONGEST_LOOK = 8
"""So many days a schedule is looked ahead: each comes at least once a week."""
COME_LATE = timedelta(seconds=90)
"""A time that was missed by more than this is over."""


@dataclass(frozen=True, slots=True)
class AtTimes(Deaf):
    """Times of day, on some days of the week (0 is Monday), in the user's zone.

    In the hour that is skipped when clocks go forward it comes with the first minute after; of one that comes twice,
    the first time counts.
    """

    times: tuple[time, ...]
    days: frozenset[int]
    zone: tzinfo
    reads: tuple[str, ...] = ()

    def see(self, seen: Seen, values: Mapping[str, Scalar], now: datetime) -> tuple[Seen, Cause | None]:
        """It, when one of its times came since it last looked. One that is long over comes no more."""
        if seen.done is None or seen.done > now:
            return Seen(done=now), None
        last = max((at for at in self._around(now) if seen.done < at <= now), default=None)
        after = replace(seen, done=now if last is None else last)
        if last is None or now - last > COME_LATE:
            return replace(seen, done=now), None
        return after, Cause(f"at {last.isoformat()}", last, f"it was {last.astimezone(self.zone):%H:%M}")

    def next_change(self, seen: Seen, now: datetime) -> datetime | None:
        """The next of its times."""
        return min((at for at in self._around(now) if at > now), default=None)

    def _around(self, now: datetime) -> list[datetime]:
        today = now.astimezone(self.zone).date()
        days = [today + timedelta(days=more) for more in range(-1, LONGEST_LOOK)]
        return [self._instant(day, at) for day in days if day.weekday() in self.days for at in self.times]

    def _instant(self, day: date, at: time) -> datetime:
        local = datetime.combine(day, at, self.zone)
        found = local.astimezone(UTC)
        if found.astimezone(self.zone).replace(tzinfo=None) == local.replace(tzinfo=None):
            return found
        # A time that there is not: the clocks jump over it, at the instant that lies between these two.
        before, after = found - timedelta(hours=3), found
        while after - before > timedelta(seconds=1):
            middle = before + (after - before) / 2
            if middle.astimezone(self.zone).utcoffset() == found.astimezone(self.zone).utcoffset():
                after = middle
            else:
                before = middle
        return after.replace(microsecond=0)

    def words(self) -> str:
        """The times and the days."""
        times = " and ".join(f"{at:%H:%M}" for at in self.times)
        return f"it is {times}{_days(self.days)}"


DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


def _days(days: frozenset[int]) -> str:
    if len(days) == len(DAYS):
        return ""
    return " on " + ", ".join(DAYS[day] for day in sorted(days))


@dataclass(frozen=True, slots=True)
class Repeats(Deaf):
    """Every so many minutes, counted from midnight in the user's zone."""

    every_min: int
    zone: tzinfo
    reads: tuple[str, ...] = ()

    def see(self, seen: Seen, values: Mapping[str, Scalar], now: datetime) -> tuple[Seen, Cause | None]:
        """It, when another such time came since it last looked."""
        if seen.done is None or seen.done > now:
            return Seen(done=now), None
        last = self._last(now)
        if last <= seen.done:
            return seen, None
        if now - last > COME_LATE:
            return replace(seen, done=now), None
        return replace(seen, done=last), Cause(f"at {last.isoformat()}", last, f"every {self.every_min} min")

    def next_change(self, seen: Seen, now: datetime) -> datetime | None:
        """The next such time."""
        return min(self._last(now) + timedelta(minutes=self.every_min), self._midnight(now, 1))

    def _last(self, now: datetime) -> datetime:
        midnight = self._midnight(now, 0)
        gone = int((now - midnight).total_seconds() // 60)
        return midnight + timedelta(minutes=gone - gone % self.every_min)

    def _midnight(self, now: datetime, more: int) -> datetime:
        day = now.astimezone(self.zone).date() + timedelta(days=more)
        return datetime.combine(day, time(), self.zone).astimezone(UTC)

    def words(self) -> str:
        """How often."""
        return f"{self.every_min} minutes"


@dataclass(frozen=True, slots=True)
class BeforeEntry(Deaf):
    """So many minutes before the instant that a signal tells, as a calendar's next show."""

    signal: str
    before_min: int

    @property
    def reads(self) -> tuple[str, ...]:
        """The one signal."""
        return (self.signal,)

    def see(self, seen: Seen, values: Mapping[str, Scalar], now: datetime) -> tuple[Seen, Cause | None]:
        """It, once for each instant that the signal tells."""
        due = self._due(values.get(self.signal))
        if due is None:
            return replace(seen, since=None), None
        if due == seen.done or now < due:
            return replace(seen, since=due if due != seen.done else None), None
        done = replace(seen, done=due, since=None)
        if now - due > COME_LATE:
            return done, None
        return done, Cause(f"{self.signal}@{due.isoformat()}", due, f"{self.before_min} min before {self.signal}")

    def _due(self, value: Scalar | None) -> datetime | None:
        if isinstance(value, bool) or not isinstance(value, int | float) or not 0 < value < 4e9:
            return None
        return instant(int(value * 1_000_000)) - timedelta(minutes=self.before_min)

    def next_change(self, seen: Seen, now: datetime) -> datetime | None:
        """That instant."""
        return seen.since

    def words(self) -> str:
        """How long before what."""
        return f"{self.signal} is {self.before_min} min away"
