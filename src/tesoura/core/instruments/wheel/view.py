"""What the pages of a wheel show beside its signals: facts that do not change any more."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.instruments.wheel.fields import painted, unreadable
from tesoura.core.instruments.wheel.state import WheelBase
from tesoura.core.wheel.draw import FEWEST
from tesoura.core.wheel.turning import edges_of


def view_of(wheel: WheelBase, now: datetime) -> Mapping[str, Any]:
    """All of it."""
    shown, last = wheel.turns(now), wheel.spin
    landed = last if last is not None and now >= last.lands_at else None
    return {
        "fields": field_rows(wheel),
        "can_spin": len(wheel.fields) >= FEWEST and sum(wheel.weights()) > 0,
        "problems": unreadable(wheel.fields),
        "owed": list(wheel.owed.listed()),
        "owed_total": wheel.owed.total,
        "waiting": [one.who or "nobody" for one in wheel.waiting],
        "hash": wheel.hash_next(),
        "next_number": wheel.number + 1 + len(wheel.waiting),
        "turns": shown is not None and now < shown.lands_at,
        "held": shown is not None and now >= shown.lands_at,
        "tried": shown is not None and shown.trial,
        "who": shown.who if shown else "",
        "last": landed.told() if landed else None,
        "spins": wheel.counts.spins,
        "anything_gone": bool(wheel.gone) or any(one.most and wheel.came.get(one.id) for one in wheel.fields),
        "rules": wheel.plan.rules,
        "word": wheel.plan.word,
        "chat": wheel.plan.chat,
    }


def field_rows(wheel: WheelBase) -> list[dict[str, Any]]:
    """Each field: its true chance, how often it came, and how often that was to be expected."""
    weights = wheel.weights()
    total, rows = sum(weights), []
    edges = edges_of(weights) if total else (0.0,) * len(weights)
    for one, weight, edge, (colour, letters) in zip(wheel.fields, weights, edges, painted(wheel.fields), strict=True):
        share = weight / total if total else 0.0
        expected, came = wheel.counts.expected(one.id), wheel.counts.of(one.id)
        rows.append(
            {
                "id": one.id,
                "words": one.words,
                "chance_pct": share * 100,
                "edge": edge,
                "share": share,
                "sector": sector(edge - share, edge),
                "colour": colour,
                "letters": letters,
                "came": came,
                "mean": expected.mean,
                "low": expected.low,
                "high": expected.high,
                "usual": expected.is_usual(came),
                "gone": one.id in wheel.gone,
                "full": bool(one.most) and wheel.came.get(one.id, 0) >= one.most,
            }
        )
    return rows


def sector(begin: float, end: float) -> str:
    """The path of a sector of a circle of 96 about the middle, between two shares of the way around from the top."""
    (x, y), (u, v) = ((96 * math.sin(math.tau * share), -96 * math.cos(math.tau * share)) for share in (begin, end))
    return f"M0 0L{x:.2f} {y:.2f}A96 96 0 {int(end - begin > 0.5)} 1 {u:.2f} {v:.2f}Z"
