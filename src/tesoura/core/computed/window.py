"""Windows over events: how many, how much, who first, last, most; over a session, a calendar span, or a rolling one."""

from __future__ import annotations

import heapq
from collections import deque
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from itertools import zip_longest
from typing import Any, NamedTuple

from tesoura.core.computed.almanac import CALENDAR, Almanac
from tesoura.core.computed.occurrence import (
    MICRO,
    Occurrence,
    amount_of,
    field_of,
    instant,
    micros,
    name_key,
    name_of,
    number,
)
from tesoura.core.computed.ranking import Place, Ranking
from tesoura.core.computed.window_definition import Window, passes
from tesoura.core.values import Scalar

PER_MINUTE_EVERY = timedelta(seconds=5)


class _One(NamedTuple):
    at: int
    seq: int
    key: str
    shown: str
    amount: int

    @property
    def place(self) -> Place:
        return self.at, self.seq


class WindowState:
    """A window as it stands. Adding an event costs the same however many are in it."""

    def __init__(self, window: Window, almanac: Almanac, now: datetime) -> None:
        self.definition = window
        self._almanac = almanac
        self._wants = frozenset(window.stats)
        self._ranks = "top" in self._wants
        tops = [f"{window.name}.top_{place + 1}_" for place in range(window.top)]
        self._names = {
            stat: tuple(f"{window.name}.{stat}_{part}" for part in ("name", "amount", "at"))
            for stat in ("latest", "first", "largest", "fastest")
        }
        self._places = [(top + "name", top + "amount") for top in tops]
        self.start, self.end = window.span.bounds(now, almanac)
        self.stale = False
        """Whether the span has moved back in time, so that the log must be read again."""
        self._clear()

    @property
    def types(self) -> tuple[str, ...]:
        """The events it takes."""
        return self.definition.types

    reads: tuple[str, ...] = ()

    def _clear(self) -> None:
        self._count = self._sum = 0
        self._first: _One | None = None
        self._latest: _One | None = None
        self._largest: _One | None = None
        self._fastest: _One | None = None
        self._ranking = Ranking(self.definition.rank_by == "count", self.definition.span.rolling)
        self._held: deque[_One] = deque()
        self._high: list[tuple[int, int, int, _One]] = []
        self._low: list[tuple[int, int, int, _One]] = []

    # Events

    def take(self, event: Occurrence, now: datetime) -> bool:
        """Count one event; whether it counts."""
        one = self._one(event)
        if one is None:
            return False
        if self.end is not None and one.at >= self.end:
            self._roll(now)
        if one.at < self.start or (self.end is not None and one.at >= self.end):
            return False
        if not self.definition.span.rolling:
            self._count_in(one)
            return True
        if not self._hold(one):
            return False
        self._expire(now)
        return True

    def fits(self, event: Occurrence) -> bool:
        """Whether the rule lets an event in, whenever it was."""
        return self._one(event) is not None

    def why_not(self, event: Occurrence, now: datetime) -> str | None:
        """Why an event does not count here, or None when it does."""
        one = self._one(event)
        if one is None:
            return "it has no amount" if self._lacks_amount(event) else "excluded by the rule"
        start, end = self.definition.span.bounds(now, self._almanac)
        start = max(start, self._rolling_start(now))
        if one.at < start or (end is not None and one.at >= end):
            return f"it was not in {self.definition.span.words}"
        return None

    def _lacks_amount(self, event: Occurrence) -> bool:
        return bool(self.definition.amount) and amount_of(field_of(event.data, self.definition.amount)) is None

    def _rolling_start(self, now: datetime) -> int:
        if self.definition.span.kind == "minutes":
            return micros(now) - self.definition.span.length * 60 * MICRO
        if self.definition.span.kind == "events" and len(self._held) >= self.definition.span.length:
            return self._held[0].at
        return 0

    def _one(self, event: Occurrence) -> _One | None:
        window = self.definition
        amount = amount_of(field_of(event.data, window.amount)) if window.amount else MICRO
        if amount is None:
            return None
        if window.only_if is not None and not passes(window.only_if, event.data):
            return None
        shown = name_of(field_of(event.data, window.by)) if window.by else ""
        return _One(event.at, event.seq, name_key(shown), shown or window.anonymous_as, amount)

    def _count_in(self, one: _One) -> None:
        self._count += 1
        self._sum += one.amount
        if self._ranks and (one.key or self.definition.rank_anonymous):
            self._ranking.add(one.key, one.shown, one.amount, (one.at, one.seq))
        place = (one.at, one.seq)
        if self._latest is None or place > (self._latest.at, self._latest.seq):
            self._latest = one
        if self._first is None or place < (self._first.at, self._first.seq):
            self._first = one
        if self._largest is None or (-one.amount, place) < (-self._largest.amount, self._largest.place):
            self._largest = one
        if self._fastest is None or (one.amount, place) < (self._fastest.amount, self._fastest.place):
            self._fastest = one

    def correct(self, before: Occurrence, after: Occurrence) -> bool:
        """Put another amount in the place of one that was counted; False when only the log can tell what is right."""
        old, new = self._one(before), self._one(after)
        if old == new:
            return True
        if self.definition.span.rolling or old is None or new is None or before.at < self.start:
            return before.at < self.start
        if self._ranks and (old.key, bool(old.amount)) != (new.key, bool(new.amount)):
            # When each of them got to where it stands is not known any more.
            return False
        for stat, held in (("largest", self._largest), ("fastest", self._fastest)):
            if stat in self._wants and held is not None and held.place == old.place:
                return False
        self._count -= 1
        self._sum -= old.amount
        if self._ranks and (old.key or self.definition.rank_anonymous):
            self._ranking.remove(old.key, old.amount)
        if self._latest and self._latest.place == old.place:
            self._latest = new
        if self._first and self._first.place == old.place:
            self._first = new
        self._count_in(new)
        return True

    # Rolling

    def _hold(self, one: _One) -> bool:
        span, held = self.definition.span, self._held
        full = span.kind == "events" and len(held) >= span.length
        if full and one.place < held[0].place:
            return False
        # A late arrival goes to its place; it is seldom far from the end.
        after: list[_One] = []
        while held and held[-1].place > one.place:
            after.append(held.pop())
        held.append(one)
        held.extend(reversed(after))
        self._add_rolling(one)
        if full:
            self._drop()
        return True

    def _add_rolling(self, one: _One) -> None:
        self._count += 1
        self._sum += one.amount
        if self._ranks and (one.key or self.definition.rank_anonymous):
            self._ranking.add(one.key, one.shown, one.amount, (one.at, one.seq))
        if "largest" in self._wants:
            heapq.heappush(self._high, (-one.amount, one.at, one.seq, one))
        if "fastest" in self._wants:
            heapq.heappush(self._low, (one.amount, one.at, one.seq, one))

    def _drop(self) -> None:
        one = self._held.popleft()
        self._count -= 1
        self._sum -= one.amount
        if self._ranks and (one.key or self.definition.rank_anonymous):
            self._ranking.remove(one.key, one.amount)

    def _expire(self, now: datetime) -> None:
        if self.definition.span.kind != "minutes":
            return
        until = self._rolling_start(now)
        while self._held and self._held[0].at < until:
            self._drop()

    def _extreme(self, heap: list[tuple[int, int, int, _One]]) -> _One | None:
        oldest = self._held[0].place if self._held else None
        while heap and (oldest is None or heap[0][1:3] < oldest):
            heapq.heappop(heap)
        return heap[0][3] if heap else None

    # Time

    def settle(self, now: datetime) -> None:
        """Bring the window to now: a new day empties it, old events leave it."""
        if self.definition.span.rolling:
            self._expire(now)
        elif self.definition.span.kind in CALENDAR:
            at = micros(now)
            if self.end is not None and at >= self.end:
                self._roll(now)
            elif at < self.start:
                self.stale = True

    def _roll(self, now: datetime) -> None:
        start, end = self.definition.span.bounds(now, self._almanac)
        if start > self.start:
            self.start, self.end = start, end
            self._clear()

    def next_change(self, now: datetime) -> datetime | None:
        """When it changes by itself, unless an event comes before."""
        due = [instant(self.end)] if self.end is not None else []
        if self.definition.span.kind == "minutes" and self._held:
            due.append(instant(self._held[0].at + self.definition.span.length * 60 * MICRO + 1))
        if "per_minute" in self._wants and self._count and not self.definition.span.rolling:
            due.append(now + PER_MINUTE_EVERY)
        return min(due, default=None)

    # Values

    def read(self, now: datetime, values: Mapping[str, Scalar]) -> dict[str, Scalar | None]:
        """The present value of each of its signals, None where there is nothing to tell."""
        name, wants, count = self.definition.name, self._wants, self._count
        out: dict[str, Scalar | None] = {}
        if "count" in wants:
            out[f"{name}.count"] = count
        if "sum" in wants:
            out[f"{name}.sum"] = number(self._sum)
        if "mean" in wants:
            out[f"{name}.mean"] = self._sum / MICRO / count if count else None
        if "per_minute" in wants:
            out[f"{name}.per_minute"] = self._per_minute(now)
        rolling, held = self.definition.span.rolling, self._held
        if "latest" in wants:
            self._tell(out, "latest", (held[-1] if held else None) if rolling else self._latest)
        if "first" in wants:
            self._tell(out, "first", (held[0] if held else None) if rolling else self._first)
        if "largest" in wants:
            self._tell(out, "largest", self._extreme(self._high) if rolling else self._largest)
        if "fastest" in wants:
            self._tell(out, "fastest", self._extreme(self._low) if rolling else self._fastest)
        if self._ranks:
            self._tell_ranking(out)
        return out

    def _per_minute(self, now: datetime) -> float:
        total = self._sum if self.definition.amount else self._count * MICRO
        start = self._held[0].at if self.definition.span.kind == "events" and self._held else self.start
        if not start and self._first is not None:
            start = self._first.at
        return total / MICRO / (self.definition.span.seconds(start, now) / 60)

    def _tell(self, out: dict[str, Scalar | None], stat: str, one: _One | None) -> None:
        name, amount, at = self._names[stat]
        out[name] = one.shown if one and (self.definition.by or one.shown) else None
        out[amount] = number(one.amount) if one else None
        out[at] = one.at / MICRO if one else None

    def _tell_ranking(self, out: dict[str, Scalar | None]) -> None:
        window = self.definition
        best = self._ranking.best(window.top)
        for (name, amount), entry in zip_longest(self._places, best):
            out[name] = entry.shown if entry else None
            out[amount] = (entry.count if window.rank_by == "count" else number(entry.amount)) if entry else None
        out[f"{window.name}.leaders"] = "\n".join(entry.shown for entry in best) if best else None
        out[f"{window.name}.names"] = len(self._ranking.entries)

    # Keeping it

    def saved(self) -> dict[str, Any] | None:
        """The window as it is stored; None for one that is read from the log again."""
        if self.definition.span.rolling:
            return None
        ones = {"first": self._first, "latest": self._latest, "largest": self._largest, "fastest": self._fastest}
        return {
            "start": self.start,
            "count": self._count,
            "sum": self._sum,
            "ones": {stat: list(one) for stat, one in ones.items() if one},
            "ranking": self._ranking.saved(),
        }

    def base(self) -> dict[str, Any] | None:
        """The window as it is kept when the log lets go of what it was counted from."""
        if not self.definition.span.rolling:
            return self.saved()
        return {"held": [list(one) for one in self._held]}

    def restore(self, saved: Mapping[str, Any]) -> None:
        """Go on from what was stored."""
        self._clear()
        if "held" in saved:
            for one in saved["held"]:
                self._hold(_One(*one))
            return
        self.start = saved["start"]
        if self.end is not None:
            _, self.end = self.definition.span.bounds(instant(self.start), self._almanac)
        self._count, self._sum = saved["count"], saved["sum"]
        ones: dict[str, Sequence[Any]] = saved["ones"]
        self._first, self._latest, self._largest, self._fastest = (
            _One(*ones[stat]) if stat in ones else None for stat in ("first", "latest", "largest", "fastest")
        )
        self._ranking.restore(iter(saved["ranking"]))

    def since(self, now: datetime) -> datetime | None:
        """From when on the log must be read to build it anew; None for all of it."""
        if self.definition.span.kind == "minutes":
            return now - timedelta(minutes=self.definition.span.length)
        return instant(self.start) if self.start else None
