"""How fast a replay goes: slower around its kills, and where in the clip it is at any moment of its showing."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from tesoura.core.replays.cutting import Part


@dataclass(frozen=True, slots=True)
class ClipStretch:
    """A stretch of the clip that is shown at one speed, in percent: from where to where, and when that begins. µs."""

    shown_from: int
    begin: int
    end: int
    speed_pct: int

    @property
    def shown(self) -> int:
        """For how long it is shown."""
        return (self.end - self.begin) * 100 // self.speed_pct


@dataclass(frozen=True, slots=True)
class ReplayPace:
    """A replay's stretches, one after the other."""

    stretches: tuple[ClipStretch, ...]

    @property
    def length(self) -> int:
        """For how long it is shown in all."""
        return self.stretches[-1].shown_from + self.stretches[-1].shown if self.stretches else 0

    def clip_at(self, shown: int) -> int | None:
        """Where in the clip it is when it has been shown for so long; None before it begins and after it ended."""
        if not 0 <= shown < self.length:
            return None
        starts = [one.shown_from for one in self.stretches]
        one = self.stretches[bisect_right(starts, shown) - 1]
        return one.begin + (shown - one.shown_from) * one.speed_pct // 100


def paced(parts: Sequence[Part], kills: Sequence[int], speed_pct: int, slow_pct: int, around: int) -> ReplayPace:
    """The parts at a speed, and slower for `around` before and after each kill. All lie in the clip, µs."""
    slow = [(at - around, at + around) for at in sorted(kills)] if slow_pct < speed_pct else []
    found: list[ClipStretch] = []
    shown = 0
    for begin, end, speed in _stretches(parts, slow, speed_pct, slow_pct):
        found.append(ClipStretch(shown, begin, end, speed))
        shown += found[-1].shown
    return ReplayPace(tuple(found))


def _stretches(parts: Sequence[Part], slow: Sequence[Part], fast: int, slower: int) -> Iterator[tuple[int, int, int]]:
    for begin, end in parts:
        at = begin
        for low, high in slow:
            low, high = max(low, at), min(high, end)
            if high <= low:
                continue
            if low > at:
                yield at, low, fast
            yield low, high, slower
            at = high
        if at < end:
            yield at, end, fast
