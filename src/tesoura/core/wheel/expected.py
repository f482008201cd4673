"""How often a field comes against how often it may be expected to: so that nobody takes 3 of 20 for fraud."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from statistics import NormalDist

USUAL = 0.95
MOST_EXACT = 400


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


def expected_of(stretches: Sequence[tuple[int, Fraction]], usual: float = USUAL) -> Expected:
    """The same where the chance was not always the same: for each stretch how many spins, and the chance in them.

    The count is a sum of binomial ones; it is taken exactly for up to 400 spins, and by the normal distribution with
    the same mean and spread beyond that.
    """
    told = [(spins, chance) for spins, chance in stretches if spins > 0]
    if len(told) <= 1:
        return expected(told[0][0], told[0][1], usual) if told else Expected(0.0, 0, 0)
    spins, mean = sum(one for one, _ in told), float(sum(one * chance for one, chance in told))
    if spins > MOST_EXACT:
        spread = math.sqrt(float(sum(one * chance * (1 - chance) for one, chance in told)))
        reach = NormalDist().inv_cdf((1 + usual) / 2) * spread
        return Expected(mean, max(math.ceil(mean - reach - 0.5), 0), min(math.floor(mean + reach + 0.5), spins))
    shares = [1.0]
    for one, chance in told:
        p = float(chance)
        for _ in range(one):
            shares = [
                (shares[at] * (1 - p) if at < len(shares) else 0.0) + (shares[at - 1] * p if at else 0.0)
                for at in range(len(shares) + 1)
            ]
    tail, reached, low = (1 - usual) / 2, 0.0, None
    for count, share in enumerate(shares):
        reached += share
        if low is None and reached > tail:
            low = count
        if reached >= 1 - tail:
            return Expected(mean, low or 0, count)
    return Expected(mean, low or 0, spins)


def _of(spins: int, count: int, p: float) -> float:
    """The chance of just so many: by logarithms, since the numbers between are too large."""
    ways = math.lgamma(spins + 1) - math.lgamma(count + 1) - math.lgamma(spins - count + 1)
    return math.exp(ways + count * math.log(p) + (spins - count) * math.log1p(-p))
