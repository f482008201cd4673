"""The clock of a period: it runs or stands, up or down; what it shows, and when the time is up."""

from __future__ import annotations

from dataclasses import dataclass, replace
from decimal import ROUND_CEILING, Decimal

from tesoura.core.computed.occurrence import MICRO
from tesoura.errors import InvalidField

LEFT_RUNNING_US = 60 * 60 * MICRO
"""So long past a period's length a clock that goes on stands: it was forgotten."""
MOST_S = 24 * 60 * 60


@dataclass(frozen=True, slots=True)
class MatchClock:
    """How a period's time stands. All in µs but the announced minutes.

    `base` had passed when it last began to run, at `since`; None while it stands. `before` lies before the period, and
    is shown with it where the clock goes on from one to the next. A clock that is `closed` stands at its length.
    """

    length: int = 0
    down: bool = False
    closed: bool = False
    before: int = 0
    base: int = 0
    since: int | None = None
    added_min: int = 0

    @property
    def runs(self) -> bool:
        """Whether it was let run."""
        return self.since is not None

    def most(self) -> int | None:
        """Where it stands by itself."""
        if not self.length:
            return None if not self.runs else self.base + MOST_S * MICRO
        return self.length if self.closed else self.length + LEFT_RUNNING_US

    def passed(self, at: int) -> int:
        """How much of the period has passed."""
        gone = self.base + (max(at - self.since, 0) if self.since is not None else 0)
        most = self.most()
        return gone if most is None else min(gone, max(most, self.base))

    def started(self, at: int) -> MatchClock:
        """It, running. Raises InvalidField when it runs, or has nothing left."""
        if self.runs:
            raise InvalidField("The clock is already running.")
        if self.length and self.closed and self.base >= self.length:
            raise InvalidField("The time of this period is up. End the period, or set the clock.")
        return replace(self, since=at)

    def stopped(self, at: int) -> MatchClock:
        """It, standing. Raises InvalidField when it stands."""
        if not self.runs:
            raise InvalidField("The clock is already stopped.")
        return replace(self, base=self.passed(at), since=None)

    def set_to(self, shown_s: float, at: int) -> MatchClock:
        """It, showing this, running on if it runs. Raises InvalidField for what it cannot show."""
        shown = round(shown_s * MICRO)
        base = self.length - shown if self.down else shown - self.before
        most = self.length if self.length and self.closed else MOST_S * MICRO
        if not 0 <= base <= most:
            low, high = (0, self.length) if self.down else (self.before, self.before + most)
            raise InvalidField(f"This period's clock goes from {clock_text(low)} to {clock_text(high)}.")
        return replace(self, base=base, since=at if self.runs else None)

    def up_at(self) -> int | None:
        """When the time is up, while it runs towards that."""
        if self.since is None or not self.length or self.base >= self.length:
            return None
        return self.since + self.length - self.base

    def text(self, at: int) -> str:
        """What it shows: what is left, or what has passed up to the period's length."""
        passed = self.passed(at)
        if self.down:
            return clock_text(self.length - passed, up=True)
        within = min(passed, self.length) if self.length else passed
        return clock_text(self.before + within)

    def over_text(self, at: int) -> str:
        """What has passed beyond the period's length, as `+1:23`; empty for nothing."""
        over = self.passed(at) - self.length
        return f"+{clock_text(over)}" if self.length and not self.closed and over >= MICRO else ""

    def next_second(self, at: int) -> int | None:
        """When it shows something else by itself."""
        most = self.most()
        if self.since is None or (most is not None and self.passed(at) >= most):
            return None
        return at + MICRO - self.passed(at) % MICRO


def clock_text(us: int, up: bool = False) -> str:
    """A time as `9:04`; a begun second of what is left counts as whole."""
    seconds = int(Decimal(us / MICRO).to_integral_value(ROUND_CEILING)) if up else us // MICRO
    return f"{seconds // 60}:{seconds % 60:02d}"


def seconds_of(raw: object) -> float:
    """A time as it was typed, `12:30` or `750`, in seconds. Raises InvalidField."""
    parts = str(raw or "").strip().split(":")
    try:
        numbers = [float(part) for part in parts]
    except ValueError:
        numbers = []
    sensible = all(0 <= one < 100_000 for one in numbers) and max(numbers[1:], default=0) < 60
    if not 1 <= len(numbers) <= 3 or not sensible:
        raise InvalidField("Give the time as 12:30, or in seconds.")
    total = 0.0
    for one in numbers:
        total = total * 60 + one
    return total
