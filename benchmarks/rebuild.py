"""What a start without saved states costs: everything counted again from the log, against reading that log alone."""

from __future__ import annotations

import json
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.definitions import build
from tesoura.core.computed.graph import Definition, key_of, make_state
from tesoura.core.computed.occurrence import micros
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.instruments.runner import Setup
from tesoura.runtime.replay import Rebuilding, feed_together
from tesoura.store import log
from tesoura.store.store import Store, open_store

EVENTS, MATCH, SESSION = 200_000, 60, 4_000
"""Events in all, in a match, and in the present stream session."""
BEGAN, STEP = datetime(2026, 6, 1, 19, 0, tzinfo=UTC), timedelta(seconds=14)
KINDS_OF_A_MATCH = ("kill", "kill", "kill", "death", "gift")


def _row(number: int) -> tuple[Any, ...]:
    """A match after the other: it starts, kills, deaths and gifts happen, and it ends."""
    place = number % MATCH
    kind = {0: "match.start", MATCH - 1: "match.end"}.get(place, KINDS_OF_A_MATCH[place % len(KINDS_OF_A_MATCH)])
    data = {
        "match": f"m{number // MATCH}",
        "actor": "mara_vane" if number % 3 else "otto_knot",
        "target": "tuck",
        "name": f"viewer_{number * 7919 % 20_000}",
        "amount": number * 31 % 500,
    }
    at = micros(BEGAN + number * STEP)
    return str(number), "feed:game", kind, at, at, json.dumps(data | ({"result": "won"} if kind == "match.end" else {}))


def _fill(store: Store) -> None:
    for first in range(0, EVENTS, 50_000):
        rows = [_row(number) for number in range(first, first + 50_000)]

        def job(session: Any, rows: Any = rows) -> None:
            columns = "id, source, type, time, accepted_at, data"
            driver = session.connection().connection
            driver.executemany(f"INSERT INTO event ({columns}) VALUES (?, ?, ?, ?, ?, ?)", rows)

        store.write(job)


def _definitions() -> list[Definition]:
    gifts = {"types": ["gift"], "amount": "amount", "by": "name", "stats": ["count", "sum", "top"]}
    found: list[Definition] = [
        build("window", name, {**gifts, "over": over, "length": "60"})
        for name, over in (("session", "session"), ("in_all", "all"), ("today", "today"), ("hour", "minutes"))
    ]
    found.append(build("chain", "rows", {"types": ["kill"], "within_s": "30"}))
    for kind, more in (("statistics", {"player": "mara_vane"}), ("scoreboard", {})):
        usual = {name: field.default for name, field in KINDS[kind].fields.items()}
        found.append(Setup(kind, kind, fill(KINDS[kind].fields, {**usual, "title": kind, **more}).choices))
    return found


def _us(store: Store, job: Callable[[Any], None]) -> float:
    began = time.perf_counter()
    store.read(job)
    return (time.perf_counter() - began) / EVENTS * 1e6


def measure() -> dict[str, Any]:
    """Microseconds for each event, alone and all in one pass; a million events should take a minute."""
    now = BEGAN + EVENTS * STEP
    almanac = Almanac(session_began=now - SESSION * STEP)
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder) / "data")
        _fill(store)

        def read(session: Any) -> None:
            for _ in log.walk(session, sorted({*KINDS_OF_A_MATCH, "match.start", "match.end"}), EVENTS, 0):
                pass

        def rebuild(definitions: list[Definition]) -> Callable[[Any], None]:
            return lambda session: feed_together(
                session, [Rebuilding(key_of(one), make_state(one, almanac, now), 0) for one in definitions], EVENTS, now
            )

        floor = _us(store, read)
        alone = {key_of(one): round(_us(store, rebuild([one])), 1) for one in _definitions()}
        together = _us(store, rebuild(_definitions()))
        store.close()
    return {
        "events": EVENTS,
        "reading_us": round(floor, 1),
        "alone_us": alone,
        "together_us": round(together, 1),
        "ratio_to_reading": round(together / floor, 2),
        "million_s": round(together),
        "goal_million_s": 60,
    }
