"""Which seconds of an occasion are shown: around its kills, with the gaps out or in one piece, within a bound."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

Part = tuple[int, int]
"""From when to when, µs since 1970."""


@dataclass(frozen=True, slots=True)
class CutRule:
    """How long before each kill and after it; whether the gaps between are left out; how long it may be in all. µs."""

    before: int
    after: int
    gaps_out: bool = True
    most: int = 60_000_000


@dataclass(frozen=True, slots=True)
class ReplayCut:
    """What is shown, part by part, and how many kills do not fit into the bound."""

    parts: tuple[Part, ...]
    left_out: int = 0

    @property
    def length(self) -> int:
        """How long it is in all."""
        return sum(end - begin for begin, end in self.parts)


def cut(kills: Sequence[int], rule: CutRule) -> ReplayCut:
    """What is shown of these kills. Where the bound is too short, the last ones stay: they are what it came to."""
    kept = sorted(kills)
    for first in range(len(kept)):
        parts = _parts(kept[first:], rule)
        if sum(end - begin for begin, end in parts) <= rule.most:
            return ReplayCut(parts, first)
    if not kept:
        return ReplayCut(())
    # Not even one fits: what stands just around the last kill, the shares of before and after as they were.
    whole = max(rule.before + rule.after, 1)
    before = rule.most * rule.before // whole
    return ReplayCut(((kept[-1] - before, kept[-1] - before + rule.most),), len(kept) - 1)


def _parts(kills: Sequence[int], rule: CutRule) -> tuple[Part, ...]:
    if not rule.gaps_out:
        return ((kills[0] - rule.before, kills[-1] + rule.after),)
    parts: list[Part] = []
    for at in kills:
        begin, end = at - rule.before, at + rule.after
        if parts and begin <= parts[-1][1]:
            parts[-1] = (parts[-1][0], max(end, parts[-1][1]))
        else:
            parts.append((begin, end))
    return tuple(parts)


def in_clip(part: Part, ends_at: int, length: int, late: int = 0) -> Part | None:
    """Where a part lies in a clip of this length that ends at an instant; None where nothing of it is in there.

    A picture that is `late` shows at an instant what was so long before it.
    """
    begins_at = ends_at - length
    begin, end = (min(max(one + late - begins_at, 0), length) for one in part)
    return (begin, end) if end > begin else None
