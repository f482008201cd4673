"""The evening as a rotation's page draws it before it happens: who is seen when, against what was promised."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import instant, micros
from tesoura.core.instruments.base import Choices
from tesoura.core.instruments.campaign.state import clock_of
from tesoura.core.instruments.rotation.plan import RotationSetup, make, promises
from tesoura.core.instruments.rotation.state import SponsorItem, items_of, turning_items
from tesoura.core.sponsors.plan import HOUR, MINUTE, ExpectedAirtime, PlannedSpan, RotationPlan, nearest_cycle, planned
from tesoura.core.values import Scalar

COLOURS = ("#2F6B5E", "#C98A1B", "#8C3B2A", "#31455E", "#6B4A6E", "#4F7A3A", "#A34E6B", "#5A6B7A")
LAST_TICK = 900
"""Behind this share of the evening, in thousandths, the hour's words have no room."""
MOST_DRAWN = 1_500
"""Of more spans than these, those of a sponsor that follow closely are drawn as one."""


def preview(
    name: str,
    choices: Choices,
    almanac: Almanac,
    now: datetime,
    saved: Mapping[str, Any] | None,
    values: Mapping[str, Scalar],
) -> Mapping[str, Any]:
    """The evening from now on, with these choices and the items that there are, whether it was made yet or not."""
    plan = make(name, choices, almanac)
    return evening(plan, items_of(plan.members, values), micros(now), choices["hours"] * HOUR)


def evening(plan: RotationSetup, shown: Sequence[SponsorItem], begin: int, length: int) -> Mapping[str, Any]:
    """What is drawn of it, and what is said of it."""
    items, end = turning_items(plan, shown), begin + length
    owed = promises(plan.members)
    if not items:
        return {"members": plan.members, "rows": [], "spans": [], "hours": length // HOUR, "cycle": None}
    found = planned(plan.rule, items, owed, begin, end)
    short = [one for one in found.expected if one.missing]
    nearest = nearest_cycle(plan.rule, items, owed, begin, end) if short else None
    names = [one.sponsor for one in found.expected]
    return {
        "members": plan.members,
        "hours": length // HOUR,
        "rows": [_row(one, names, length) for one in found.expected],
        "spans": _drawn(found, {one.id: one.sponsor for one in items}, names),
        "ticks": _ticks(begin, end),
        "short": [f"{one.sponsor}: {one.missing}" for one in short],
        "cycle": {"hidden_s": nearest.hidden // 1_000_000, "words": clock_of(nearest.hidden)} if nearest else None,
        "lanes": len(names),
        "begin": instant(begin),
        "first": _first(found),
    }


def _row(one: ExpectedAirtime, names: Sequence[str], length: int) -> dict[str, Any]:
    return {
        "sponsor": one.sponsor,
        "colour": COLOURS[names.index(one.sponsor) % len(COLOURS)],
        "minutes": one.time / MINUTE,
        "promised": one.promise.time / MINUTE,
        "appearances": one.appearances,
        "wanted": one.promise.an_hour * length / HOUR,
        "missing": one.missing,
    }


def _first(found: RotationPlan) -> datetime | None:
    return instant(found.spans[0].begin) if found.spans else None


def _drawn(found: RotationPlan, sponsors: Mapping[str, str], names: Sequence[str]) -> list[dict[str, Any]]:
    """Each span as shares of the evening, in the lane of its sponsor."""
    long = found.end - found.begin
    least = long // MOST_DRAWN
    lanes: dict[str, list[PlannedSpan]] = {}
    for one in found.spans:
        lane = lanes.setdefault(sponsors[one.item], [])
        if lane and one.begin - lane[-1].end < least:
            lane[-1] = PlannedSpan(one.slot, one.item, lane[-1].begin, max(one.end, lane[-1].end))
        else:
            lane.append(one)
    return [
        {
            "lane": names.index(sponsor),
            "x": round((one.begin - found.begin) / long * 1000, 2),
            "wide": round(max((one.end - one.begin) / long * 1000, 0.6), 2),
            "colour": COLOURS[names.index(sponsor) % len(COLOURS)],
        }
        for sponsor, spans in lanes.items()
        for one in spans
    ]


def _ticks(begin: int, end: int) -> list[dict[str, Any]]:
    """Each full hour of the clock."""
    first = -(-begin // HOUR) * HOUR
    places = [(round((at - begin) / (end - begin) * 1000, 1), instant(at)) for at in range(first, end, HOUR)]
    return [{"x": x, "at": at} for x, at in places if x <= LAST_TICK]
