"""What a wheel's signals tell. What comes is told when it has landed, and never before."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.computed.occurrence import micros
from tesoura.core.instruments.base import Told
from tesoura.core.instruments.wheel.fields import WheelField, painted
from tesoura.core.instruments.wheel.spin import Spin
from tesoura.core.instruments.wheel.state import WheelBase
from tesoura.core.signals.extremes import Extremes
from tesoura.core.wheel.turning import edges_of

STILL, TURNING, LANDED = "still", "turning", "landed"
SIGNALS: Mapping[str, str] = {
    "state": "",
    "there": "",
    "text": "",
    "field": "",
    "who": "",
    "number": "",
    "chance_pct": "%",
    "hash": "",
    "opened": "",
    "owed": "",
    "owed_first": "",
    "waiting": "",
    "spins": "",
    "trial": "",
    "note": "",
    "face": "drawing",
    "motion": "drawing",
}
TRIED = "test, not counted"


def told_of(wheel: WheelBase, now: datetime) -> Told:
    """The present value of each."""
    shown, last = wheel.turns(now), wheel.spin
    state = STILL if shown is None else LANDED if now >= shown.lands_at else TURNING
    landed = last if last is not None and now >= last.lands_at else None
    tried = shown is not None and shown.trial
    seen = shown if state == LANDED else None
    return {
        "state": state,
        "there": shown is not None,
        "who": shown.who if shown else "",
        "field": landed.field.words if landed else "",
        "text": _text(seen),
        "number": wheel.number,
        "chance_pct": round(float(landed.chance) * 100, 2) if landed else None,
        "hash": wheel.hash_next(),
        "opened": landed.secret if landed else "",
        "owed": wheel.owed.total,
        "owed_first": wheel.owed.first(),
        "waiting": len(wheel.waiting),
        "spins": wheel.counts.spins,
        "trial": tried,
        "note": TRIED if tried else "",
        "face": face_of(wheel, shown),
        "motion": motion_of(wheel, shown),
    }


def _text(spin: Spin | None) -> str:
    if spin is None:
        return ""
    return f"{spin.who}: {spin.field.words}" if spin.who else spin.field.words


def face_of(wheel: WheelBase, shown: Spin | None) -> str | None:
    """The fields as they are drawn: of each its words, where it ends, its colour, that of its letters, its picture.

    While it turns they are those that it was drawn with.
    """
    fields = shown.fields if shown else wheel.fields
    weights = shown.weights if shown else wheel.weights()
    if not fields or not sum(weights):
        return None
    return json.dumps(_rows(fields, weights), ensure_ascii=False, separators=(",", ":"))


def _rows(fields: tuple[WheelField, ...], weights: tuple[int, ...]) -> list[list[Any]]:
    return [
        [one.words, round(edge, 6), colour, letters, one.picture]
        for one, edge, (colour, letters) in zip(fields, edges_of(weights), painted(fields), strict=True)
    ]


def motion_of(wheel: WheelBase, shown: Spin | None) -> str:
    """How it turns: when that began (ms since 1970), for how long, its angle over time; or where it stands."""
    if shown is None:
        return json.dumps({"angle": round(wheel.angle, 6)})
    turning = shown.turning()
    told = {
        "id": f"{shown.number}:{micros(shown.at)}",
        "at": micros(shown.turns_at) // 1_000,
        "ms": round(shown.turn_s * 1_000),
        "line": turning.line,
        "came": shown.came,
        "tick": wheel.plan.tick,
        "angle": round(turning.end, 6),
    }
    return json.dumps(told, separators=(",", ":"))


def extremes_of(wheel: WheelBase) -> Mapping[str, Extremes]:
    """The longest that it comes to say."""
    longest = max((one.words for one in wheel.fields), key=len, default="")
    names = [name for name, _ in wheel.owed.listed()]
    who = max(names, key=len, default="margarine_moon")
    return {
        "text": Extremes(f"{who}: {longest}" if longest else None),
        "field": Extremes(longest or None),
        "who": Extremes(who),
        "note": Extremes(TRIED),
    }
