"""Closer to a point of the picture: which part of it is seen, moving in gently."""

from __future__ import annotations

from dataclasses import dataclass

MOST = 4.0


@dataclass(frozen=True, slots=True)
class ZoomedView:
    """A part of the picture, as shares of its width and height: its left and upper edge, and its size."""

    left: float
    top: float
    size: float


def seen(closer: float, across: float, down: float) -> ZoomedView:
    """The part that is seen this many times closer to a point, which lies in its middle wherever it can."""
    size = 1 / min(max(closer, 1.0), MOST)
    return ZoomedView(_edge(across, size), _edge(down, size), size)


def moving_in(closer: float, across: float, down: float, share: float) -> ZoomedView:
    """The part that is seen when this share of the way in is done, gently at both ends."""
    way = min(max(share, 0.0), 1.0)
    eased = way * way * (3 - 2 * way)
    return seen(1 + (min(max(closer, 1.0), MOST) - 1) * eased, across, down)


def _edge(point: float, size: float) -> float:
    return min(max(point - size / 2, 0.0), 1 - size)
