"""How long something was really seen: what pages say they painted, held against what was sent to them. All in µs."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

Span = tuple[int, int]
"""From an instant to another one, which is not in it any more."""
LEAST_AREA, LEAST_OPACITY = 0.5, 0.1
"""At least half of it is on the canvas, and it is more opaque than a tenth."""


class Painting(Protocol):
    """What is known of a span in which a page showed an item: from when to when, and why it does not count."""

    @property
    def item(self) -> str:
        """Which item."""
        ...

    @property
    def begin(self) -> int:
        """From when on."""
        ...

    @property
    def end(self) -> int:
        """Until when."""
        ...

    @property
    def why_not(self) -> str:
        """Why it does not count; nothing when it does."""
        ...


@dataclass(frozen=True, slots=True)
class PaintedSpan:
    """What a page says: it showed an item in a span, how much of its area, how opaque, and whether it could be seen."""

    page: str
    item: str
    begin: int
    end: int
    loaded: bool = True
    visible: bool = True
    above: bool = True
    area: float = 1.0
    opacity: float = 1.0

    @property
    def why_not(self) -> str:
        """Why it does not count, in words; nothing when it does."""
        if not self.visible:
            return "the page was not visible to the streaming software"
        if not self.loaded:
            return "it had not loaded"
        if not self.above:
            return "another piece lay over it"
        if self.area < LEAST_AREA:
            return "less than half of it was on the canvas"
        if not self.opacity > LEAST_OPACITY:
            return "it was hardly opaque"
        return ""


@dataclass(frozen=True, slots=True)
class AirtimeGap:
    """A span in which something was sent and not seen, and why."""

    begin: int
    end: int
    why: str


@dataclass(frozen=True, slots=True)
class Airtime:
    """Of one item: the spans in which it was seen, and those in which it was sent and not seen."""

    seen: tuple[Span, ...]
    gaps: tuple[AirtimeGap, ...]

    @property
    def length(self) -> int:
        """How long it was seen in all, µs."""
        return length_of(self.seen)


def merged(spans: Iterable[Span]) -> list[Span]:
    """The same time, in order and without overlaps."""
    found: list[Span] = []
    for begin, end in sorted(one for one in spans if one[1] > one[0]):
        if found and begin <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], end))
        else:
            found.append((begin, end))
    return found


def both(one: Sequence[Span], other: Sequence[Span]) -> list[Span]:
    """The time that lies in both; each is in order and without overlaps."""
    found, left, right = [], 0, 0
    while left < len(one) and right < len(other):
        begin, end = max(one[left][0], other[right][0]), min(one[left][1], other[right][1])
        if begin < end:
            found.append((begin, end))
        if one[left][1] <= other[right][1]:
            left += 1
        else:
            right += 1
    return found


def without(one: Sequence[Span], other: Sequence[Span]) -> list[Span]:
    """The time of one that does not lie in the other; each is in order and without overlaps."""
    found = []
    for begin, end in one:
        for low, high in other:
            if high <= begin or low >= end:
                continue
            if low > begin:
                found.append((begin, low))
            begin = high
            if begin >= end:
                break
        if begin < end:
            found.append((begin, end))
    return found


def length_of(spans: Iterable[Span]) -> int:
    """How long spans without overlaps are in all, µs."""
    return sum(end - begin for begin, end in spans)


def airtime(item: str, sent: Iterable[Span], painted: Iterable[Painting], pages: Iterable[Span]) -> Airtime:
    """How long an item was seen: painted by any page as it should be, and sent at that time. Never more than was sent.

    `pages` are the spans in which at least one page showed the overlay.
    """
    asked = merged(sent)
    of_it = [one for one in painted if one.item == item]
    seen = both(merged((one.begin, one.end) for one in of_it if not one.why_not), asked)
    gaps = [
        AirtimeGap(begin, end, "no page showed the overlay")
        for begin, end in without(without(asked, seen), merged(pages))
    ]
    left = without(without(asked, seen), merged((one.begin, one.end) for one in gaps))
    reasons: Mapping[str, list[Span]] = _by_reason(of_it)
    for why, spans in reasons.items():
        found = both(left, merged(spans))
        gaps += [AirtimeGap(begin, end, why) for begin, end in found]
        left = without(left, found)
    gaps += [AirtimeGap(begin, end, "no page said that it painted it") for begin, end in left]
    return Airtime(tuple(seen), tuple(sorted(gaps, key=lambda one: one.begin)))


def _by_reason(painted: Iterable[Painting]) -> dict[str, list[Span]]:
    found: dict[str, list[Span]] = {}
    for one in painted:
        if one.why_not:
            found.setdefault(one.why_not, []).append((one.begin, one.end))
    return found


def viewer_time(seen: Iterable[Span], viewers: Sequence[tuple[int, float]]) -> float | None:
    """Minutes times viewers over these spans; `viewers` are counts, each from its instant on. None for no count at all.

    Time before the first count is left out: nothing is known of it.
    """
    if not viewers:
        return None
    spans = merged(seen)
    total = 0.0
    for place, (begin, count) in enumerate(viewers):
        end = viewers[place + 1][0] if place + 1 < len(viewers) else max((one[1] for one in spans), default=begin)
        total += length_of(both(spans, merged([(begin, end)]))) * count
    return total / 60e6
