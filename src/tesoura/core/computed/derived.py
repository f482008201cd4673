"""Signals computed from other signals: formulas, goals and changes over time."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import MICRO, Occurrence, instant, micros
from tesoura.core.language.formula import Formula
from tesoura.core.language.functions import Undefined
from tesoura.core.language.numbers import ENGLISH, NumberStyle
from tesoura.core.language.scope import Missing, Scope
from tesoura.core.values import INSTANT, Scalar

OWN = "own"
"""Under which first half the formulas' signals stand: `own.cuts_per_loss`."""
EVERY_MINUTE = timedelta(minutes=1)
SAMPLES = 240
KEPT_HOURS = 24


class _OfSignals:
    """What goes for all of these: no events, and nothing to build from the log."""

    types: tuple[str, ...] = ()
    stale = False

    def take(self, event: Occurrence, now: datetime) -> bool:
        """Events play no part."""
        return False

    def why_not(self, event: Occurrence, now: datetime) -> str | None:
        """Events play no part."""
        return "it doesn't count events"

    def correct(self, before: Occurrence, after: Occurrence) -> bool:
        """Events play no part."""
        return True

    def settle(self, now: datetime) -> None:
        """Nothing is kept that time alone would change."""

    def next_change(self, now: datetime) -> datetime | None:
        """It changes with its signals alone."""
        return None

    def saved(self) -> dict[str, Any] | None:
        """Nothing is stored."""
        return None

    def restore(self, saved: Mapping[str, Any]) -> None:
        """Nothing is stored."""

    def since(self, now: datetime) -> datetime | None:
        """The log is not read."""
        return None


@dataclass(frozen=True, slots=True)
class Derived:
    """A formula over signals, with a unit: `own.name`."""

    name: str
    formula: Formula
    unit: str = ""

    def outputs(self) -> dict[str, str]:
        """The signal it gives, with its unit."""
        return {f"{OWN}.{self.name}": self.unit}


class DerivedState(_OfSignals):
    """A formula as it stands."""

    def __init__(self, derived: Derived, almanac: Almanac, now: datetime) -> None:
        self.definition = derived
        self.reads: tuple[str, ...] = tuple(derived.formula.names)
        self.style: NumberStyle = ENGLISH
        self.problem: str | None = None

    def read(self, now: datetime, values: Mapping[str, Scalar]) -> dict[str, Scalar | None]:
        """The result for the present values, None when one is missing or there is none."""
        self.problem = None
        value: Scalar | None = None
        try:
            value = self.definition.formula.run(Scope(values, self.style))
        except Missing as error:
            self.problem = f"{error.name} has no value yet."
        except Undefined as error:
            self.problem = f"Column {error.column or 1}: {error.message}."
        return {f"{OWN}.{self.definition.name}": value}


@dataclass(frozen=True, slots=True)
class Goal:
    """From a number to a number by a time: how far, how fast it must go, when it will be there.

    Without the instant at which it `began` there is no saying how fast it went, and so no forecast.
    """

    name: str
    signal: str
    start: float
    target: float
    began: datetime | None
    by: datetime | None = None
    unit: str = ""

    def outputs(self) -> dict[str, str]:
        """The signals it gives, each with its unit."""
        units = {
            "pct": "%",
            "done": self.unit,
            "left": self.unit,
            "reached": "",
            "target": self.unit,
            "needed_per_hour": self.unit,
            "needed_per_day": self.unit,
            "expected_at": INSTANT,
            "by": INSTANT,
        }
        return {f"{self.name}.{field}": unit for field, unit in units.items()}


class GoalState(_OfSignals):
    """A goal as it stands."""

    def __init__(self, goal: Goal, almanac: Almanac, now: datetime) -> None:
        self.definition = goal
        self.reads: tuple[str, ...] = (goal.signal,)
        self._moves = False

    def next_change(self, now: datetime) -> datetime | None:
        """What it needs and expects moves with time."""
        return now + EVERY_MINUTE if self._moves else None

    def read(self, now: datetime, values: Mapping[str, Scalar]) -> dict[str, Scalar | None]:
        """The present value of each of its signals, None where there is nothing to tell."""
        goal = self.definition
        value = values.get(goal.signal)
        out: dict[str, Scalar | None] = dict.fromkeys(goal.outputs())
        out[f"{goal.name}.target"] = _neat(goal.target)
        out[f"{goal.name}.by"] = goal.by.timestamp() if goal.by else None
        if value is None or isinstance(value, str):
            self._moves = False
            return out
        way, done = goal.target - goal.start, value - goal.start
        reached = done >= way if way >= 0 else done <= way
        left = 0 if reached else abs(goal.target - value)
        self._moves = not reached
        told: dict[str, Scalar | None] = {
            "pct": 100.0 * min(max(done / way, 0.0), 1.0) if way else 100.0,
            "done": _neat(done),
            "left": _neat(left),
            "reached": reached,
        }
        passed_s = (now - goal.began).total_seconds() if goal.began is not None else 0.0
        if reached:
            told |= {"needed_per_hour": 0, "needed_per_day": 0}
        elif goal.by is not None and goal.by > now:
            per_hour = left / ((goal.by - now).total_seconds() / 3600)
            told |= {"needed_per_hour": per_hour, "needed_per_day": 24 * per_hour}
        if not reached and passed_s > 0 and way and done / way > 0:
            # As fast as it went since it began.
            expected_s = now.timestamp() + passed_s * left / abs(done)
            told["expected_at"] = expected_s if expected_s < 4e9 else None
        return out | {f"{goal.name}.{field}": value for field, value in told.items()}


