"""How a wheel turns: from where it stands to the place that was drawn, as a line of angles over time.

The wheel's fields lie clockwise from the top. Angles are whole turns of the wheel, clockwise; at an angle `a` the share
`-a mod 1` of the way around lies under the pointer, which is at the top.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from hashlib import sha256
from itertools import accumulate

STEPS_A_SECOND, MOST_STEPS = 24, 480
MARGIN = 0.12
"""So much of a field's width lies at least between where it lands and its edges."""
PULL_FROM, MOST_PULL = 0.72, 0.82
"""From this share of the time on the pegs are felt, at the end as strongly as this."""
_SPACE = 2**64


@dataclass(frozen=True, slots=True)
class Turning:
    """A turn of a wheel: where each field ends (shares of the whole, the last 1), and its angle over time.

    `line` are shares of the time, from 0 to 1, each with the angle then.
    """

    edges: tuple[float, ...]
    line: tuple[tuple[float, float], ...]

    @property
    def start(self) -> float:
        """The angle at which it begins."""
        return self.line[0][1]

    @property
    def end(self) -> float:
        """The angle at which it lands."""
        return self.line[-1][1]


def edges_of(weights: Sequence[int]) -> tuple[float, ...]:
    """Where each field ends, as a share of the whole. Fields without a weight have no width."""
    total = sum(weights)
    return tuple(reached / total for reached in accumulate(weights))


def under_pointer(edges: Sequence[float], angle: float) -> int:
    """The place of the field that lies under the pointer at an angle."""
    return min(bisect_right(edges, -angle % 1.0), len(edges) - 1)


def place_within(secret: bytes, number: int) -> float:
    """Where within its field a spin lands, from `MARGIN` to 1 - `MARGIN`: drawn from the same secret."""
    drawn = int.from_bytes(sha256(secret + f" place {number}".encode()).digest()[:8], "big") / _SPACE
    return MARGIN + drawn * (1 - 2 * MARGIN)


@lru_cache(maxsize=16)
def turned(
    weights: tuple[int, ...], came: int, within: float, start: float, turns: int, seconds: float, clockwise: bool
) -> Turning:
    """A turn from an angle, so many times around, to a place within the field that came.

    It sets out quickly and slows down; towards its end each peg, which stands at an edge, holds it back a little.
    """
    edges = edges_of(weights)
    begin = edges[came - 1] if came else 0.0
    share = begin + (edges[came] - begin) * within
    way = (-share - start) % 1.0 if clockwise else (share + start) % 1.0
    total = turns + way
    sign = 1.0 if clockwise else -1.0
    pegs = sorted({*edges, 1.0} - {0.0})
    count = max(min(round(seconds * STEPS_A_SECOND), MOST_STEPS), 24)
    line = []
    for step in range(count + 1):
        at = step / count
        gone = total * _eased(at)
        line.append((round(at, 5), round(start + sign * _held(gone, at, start, sign, pegs, total), 6)))
    line[-1] = (1.0, start + sign * total)
    return Turning(edges, tuple(line))


def _eased(at: float) -> float:
    """The share of the way that lies behind at a share of the time: a short push, then ever slower."""
    push = 0.08
    # A parabola up to the push, a cubic from there on that meets it with the same slope.
    meet = 3 * push / (2 + push)
    if at < push:
        return meet * (at / push) ** 2
    rest = (at - push) / (1 - push)
    return meet + (1 - meet) * (1 - (1 - rest) ** 3)


def _held(gone: float, at: float, start: float, sign: float, pegs: Sequence[float], total: float) -> float:
    """The way with the pegs in it: slow where one is passed, quick between two, and never backwards."""
    pull = MOST_PULL * max((at - PULL_FROM) / (1 - PULL_FROM), 0.0)
    if pull <= 0:
        return gone
    here = _between(-(start + sign * gone) % 1.0, pegs)
    last = _between(-(start + sign * total) % 1.0, pegs)
    if here is None:
        return gone
    low, high = here
    width = high - low
    share = (-(start + sign * gone) % 1.0 - low) / width
    moved = share - pull * math.sin(2 * math.pi * share) / (2 * math.pi)
    # In the field where it lands it comes to rest at the very place: the pull fades out on the way there.
    if last == here and total - gone < width:
        near = (total - gone) / width
        moved = share + (moved - share) * min(near * 2, 1.0)
    return gone - sign * (moved - share) * width


def _between(share: float, pegs: Sequence[float]) -> tuple[float, float] | None:
    """The two pegs between which a share lies."""
    at = bisect_right(pegs, share)
    if at >= len(pegs):
        return None
    return (pegs[at - 1] if at else 0.0), pegs[at]
