"""Triggers of what values do: one gets to a level, becomes something, stays as it is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from tesoura.core.cues.happenings import same
from tesoura.core.cues.limits import Cause
from tesoura.core.cues.triggers import Deaf, Seen
from tesoura.core.forms.durations import brief
from tesoura.core.language.numbers import plain
from tesoura.core.values import Scalar


@dataclass(frozen=True, slots=True)
class Crosses(Deaf):
    """A signal that gets to a level from the other side; again only once it was back beyond `back`."""

    signal: str
    level: float
    back: float
    up: bool = True

    @property
    def reads(self) -> tuple[str, ...]:
        """The one signal."""
        return (self.signal,)

    def see(self, seen: Seen, values: Mapping[str, Scalar], now: datetime) -> tuple[Seen, Cause | None]:
        """It, when it was on the other side before. A value that begins there crosses nothing."""
        value = values.get(self.signal)
        if isinstance(value, bool) or not isinstance(value, int | float):
            return seen, None
        there = value >= self.level if self.up else value <= self.level
        back = value < self.back if self.up else value > self.back
        if self.back == self.level:
            back = not there
        if there:
            cause = self._cause(value, now) if seen.armed else None
            return replace(seen, armed=False), cause
        return replace(seen, armed=True if back or seen.armed else seen.armed), None

    def _cause(self, value: Scalar, now: datetime) -> Cause:
        words = f"{self.signal} {'reached' if self.up else 'fell to'} {plain(value)}"
        return Cause(f"{self.signal}@{now.isoformat()}", now, words, fields={"value": value})

    def next_change(self, seen: Seen, now: datetime) -> datetime | None:
        """Never by time alone."""
        return None

    def words(self) -> str:
        """The signal, the way and the level."""
        way = "reaches" if self.up else "falls to"
        again = (
            f" (again once it was {'below' if self.up else 'above'} {plain(self.back)})"
            if self.back != self.level
            else ""
        )
        return f"{self.signal} {way} {plain(self.level)}{again}"


@dataclass(frozen=True, slots=True)
class Becomes(Deaf):
    """A signal that changes to a value; to any other one when none is named."""

    signal: str
    value: str = ""
    said: str = ""

    @property
    def reads(self) -> tuple[str, ...]:
        """The one signal."""
        return (self.signal,)

    def see(self, seen: Seen, values: Mapping[str, Scalar], now: datetime) -> tuple[Seen, Cause | None]:
        """It, when it was something else before. The first value of all is no change."""
        value = values.get(self.signal)
        if value is None or value == seen.value:
            return seen, None
        changed = seen.value is not None and (not self.value or same(value, self.value))
        after = replace(seen, value=value, since=now)
        words = f"{self.said or self.signal} became {plain(value)}"
        cause = Cause(f"{self.signal}@{now.isoformat()}", now, words, fields={"value": value}) if changed else None
        return after, cause

    def next_change(self, seen: Seen, now: datetime) -> datetime | None:
        """Never by time alone."""
        return None

    def words(self) -> str:
        """The signal and what it becomes."""
        return (
            f"{self.said or self.signal} becomes {self.value}" if self.value else f"{self.said or self.signal} changes"
        )


@dataclass(frozen=True, slots=True)
class StaysStill(Deaf):
    """A signal that doesn't change for so long; once for each time that it stands still."""

    signal: str
    for_s: float

    @property
    def reads(self) -> tuple[str, ...]:
        """The one signal."""
        return (self.signal,)

    def see(self, seen: Seen, values: Mapping[str, Scalar], now: datetime) -> tuple[Seen, Cause | None]:
        """It, when the time is over."""
        value = values.get(self.signal)
        if value is None:
            return seen, None
        if value != seen.value or seen.since is None or now < seen.since:
            return Seen(armed=True, value=value, since=now), None
        due = seen.since + timedelta(seconds=self.for_s)
        if not seen.armed or now < due:
            return seen, None
        words = f"{self.signal} has not changed for {brief(timedelta(seconds=self.for_s))}"
        return replace(seen, armed=False), Cause(
            f"{self.signal}@{due.isoformat()}", due, words, fields={"value": value}
        )

    def next_change(self, seen: Seen, now: datetime) -> datetime | None:
        """When it has stood still for long enough."""
        return seen.since + timedelta(seconds=self.for_s) if seen.armed and seen.since is not None else None

    def words(self) -> str:
        """The signal and the time."""
        return f"{self.signal} doesn't change for {brief(timedelta(seconds=self.for_s))}"