@dataclass(frozen=True, slots=True)
class Change:
    """How much a number changed since the stream session began, or over the last minutes (`minutes` 0: the session)."""

    name: str
    signal: str
    minutes: int = 0
    unit: str = ""

    def outputs(self) -> dict[str, str]:
        """The signals it gives, each with its unit."""
        return {f"{self.name}.change": self.unit, f"{self.name}.per_minute": self.unit, f"{self.name}.was": self.unit}


class ChangeState(_OfSignals):
    """A change as it stands: samples of the number, thinned, from which the earlier value is read."""

    def __init__(self, change: Change, almanac: Almanac, now: datetime) -> None:
        self.definition = change
        self.reads: tuple[str, ...] = (change.signal,)
        self._began = almanac.session_began
        step_s = max(change.minutes * 60 / SAMPLES, 1.0) if change.minutes else 15.0
        self._step = round(step_s * MICRO)
        self._kept = (change.minutes * 60 if change.minutes else KEPT_HOURS * 3600) * MICRO
        self._samples: list[tuple[int, float]] = []

    def read(self, now: datetime, values: Mapping[str, Scalar]) -> dict[str, Scalar | None]:
        """The present value of each of its signals, None where there is nothing to tell."""
        change, value = self.definition, values.get(self.definition.signal)
        out: dict[str, Scalar | None] = dict.fromkeys(change.outputs())
        if value is None or isinstance(value, str):
            return out
        at = micros(now)
        self._sample(at, float(value))
        since = at - change.minutes * 60 * MICRO if change.minutes else micros(self._began) if self._began else 0
        index = max(bisect_right(self._samples, (since, float("inf"))) - 1, 0)
        was_at, was = self._samples[index]
        passed = max((at - max(was_at, since)) / MICRO / 60, 1.0)
        told = {"change": _neat(value - was), "per_minute": (value - was) / passed, "was": _neat(was)}
        return out | {f"{change.name}.{field}": value for field, value in told.items()}

    def _sample(self, at: int, value: float) -> None:
        samples = self._samples
        while samples and samples[-1][0] > at:
            # The clock was set back: what it claimed to be later did not happen then.
            samples.pop()
        if samples and samples[-1][1] == value:
            return
        # Of each step the first change and the last one stay.
        step = at // self._step
        if len(samples) > 1 and samples[-1][0] // self._step == samples[-2][0] // self._step == step:
            samples[-1] = (at, value)
        else:
            samples.append((at, value))
        # One older than the span stays: it is what the number was when the span began.
        if len(samples) > 2 and samples[1][0] < at - self._kept:
            keep = max(bisect_right(samples, (at - self._kept, float("inf"))) - 1, 0)
            del samples[:keep]

    def next_change(self, now: datetime) -> datetime | None:
        """When the earlier value moves on, or the pace does."""
        if not self._samples:
            return None
        if not self.definition.minutes:
            return now + EVERY_MINUTE
        span = self.definition.minutes * 60 * MICRO
        due = [at + span + 1 for at, _ in self._samples if at + span + 1 > micros(now)]
        return instant(due[0]) if due else None

    def clock_was_set(self, by: int) -> None:
        """The computer's clock was set, by so many µs: what was so long ago still is."""
        self._samples = [(at + by, value) for at, value in self._samples]

    def saved(self) -> dict[str, Any] | None:
        """The samples, as they are stored."""
        return {"samples": [list(sample) for sample in self._samples]}

    def restore(self, saved: Mapping[str, Any]) -> None:
        """Go on from what was stored."""
        self._samples = [(at, value) for at, value in saved["samples"]]


def _neat(value: float) -> int | float:
    return int(value) if float(value).is_integer() and abs(value) < 1e15 else value
