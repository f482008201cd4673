"""Instruments: two hundred countdowns shown, how exactly their seconds change, and what kills and matches cost."""

from __future__ import annotations

import tempfile
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from statistics import median, quantiles
from typing import Any

import httpx
import psutil
from playwright.sync_api import sync_playwright

from benchmarks.processes import Served, tesoura
from benchmarks.studio import chromium
from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.graph import State, make_state
from tesoura.core.computed.occurrence import Occurrence, micros, occurrence
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.instruments.runner import Setup
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.overlays.shipped_looks import SHIPPED
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event
from tesoura.runtime.replay import feed_from_log
from tesoura.settings import wall_clock
from tesoura.store import computed, log
from tesoura.store.store import open_store

COUNTDOWNS, SLOTS, SECONDS = 200, 12, 20
KILLS, MORE = 100_000, 2_000
Told = tuple[str, datetime, dict[str, Any]]
BEGAN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
WATCH = """targets => {
  window.drifts = [];
  for (const node of document.querySelectorAll("[data-say]")) {
    const target = targets[node.dataset.say];
    if (!target) continue;
    new MutationObserver(() => {
      const [minutes, seconds] = node.textContent.split(":").map(Number);
      window.drifts.push(Date.now() - (target * 1000 - (minutes * 60 + seconds) * 1000));
    }).observe(node, { childList: true, characterData: true, subtree: true });
  }
}"""


def _overlay(count: int) -> Overlay:
    pieces = []
    for at in range(0, count, SLOTS):
        slots = {f"value_{slot}": f"{{cd_{at + slot - 1}.text}}" for slot in range(1, min(SLOTS, count - at) + 1)}
        row = at // SLOTS
        pieces.append(
            new_piece(
                "slots",
                f"s{row}",
                look="ink",
                x=20 + row % 3 * 630,
                y=20 + row // 3 * 170,
                width_px=600,
                height_px=150,
                size_px=20,
                count=min(SLOTS, count - at),
                labels="no",
                icons="no",
                arranged="block",
                change="plain",
                **slots,
            )
        )
    return Overlay(pieces=tuple(pieces), looks=SHIPPED)


def _set_up(session: Any) -> None:
    for number in range(COUNTDOWNS):
        choices = fill(KINDS["countdown"].fields, {"title": f"Countdown {number}", "length": "30 min"}).choices
        computed.keep(session, None, "countdown", f"cd_{number}", choices, wall_clock())


def _cpu_share(served: Served, seconds: float) -> float:
    process = psutil.Process(served.process.pid)
    before, began = sum(process.cpu_times()[:2]), time.perf_counter()
    time.sleep(seconds)
    return float((sum(process.cpu_times()[:2]) - before) / (time.perf_counter() - began))


def _countdowns() -> dict[str, Any]:
    with tesoura(_overlay(COUNTDOWNS), _set_up) as served, sync_playwright() as playwright:
        head = {"Authorization": f"Bearer {served.key}"}
        client = httpx.Client(base_url=f"http://127.0.0.1:{served.port}", headers=head, trust_env=False, timeout=30)
        still = _cpu_share(served, 5)
        targets = {}
        for number in range(COUNTDOWNS):
            told = client.post(f"/api/instruments/cd_{number}/start").json()
            targets[f"s{number // SLOTS}.value_{number % SLOTS + 1}"] = told["values"]["ends_at"]
        unseen = _cpu_share(served, SECONDS / 2)
        browser = playwright.chromium.launch(executable_path=chromium(), args=["--no-sandbox", "--disable-gpu"])
        page = browser.new_page(viewport={"width": 1920, "height": 1080})
        page.goto(f"http://127.0.0.1:{served.port}/o/{served.token}")
        page.wait_for_timeout(1_500)
        page.evaluate(WATCH, targets)
        share = _cpu_share(served, SECONDS)
        drifts = [float(one) for one in page.evaluate("window.drifts")]
        browser.close()
    cuts = quantiles(drifts, n=100)
    return {
        "countdowns": COUNTDOWNS,
        "changes_seen": len(drifts),
        "changes_a_second": round(len(drifts) / SECONDS),
        "drift_ms": {
            "p50": round(median(drifts), 1),
            "p95": round(cuts[94], 1),
            "p99": round(cuts[98], 1),
            "most": round(max(drifts), 1),
            "least": round(min(drifts), 1),
        },
        "core_share": {
            "shown_and_running": round(share, 3),
            "running_unseen": round(unseen, 3),
            "floor_standing_still": round(still, 3),
        },
    }


def _statistics() -> Setup:
    filled = fill(KINDS["statistics"].fields, {"title": "Game", "player": "mara_vane", "without_tags": "gust bonus"})
    return Setup("statistics", "game", filled.choices)


