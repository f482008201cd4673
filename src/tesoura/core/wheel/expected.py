"""How often a field comes against how often it may be expected to: so that nobody takes 3 of 20 for fraud."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

USUAL = 0.95


@dataclass(frozen=True, slots=True)
class Expected:
    """How often a field is to be expected in so many spins: on average, and from how often to how often usually."""

    mean: float
    low: int
    high: int

    def is_usual(self, count: int) -> bool:
        """Whether so often is nothing to wonder at."""
        return self.low <= count <= self.high


def expected(spins: int, chance: Fraction, usual: float = USUAL) -> Expected:
    """The usual range of a count, by the binomial distribution: at most (1 - usual) / 2 is left out on either side."""
    if spins <= 0 or chance <= 0:
        return Expected(0.0, 0, 0)
    if chance >= 1:
        return Expected(float(spins), spins, spins)
    p, tail = float(chance), (1 - usual) / 2
    reached, low, high = 0.0, None, spins
    for count in range(spins + 1):
        reached += _of(spins, count, p)
        if low is None and reached > tail:
            low = count
        if reached >= 1 - tail:
            high = count
            break
    return Expected(spins * p, low or 0, high)


def _of(spins: int, count: int, p: float) -> float:
    """The chance of just so many: by logarithms, since the numbers between are too large."""
    ways = math.lgamma(spins + 1) - math.lgamma(count + 1) - math.lgamma(spins - count + 1)
    return math.exp(ways + count * math.log(p) + (spins - count) * math.log1p(-p))
