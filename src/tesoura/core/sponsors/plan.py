"""The evening before it happens: who would be seen when, what was promised, and which cycle would keep it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from tesoura.core.sponsors.airtime import Span
from tesoura.core.sponsors.rotation import SECOND, Rotation, RotationItem, RotationRule

STEP = 5 * SECOND
"""A cycle that is proposed is a whole number of these."""
TRIED = 40
MINUTE, HOUR = 60 * SECOND, 3_600 * SECOND


@dataclass(frozen=True, slots=True)
class Promise:
    """What a sponsor was promised: so long in the evening, µs, and so many appearances an hour; 0 for none of it."""

    sponsor: str
    time: int = 0
    an_hour: float = 0.0


@dataclass(frozen=True, slots=True)
class PlannedSpan:
    """An item in a slot, from an instant to another."""

    slot: int
    item: str
    begin: int
    end: int


@dataclass(frozen=True, slots=True)
class ExpectedAirtime:
    """What a sponsor would have: how long, µs, how many appearances, against what was promised; why not, in words."""

    sponsor: str
    time: int
    appearances: int
    promise: Promise
    missing: str = ""


@dataclass(frozen=True, slots=True)
class RotationPlan:
    """An evening: every span in which something is seen, and what each sponsor would have of it."""

    begin: int
    end: int
    spans: tuple[PlannedSpan, ...]
    expected: tuple[ExpectedAirtime, ...]


def planned(
    rule: RotationRule, items: Sequence[RotationItem], promises: Sequence[Promise], begin: int, end: int
) -> RotationPlan:
    """What would be seen from an instant to another, were nothing in the way and every item able to be seen."""
    spans = tuple(_spans(rule, items, begin, end))
    sponsors = {one.id: one.sponsor for one in items}
    time: dict[str, int] = {}
    seen: dict[str, list[Span]] = {}
    for one in spans:
        sponsor = sponsors[one.item]
        time[sponsor] = time.get(sponsor, 0) + one.end - one.begin
        seen.setdefault(sponsor, []).append((one.begin, one.end))
    by_sponsor = {one.sponsor: one for one in promises}
    named = dict.fromkeys([*(one.sponsor for one in items), *by_sponsor])
    expected = [
        ExpectedAirtime(name, time.get(name, 0), _appearances(seen.get(name, [])), by_sponsor.get(name, Promise(name)))
        for name in named
    ]
    hours = max(end - begin, 1) / HOUR
    return RotationPlan(begin, end, spans, tuple(replace(one, missing=_missing(one, hours)) for one in expected))


def _spans(rule: RotationRule, items: Sequence[RotationItem], begin: int, end: int) -> list[PlannedSpan]:
    it = Rotation.begun(rule, items, begin, frozenset(one.id for one in items))
    it, changes = it.advance(end)
    found, present = list[PlannedSpan](), dict[int, tuple[str, int]]()
    for change in changes:
        item, since = present.pop(change.slot, ("", begin))
        if item and change.at > since:
            found.append(PlannedSpan(change.slot, item, since, change.at))
        if change.item:
            present[change.slot] = (change.item, change.at)
    found += [PlannedSpan(slot, item, since, end) for slot, (item, since) in present.items() if end > since]
    return sorted(found, key=lambda one: (one.begin, one.slot))


def _appearances(spans: Sequence[Span]) -> int:
    """How often a sponsor appears; one item after another of the same is one appearance."""
    count, last = 0, -1
    for begin, end in sorted(spans):
        count += begin > last
        last = max(last, end)
    return count


def _missing(one: ExpectedAirtime, hours: float) -> str:
    wanted = one.promise.an_hour * hours
    if one.time < one.promise.time:
        return f"{(one.promise.time - one.time) / MINUTE:.1f} of {one.promise.time / MINUTE:.0f} minutes missing"
    if one.appearances < math.floor(wanted):
        return f"{one.appearances} of {math.floor(wanted)} appearances"
    return ""


def nearest_cycle(
    rule: RotationRule, items: Sequence[RotationItem], promises: Sequence[Promise], begin: int, end: int
) -> RotationRule | None:
    """The rule with a longest time hidden, no longer than now, that keeps every promise; None where none is found."""
    if _kept(rule, items, promises, begin, end):
        return rule
    if not _kept(replace(rule, hidden=0), items, promises, begin, end):
        # Without a pause there are fewer appearances: one that is always there appears once.
        tried = (replace(rule, hidden=rule.hidden * part // TRIED // STEP * STEP) for part in range(TRIED - 1, 0, -1))
        return next((one for one in tried if _kept(one, items, promises, begin, end)), None)
    low, high = 0, rule.hidden // STEP
    while high - low > 1:
        middle = (low + high) // 2
        if _kept(replace(rule, hidden=middle * STEP), items, promises, begin, end):
            low = middle
        else:
            high = middle
    return replace(rule, hidden=low * STEP)


def _kept(rule: RotationRule, items: Sequence[RotationItem], promises: Sequence[Promise], begin: int, end: int) -> bool:
    return not any(one.missing for one in planned(rule, items, promises, begin, end).expected)
