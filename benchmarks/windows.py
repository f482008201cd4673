"""What one more event costs a window, however many are in it; and how fast one is built from the log anew."""

from __future__ import annotations

import time
from datetime import UTC, datetime, timedelta
from statistics import median
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.definitions import build
from tesoura.core.computed.graph import make_state
from tesoura.core.computed.occurrence import Occurrence, micros

BEGAN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
SIZES = (1_000, 100_000, 1_000_000)
MORE = 3_000
STATS = ["count", "sum", "mean", "latest", "first", "largest", "fastest", "top"]
NAMES = 5_000


def _events(first: int, count: int, step_us: int) -> list[Occurrence]:
    start = micros(BEGAN)
    return [
        Occurrence(start + n * step_us, n + 1, "gift", {"name": f"viewer_{n * 7919 % NAMES}", "amount": n * 31 % 500})
        for n in range(first, first + count)
    ]


def _window(over: str, length: int = 0) -> Any:
    chosen = {
        "types": ["gift"],
        "amount": "amount",
        "by": "name",
        "over": over,
        "length": length,
        "stats": STATS,
        "top": 10,
    }
    return build("window", "gifts", chosen)


def _cost_us(over: str, size: int) -> tuple[float, float]:
    """Microseconds of one more event, values read and all; and events a second while the window was filled."""
    step_us = 500_000 * 1_000_000 // size if over == "minutes" else 1_000
    definition = _window(over, 10_080 if over == "minutes" else 0)
    state = make_state(definition, Almanac(UTC, 0, BEGAN), BEGAN)
    now = BEGAN + timedelta(microseconds=step_us * (size + MORE))
    began = time.perf_counter()
    for event in _events(0, size, step_us):
        state.take(event, now)
    built = size / (time.perf_counter() - began)
    more, took = _events(size, MORE, step_us), []
    for event in more:
        began = time.perf_counter()
        state.take(event, now)
        state.settle(now)
        values = state.read(now, {})
        took.append(time.perf_counter() - began)
    assert values["gifts.count"] is not None
    return median(took) * 1e6, built


def measure() -> dict[str, Any]:
    """One more event at each size, as a ratio to the smallest: it should stay flat."""
    figures: dict[str, Any] = {}
    for over in ("session", "minutes"):
        costs = {size: _cost_us(over, size) for size in SIZES}
        least = costs[SIZES[0]][0]
        figures[over] = {
            "one_more_event_us": {f"{size:,}": round(cost, 1) for size, (cost, _) in costs.items()},
            "ratio_to_1,000": {f"{size:,}": round(cost / least, 2) for size, (cost, _) in costs.items()},
            "events_built_in_per_s": round(costs[SIZES[-1]][1]),
        }
    return figures
