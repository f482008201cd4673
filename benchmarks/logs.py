"""A log of a million events: any page of it, searches, filters; and computations built from it anew."""

from __future__ import annotations

import json
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from statistics import median
from typing import Any

import httpx

from benchmarks.processes import ended, free_port, started
from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.definitions import build
from tesoura.core.computed.graph import make_state
from tesoura.core.computed.occurrence import micros
from tesoura.runtime.replay import feed_from_log
from tesoura.store import log, log_search
from tesoura.store.log import AT_ONCE, index_words
from tesoura.store.log_search import Search
from tesoura.store.store import Store, open_store

EVENTS = 1_000_000
BEGAN = datetime(2026, 6, 1, 19, 0, tzinfo=UTC)
STEP = timedelta(seconds=14)
RUNS = 9
TYPES = ("kill", "kill", "kill", "death", "gift", "follow", "song", "match.end")


def _row(n: int) -> tuple[Any, ...]:
    kind = TYPES[n % len(TYPES)]
    data = {"name": f"viewer_{n * 7919 % 20_000}", "amount": n * 31 % 500}
    if n % 100_003 == 0:
        data["name"] = "margarine_moon"
    at = micros(BEGAN + n * STEP)
    return (str(n), f"feed:f{n % 5}", kind, at, at, None, json.dumps(data))


def fill(store: Store) -> float:
    """Put the events in; how many a second."""
    began = time.perf_counter()
    for first in range(0, EVENTS, 50_000):
        rows = [_row(n) for n in range(first, first + 50_000)]

        def job(session: Any, rows: Any = rows) -> None:
            driver = session.connection().connection
            columns = "id, source, type, time, accepted_at, subject, data"
            driver.executemany(f"INSERT INTO event ({columns}) VALUES (?, ?, ?, ?, ?, ?, ?)", rows)

        store.write(job)
        while store.write(index_words) == AT_ONCE:
            pass
    return EVENTS / (time.perf_counter() - began)


def _ms(ask: Callable[[], Any]) -> dict[str, float]:
    took = []
    for _ in range(RUNS):
        began = time.perf_counter()
        ask()
        took.append((time.perf_counter() - began) * 1000)
    return {"median_ms": round(median(took), 1), "worst_ms": round(max(took), 1)}


def _pages(store: Store) -> dict[str, Any]:
    middle = (BEGAN + EVENTS // 2 * STEP, EVENTS // 2)
    oldest = (BEGAN + 60 * STEP, 60)
    evening = BEGAN + timedelta(days=80)
    searches: dict[str, tuple[Search, Any]] = {
        "newest": (Search(), None),
        "middle": (Search(), middle),
        "oldest": (Search(), oldest),
        "one type, middle": (Search(type="gift"), middle),
        "one feed": (Search(source="feed:f3"), None),
        "one feed and type": (Search(source="feed:f3", type="gift"), None),
        "one session": (Search(since=evening, until=evening + timedelta(hours=4)), None),
        "a rare word": (Search(words="margarine"), None),
        "a name's beginning": (Search(words="viewer_19"), None),
        "a common word": (Search(words="kill"), None),
        "a name and a type": (Search(words="viewer_777", type="gift"), None),
        "a word that is not there": (Search(words="zzz"), None),
    }
    found = {}
    for name, (search, before) in searches.items():
        found[name] = _ms(lambda s=search, b=before: store.read(lambda session: log_search.page(session, s, b, 51)))  # type: ignore[misc]
    return found


def _rebuild(store: Store) -> dict[str, Any]:
    figures, now = {}, BEGAN + EVENTS * STEP
    for over in ("all", "month"):
        chosen = {"types": ["gift"], "amount": "amount", "by": "name", "over": over, "stats": ["count", "sum", "top"]}
        state = make_state(build("window", "gifts", chosen), Almanac(), now)
        began = time.perf_counter()
        count = store.read(lambda session, state=state: feed_from_log(session, state, EVENTS, 0, now).events)  # type: ignore[misc]
        spent = time.perf_counter() - began
        figures[over] = {"events": count, "seconds": round(spent, 2), "events_per_s": round(count / spent)}
    return figures


def measure() -> dict[str, Any]:
    """Pages from the store and over HTTP, and rebuilding."""
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder))
        filled = fill(store)
        figures: dict[str, Any] = {"events": EVENTS, "filled_per_s": round(filled), "goal_ms": 50}
        figures["floor_one_row_by_its_key"] = _ms(lambda: store.read(lambda session: log.one(session, EVENTS // 2)))
        figures["store"] = _pages(store)
        figures["rebuild"] = _rebuild(store)
        store.close()
        port = free_port()
        with ended(started(folder, port)), httpx.Client(base_url=f"http://127.0.0.1:{port}", trust_env=False) as client:
            for name, query in (("newest", ""), ("a rare word", "?find=margarine"), ("one type", "?type=gift")):
                figures[f"http {name}"] = _ms(lambda q=query: client.get(f"/log/rows{q}").raise_for_status())  # type: ignore[misc]
    return figures
