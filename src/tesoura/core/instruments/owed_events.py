"""What an instrument has fired and the log does not have yet, as it is stored with the instrument."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.core.computed.occurrence import instant, micros
from tesoura.core.effects import Effect
from tesoura.core.instruments.base import Fired


def plain_of(one: Fired) -> dict[str, Any]:
    """It, to be stored."""
    effects = [
        [each.kind, each.target, dict(each.data), micros(each.not_after) if each.not_after else None, each.delay_s]
        for each in one.effects
    ]
    return {
        "id": one.id,
        "type": one.type,
        "at": micros(one.at),
        "data": dict(one.data),
        "effects": effects,
        "cause": one.cause,
    }


def fired_of(told: Mapping[str, Any]) -> Fired:
    """It, as it was stored."""
    effects = [
        Effect(kind, target, data, instant(until) if until is not None else None, delay_s)
        for kind, target, data, until, delay_s in told["effects"]
    ]
    return Fired(told["id"], told["type"], instant(told["at"]), told["data"], effects, told["cause"])
