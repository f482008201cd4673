"""Cues: what one more event costs with a thousand of them, and looking back over a hundred thousand events."""

from __future__ import annotations

import time
from datetime import UTC, datetime, timedelta
from statistics import median
from typing import Any

from benchmarks import cues_live
from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import occurrence
from tesoura.core.cues.looking_back import looked_back
from tesoura.core.cues.setup import plan
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.instruments.runner import Setup
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event

BEGAN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
CUES, EVENTS, RUNS, LOOKED_BACK = 1_000, 5_000, 7, 100_000


def _choices(number: int) -> dict[str, Any]:
    """One of a thousand: a hundred types of gifts, each heard by ten cues of other amounts."""
    typed = {
        "title": f"Cue {number}",
        "when": "event",
        "event": f"gift_{number % 100}",
        "field_1": "amount",
        "how_1": "at least",
        "value_1": str(number),
        "do_1": "set",
        "signal_1": "script.x",
        "value_of_1": "1",
        "rests": "1 h",
    }
    return dict(fill(KINDS["cue"].fields, typed).choices)


def _engine(cues: int) -> Engine:
    engine = Engine()
    for number in range(cues):
        engine.compute(Setup("cue", f"cue_{number}", _choices(number)), BEGAN)
    return engine


def _us(engine: Engine, kind: str, first: int) -> float:
    """Microseconds for one event of a type."""
    events = [
        Event(str(n), "game", kind, BEGAN + timedelta(milliseconds=n), {"amount": 5, "name": "tuck"})
        for n in range(first, first + EVENTS)
    ]
    began = time.perf_counter()
    for event in events:
        engine.apply_event(event, event.time)
    engine.graph.take_fired()
    return (time.perf_counter() - began) / EVENTS * 1e6


def measure() -> dict[str, Any]:
    """One more event with no cue and with a thousand, one that none listens to and one that ten do; looking back."""
    none, many = _engine(0), _engine(CUES)
    costs: dict[str, list[float]] = {"none": [], "unheard": [], "heard": []}
    for run in range(RUNS):
        first = run * EVENTS * 2
        costs["none"].append(_us(none, "kill", first))
        costs["unheard"].append(_us(many, "kill", first))
        costs["heard"].append(_us(many, "gift_7", first + EVENTS))
    made = plan("it", _choices(5), Almanac())
    told = [
        occurrence(
            Event(str(n), "game", "gift_5", BEGAN + timedelta(seconds=n), {"amount": n % 9, "name": "tuck"}),
            n,
            BEGAN + timedelta(seconds=n),
        )
        for n in range(LOOKED_BACK)
    ]
    began = time.perf_counter()
    found = looked_back(made, told)
    looked_s = time.perf_counter() - began
    return {
        "cues": CUES,
        "one_more_event_us": {name: round(median(taken), 1) for name, taken in costs.items()},
        "ratio_unheard_to_none": round(median(costs["unheard"]) / median(costs["none"]), 2),
        "goal_ratio": 1.2,
        "looked_back_over": LOOKED_BACK,
        "looked_back_s": round(looked_s, 2),
        "goal_looked_back_s": 2.0,
        "would_have_fired": found.fires,
        "refused": found.refused,
        "through_a_cue": cues_live.through_a_cue(),
        "chat": cues_live.chat(),
        "looking_back_with_values": cues_live.looking_back(),
    }
