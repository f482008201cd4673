"""Chains: events each within some seconds of the one before. How long, who takes part, how long until it breaks."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import MICRO, Occurrence, field_of, instant, micros, name_key, name_of
from tesoura.core.computed.ranking import Place
from tesoura.core.values import Scalar

MAX_NAMES = 50


@dataclass(frozen=True, slots=True)
class Chain:
    """A chain of events within a stream session, each at most `within_s` seconds after the one before."""

    name: str
    types: tuple[str, ...]
    within_s: float
    by: str = ""

    def outputs(self) -> dict[str, str]:
        """The signals it gives, each with its unit."""
        units = {"length": "in a row", "left_s": "s", "who": "", "longest": "in a row", "longest_who": "", "last": ""}
        return {f"{self.name}.{field}": unit for field, unit in units.items()}


@dataclass(slots=True)
class _Link:
    """A run of events without a gap: from when to when, how many, and by whom (the first 50 names).

    Of each name, where it first stands, where it last does, and how it was written there.
    """

    start: int
    end: int
    length: int
    who: dict[str, tuple[Place, Place, str]] = field(default_factory=dict)

    def add(self, key: str, first: Place, last: Place, shown: str) -> None:
        """Somebody takes part."""
        known = self.who.get(key)
        if known is not None:
            first = min(first, known[0])
            last, shown = max((last, shown), known[1:])
        elif len(self.who) >= MAX_NAMES:
            return
        self.who[key] = (first, last, shown)

    def names(self) -> str | None:
        """Who takes part, one a line, in the order in which they joined."""
        return "\n".join(shown for _, _, shown in sorted(self.who.values())) or None


class ChainState:
    """All runs of the session. An event that comes late lands in its place, and may join two runs into one."""

    reads: tuple[str, ...] = ()
    stale = False

    def __init__(self, chain: Chain, almanac: Almanac, now: datetime) -> None:
        self.definition = chain
        began = almanac.session_began
        self.start = micros(began) if began else 0
        self._gap = round(chain.within_s * MICRO)
        self._links: list[_Link] = []
        self._longest: _Link | None = None

    @property
    def types(self) -> tuple[str, ...]:
        """The events it takes."""
        return self.definition.types

    def take(self, event: Occurrence, now: datetime) -> bool:
        """Add one event; whether it counts."""
        if event.at < self.start:
            return False
        shown = name_of(field_of(event.data, self.definition.by)) if self.definition.by else ""
        link = self._join(event.at)
        if shown:
            place = (event.at, event.seq)
            link.add(name_key(shown), place, place, shown)
        # Runs only grow, so the longest is the longest so far or the one that grew; of two equal, the earlier.
        best = self._longest
        if best is None or link.length > best.length or (link.length == best.length and link.start < best.start):
            self._longest = link
        return True

    def _join(self, at: int) -> _Link:
        links = self._links
        after = bisect_right(links, at, key=lambda link: link.start)
        before = links[after - 1] if after and at - links[after - 1].end <= self._gap else None
        following = links[after] if after < len(links) and links[after].start - at <= self._gap else None
        if before is None and following is None:
            made = _Link(at, at, 1)
            links.insert(after, made)
            return made
        if before is not None:
            before.length += 1
            before.end = max(before.end, at)
            if following is not None:
                before.end = max(before.end, following.end)
                before.length += following.length
                for key, told in following.who.items():
                    before.add(key, *told)
                del links[after]
                if self._longest is following:
                    self._longest = before
            return before
        assert following is not None
        following.start = at
        following.length += 1
        return following

    def why_not(self, event: Occurrence, now: datetime) -> str | None:
        """Why an event does not count here, or None when it does."""
        return "before this stream session" if event.at < self.start else None

    def correct(self, before: Occurrence, after: Occurrence) -> bool:
        """Amounts play no part in a chain."""
        return True

    def settle(self, now: datetime) -> None:
        """Nothing is kept that time alone would change."""

    def _present(self, now: datetime) -> tuple[_Link | None, int]:
        """The run that can still grow, and how many µs are left for it."""
        if not self._links:
            return None, 0
        left = self._links[-1].end + self._gap - micros(now)
        return (self._links[-1], left) if left > 0 else (None, 0)

    def next_change(self, now: datetime) -> datetime | None:
        """The next whole second left, or the break."""
        link, left = self._present(now)
        if link is None:
            return None
        seconds = -(-left // MICRO) - 1
        return instant(link.end + self._gap - seconds * MICRO)

    def read(self, now: datetime, values: Mapping[str, Scalar]) -> dict[str, Scalar | None]:
        """The present value of each of its signals, None where there is nothing to tell."""
        link, left = self._present(now)
        last, best = (self._links[-1] if self._links else None), self._longest
        out: dict[str, Scalar | None] = {
            "length": link.length if link else 0,
            "left_s": -(-left // MICRO) if link else 0,
            "who": link.names() if link else None,
            "longest": best.length if best else 0,
            "longest_who": best.names() if best else None,
            "last": last.length if last else None,
        }
        return {f"{self.definition.name}.{field}": value for field, value in out.items()}

    def saved(self) -> dict[str, Any] | None:
        """A chain is read from the session's log again."""
        return None

    def base(self) -> dict[str, Any]:
        """The runs as they are kept when the log lets go of what they were counted from."""
        links = [
            [one.start, one.end, one.length, [[key, *told] for key, told in one.who.items()]] for one in self._links
        ]
        return {"start": self.start, "links": links}

    def restore(self, saved: Mapping[str, Any]) -> None:
        """Go on from what was kept."""
        self._links = [
            _Link(start, end, length, {key: ((a, b), (c, d), shown) for key, (a, b), (c, d), shown in who})
            for start, end, length, who in saved["links"]
            if end >= self.start
        ]
        self._longest = max(self._links, key=lambda one: (one.length, -one.start), default=None)

    def since(self, now: datetime) -> datetime | None:
        """From when on the log must be read to build it anew."""
        return instant(self.start) if self.start else None