def _played(kills: int) -> list[Told]:
    """Match after match of 25 kills of the player, 20 of others and 10 deaths, until there are so many kills."""
    found: list[Told] = []
    at = BEGAN
    for match in range(kills // 25):
        rating = 1_400 + match % 50
        found.append(("match.start", at, {"opponent": "tuck", "rating": rating}))
        for n in range(55):
            at += timedelta(seconds=2)
            mine = {"actor": "mara_vane", "target": "tuck", "tags": ["gust bonus"] if n == 13 else []}
            data: dict[str, Any] = mine if n % 11 < 5 else {"actor": "tuck", "target": "otto_knot"}
            found.append(("kill", at, data) if n % 11 < 9 else ("death", at, {"actor": "tuck", "target": "mara_vane"}))
        found.append(("match.end", at, {"result": ("won", "lost")[match % 2], "rating": rating + 7}))
        at += timedelta(seconds=20)
    return found


def _one_more(state: State, at: datetime, first: int, count: int) -> float:
    """Microseconds of one more kill, every statistic told."""
    took = []
    for number in range(count):
        at += timedelta(seconds=1)
        event = Occurrence(micros(at), first + number, "kill", {"actor": "mara_vane", "target": "tuck", "tags": []})
        began = time.perf_counter()
        state.take(event, at)
        values = state.read(at, {})
        took.append(time.perf_counter() - began)
    assert values["game.session_kills"] is not None
    return median(took) * 1e6


def _kills() -> dict[str, Any]:
    costs, figures = {}, {}
    for size in (1_000, KILLS):
        played = _played(size)
        state = make_state(_statistics(), Almanac(UTC, 0, BEGAN), BEGAN)
        began = time.perf_counter()
        for seq, (kind, at, data) in enumerate(played, 1):
            state.take(Occurrence(micros(at), seq, kind, data), at)
        built_s = time.perf_counter() - began
        costs[size] = _one_more(state, played[-1][1], len(played) + 1, MORE)
        figures = {"events": len(played), "recomputed_in_memory_s": round(built_s, 2)}
    began = time.perf_counter()
    counts: dict[str, int] = {}
    for kind, _, data in played:
        key = f"{kind}.{data.get('actor')}"
        counts[key] = counts.get(key, 0) + 1
    floor_s = time.perf_counter() - began
    return {
        "kills": KILLS,
        **figures,
        "floor_a_bare_count_s": round(floor_s, 3),
        "one_more_kill_us": {f"{size:,}": round(cost, 1) for size, cost in costs.items()},
        "ratio": round(costs[KILLS] / costs[1_000], 2),
        "recomputed_from_the_log_s": round(_from_log(played), 2),
    }


def _from_log(played: list[Told]) -> float:
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder))
        last = 0
        for rows in _batches(played, 5_000):
            events = [Event(f"{last}:{n}", "bench", kind, at, data) for n, (kind, at, data) in enumerate(rows)]
            last = store.write(lambda session, events=events: log.append(session, events, events[-1].time))[-1].seq  # type: ignore[misc]
        state = make_state(_statistics(), Almanac(UTC, 0, BEGAN), BEGAN)
        began = time.perf_counter()
        store.read(lambda session: feed_from_log(session, state, last, 0, played[-1][1]))
        took = time.perf_counter() - began
        store.close()
    return took


def _batches(rows: list[Any], size: int) -> Any:
    return (rows[at : at + size] for at in range(0, len(rows), size))


def _matches() -> dict[str, Any]:
    """Matches a second through the engine, every event changing every statistic that it changes."""
    engine = Engine()
    engine.set_almanac(Almanac(UTC, 0, BEGAN))
    engine.compute(_statistics(), BEGAN)
    played = _played(3_000)
    matches = sum(kind == "match.end" for kind, _, _ in played)
    began = time.perf_counter()
    for seq, (kind, at, data) in enumerate(played, 1):
        engine.apply_event(Event(str(seq), "bench", kind, at, data), at, seq)
    took = time.perf_counter() - began
    bare = make_state(_statistics(), Almanac(UTC, 0, BEGAN), BEGAN)
    began = time.perf_counter()
    for seq, (kind, at, data) in enumerate(played, 1):
        bare.take(occurrence(Event(str(seq), "bench", kind, at, data), seq, at), at)
    floor = time.perf_counter() - began
    return {
        "matches": matches,
        "events": len(played),
        "matches_a_second": round(matches / took),
        "share_of_a_core_at_20_a_second": round(20 * took / matches, 3),
        "floor_nothing_told_matches_a_second": round(matches / floor),
    }


def measure() -> dict[str, Any]:
    """Countdowns shown, one more kill and all of them anew, matches replayed."""
    return {"countdowns": _countdowns(), "kills": _kills(), "matches": _matches()}
