"""One spin: decided before anything turns, by the fields and weights that there were then."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from fractions import Fraction
from typing import Any

from tesoura.core.instruments.wheel.fields import WheelField
from tesoura.core.instruments.wheel.plan import WheelPlan
from tesoura.core.wheel.draw import chances, drawn, hash_of
from tesoura.core.wheel.turning import Turning, place_within, turned

LEAD_S, LEAD_IN_SCENE_S = 0.4, 1.6
"""So long before it turns a spin is decided and on its way into the log; longer where the scene is switched first."""


@dataclass(frozen=True, slots=True)
class Spin:
    """A spin. `fields` lie as they did when it was drawn, and `weights` counted then; `came` is the place that came.

    `number` counts those that count from 1; one that is only tried has none. `start` is the angle it begins at.
    """

    number: int
    secret: str
    fields: tuple[WheelField, ...]
    weights: tuple[int, ...]
    came: int
    who: str
    at: datetime
    start: float
    turn_s: float
    turns: int
    clockwise: bool
    hold_s: float
    trial: bool = False
    lead_s: float = LEAD_S

    @property
    def field(self) -> WheelField:
        """The field that came."""
        return self.fields[self.came]

    @property
    def hash(self) -> str:
        """What was shown of its secret before."""
        return hash_of(bytes.fromhex(self.secret))

    @property
    def chance(self) -> Fraction:
        """How likely it was."""
        return chances(self.weights)[self.came]

    @property
    def turns_at(self) -> datetime:
        """When it begins to turn."""
        return self.at + timedelta(seconds=self.lead_s)

    @property
    def lands_at(self) -> datetime:
        """When it lands."""
        return self.turns_at + timedelta(seconds=self.turn_s)

    @property
    def over_at(self) -> datetime:
        """When its result is held no more."""
        return self.lands_at + timedelta(seconds=self.hold_s)

    def turning(self) -> Turning:
        """How it turns."""
        within = place_within(bytes.fromhex(self.secret), self.number)
        return turned(self.weights, self.came, within, self.start, self.turns, self.turn_s, self.clockwise)

    def told(self) -> dict[str, Any]:
        """What anybody needs to check it, and what came, as the data of an event."""
        return {
            "number": self.number,
            "who": self.who,
            "field": self.field.words,
            "came": self.came + 1,
            "chance_pct": round(float(self.chance) * 100, 4),
            "hash": self.hash,
            "opened": self.secret,
            "weights": list(self.weights),
            "fields": [one.words for one in self.fields],
        }

    def saved(self) -> dict[str, Any]:
        """It, to be stored."""
        return {
            "number": self.number,
            "secret": self.secret,
            "fields": [one.saved() for one in self.fields],
            "weights": list(self.weights),
            "came": self.came,
            "who": self.who,
            "at": self.at.isoformat(),
            "start": self.start,
            "turn_s": self.turn_s,
            "turns": self.turns,
            "clockwise": self.clockwise,
            "hold_s": self.hold_s,
            "trial": self.trial,
            "lead_s": self.lead_s,
        }


def spun(
    plan: WheelPlan,
    number: int,
    secret: str,
    fields: tuple[WheelField, ...],
    weights: tuple[int, ...],
    who: str,
    at: datetime,
    start: float,
    trial: bool = False,
) -> Spin:
    """A spin, drawn. Raises InvalidField when nothing can be."""
    came = drawn(bytes.fromhex(secret), number, weights)
    lead_s = LEAD_IN_SCENE_S if plan.scene and not trial else LEAD_S
    return Spin(
        number,
        secret,
        fields,
        weights,
        came,
        who,
        at,
        start,
        plan.turn_s,
        plan.turns,
        plan.clockwise,
        plan.hold.total_seconds(),
        trial,
        lead_s,
    )


def spin_of(saved: Mapping[str, Any]) -> Spin:
    """A spin as it was stored."""
    told = {
        **saved,
        "fields": tuple(WheelField(**one) for one in saved["fields"]),
        "weights": tuple(saved["weights"]),
        "at": datetime.fromisoformat(saved["at"]),
    }
    return Spin(**told)
