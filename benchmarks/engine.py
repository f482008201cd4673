"""Events a second through the engine; the floor is a bare dictionary with the same two texts formatted."""

from __future__ import annotations

import time
from datetime import UTC, datetime, timedelta
from statistics import median
from typing import Any

from tesoura.core.language.wording import compile_wording
from tesoura.core.signals.engine import Engine
from tesoura.core.signals.texts import Say
from tesoura.core.values import Event, Reading

EVENTS = 20_000
RUNS = 5
BEGAN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)


def _filled(signals: int) -> Engine:
    engine = Engine()
    engine.add_feed("feed", 5)
    for number in range(signals):
        engine.add_signal("feed", f"feed.s{number}")
    for number in range(signals // 2):
        engine.texts.show(f"1/{number}", Say(compile_wording(f"{{feed.s{number}:,}} and more"), ""))
    engine.texts.show("1/0", Say(compile_wording("{kill.n:,} cuts"), ""))
    engine.texts.show("1/1", Say(compile_wording("{kill.n / 2:.1f} a round"), ""))
    engine.feed_ok("feed", [Reading(f"feed.s{number}", number, BEGAN) for number in range(signals)], {}, BEGAN)
    return engine


def _events(first: int) -> list[tuple[Event, datetime]]:
    made = []
    for number in range(first, first + EVENTS):
        at = BEGAN + timedelta(milliseconds=number)
        made.append((Event(str(number), "game", "kill", at, {"n": number}), at))
    return made


def _rate(engine: Engine, first: int) -> float:
    events = _events(first)
    began = time.perf_counter()
    for event, at in events:
        changes = engine.apply_event(event, at)
    assert len(changes.texts) == 2
    return EVENTS / (time.perf_counter() - began)


def _floor() -> float:
    values: dict[str, Any] = {}
    texts: dict[str, str] = {}
    began = time.perf_counter()
    for number in range(EVENTS):
        values["kill.n"] = number
        values["kill.count"] = values.get("kill.count", 0) + 1
        texts["1/0"] = f"{values['kill.n']:,} cuts"
        texts["1/1"] = f"{values['kill.n'] / 2:.1f} a round"
    return EVENTS / (time.perf_counter() - began)


def measure() -> dict[str, Any]:
    """Events a second, each touching 2 wordings: with 100 signals and 50 wordings, and a hundred times as many."""
    small, large = _filled(100), _filled(10_000)
    rates: dict[str, list[float]] = {"small": [], "large": [], "floor": []}
    for run in range(RUNS):
        # In turn, so that the machine's mood is the same for all.
        rates["small"].append(_rate(small, run * EVENTS))
        rates["large"].append(_rate(large, run * EVENTS))
        rates["floor"].append(_floor())
    few, many, floor = (median(rates[name]) for name in ("small", "large", "floor"))
    return {
        "events_per_s_100_signals_50_wordings": round(few),
        "events_per_s_10000_signals_5000_wordings": round(many),
        "goal_events_per_s": 20_000,
        "floor_events_per_s_bare_dictionary": round(floor),
        "ratio_large_to_small": round(few / many, 2),
        "ratio_to_floor": round(floor / few, 1),
    }
