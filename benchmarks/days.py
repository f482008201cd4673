"""Memory after ten simulated days: a day's events, feeds and sessions ten times over, with forty windows."""

from __future__ import annotations

import gc
from datetime import UTC, datetime, timedelta
from typing import Any

import psutil

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.definitions import build
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event, Reading

DAYS, EVENTS_A_DAY, SIGNALS, WINDOWS, NAMES = 10, 12_000, 50, 40, 3_000
BEGAN = datetime(2026, 11, 20, 12, 0, tzinfo=UTC)
SPANS = (("session", 0), ("today", 0), ("month", 0), ("all", 0), ("minutes", 10))


def _engine() -> Engine:
    engine = Engine()
    engine.set_almanac(Almanac(UTC, 0, BEGAN))
    engine.add_feed("feed", 5)
    for number in range(SIGNALS):
        engine.add_signal("feed", f"feed.s{number}")
    for number in range(WINDOWS):
        over, length = SPANS[number % len(SPANS)]
        chosen = {
            "types": [f"kind{number % 8}"],
            "amount": "amount",
            "by": "name",
            "over": over,
            "length": length,
            "stats": ["count", "sum", "latest", "largest", "top"],
        }
        engine.compute(build("window", f"w{number}", chosen), BEGAN)
    return engine


def measure() -> dict[str, Any]:
    """Resident memory after each day; it should grow with the names there are, not with the days."""
    process, engine = psutil.Process(), _engine()
    step = timedelta(days=1) / EVENTS_A_DAY
    after: list[float] = []
    number = 0
    for day in range(DAYS):
        now = BEGAN + timedelta(days=day)
        for _ in range(EVENTS_A_DAY):
            number += 1
            now += step
            data = {"name": f"viewer_{number * 7919 % NAMES}", "amount": number % 50}
            engine.apply_event(Event(str(number), "x", f"kind{number % 8}", now, data), now, number)
            if number % 40 == 0:
                readings = [Reading(f"feed.s{at}", number + at, now) for at in range(SIGNALS)]
                engine.feed_ok("feed", readings, {}, now)
                engine.tick(now)
                engine.unsaved(now, trails=number % 300 == 0)
        gc.collect()
        after.append(round(process.memory_info().rss / 1e6, 1))
    return {
        "events": number,
        "mb_after_each_day": after,
        "mb_grown_from_day_2_to_10": round(after[-1] - after[1], 1),
        "ratio_day_10_to_day_2": round(after[-1] / after[1], 2),
    }
