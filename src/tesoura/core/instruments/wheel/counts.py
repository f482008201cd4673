"""What has come how often, against what was to be expected: by stretches in which the weights stayed the same."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any

from tesoura.core.wheel.expected import Expected, expected_of

MOST_STRETCHES = 200


@dataclass(frozen=True, slots=True)
class Stretch:
    """Spins with the same weights: those by the fields' ids, how many there were, and how often each came."""

    weights: Mapping[str, int]
    spins: int = 0
    came: Mapping[str, int] = field(default_factory=dict)

    def chance(self, id: str) -> Fraction:
        """How likely a field was."""
        return Fraction(self.weights.get(id, 0), sum(self.weights.values()) or 1)


@dataclass(frozen=True, slots=True)
class SpinCounts:
    """All stretches, the last one last."""

    stretches: tuple[Stretch, ...] = ()

    @property
    def spins(self) -> int:
        """How many spins there were."""
        return sum(one.spins for one in self.stretches)

    def of(self, id: str) -> int:
        """How often a field came."""
        return sum(one.came.get(id, 0) for one in self.stretches)

    def expected(self, id: str) -> Expected:
        """How often it was to be expected."""
        return expected_of([(one.spins, one.chance(id)) for one in self.stretches])

    def with_spin(self, weights: Mapping[str, int], came: str) -> SpinCounts:
        """With one spin more."""
        last = self.stretches[-1] if self.stretches else None
        before = self.stretches
        if last is None or dict(last.weights) != dict(weights):
            last = Stretch(weights)
        else:
            before = before[:-1]
        now = replace(last, spins=last.spins + 1, came={**last.came, came: last.came.get(came, 0) + 1})
        return SpinCounts((*before, now)[-MOST_STRETCHES:])

    def saved(self) -> list[list[Any]]:
        """It, to be stored."""
        return [[dict(one.weights), one.spins, dict(one.came)] for one in self.stretches]


def counts_of(saved: list[list[Any]]) -> SpinCounts:
    """Counts as they were stored."""
    return SpinCounts(tuple(Stretch(weights, spins, came) for weights, spins, came in saved))
