"""Sponsors: drift of a rotation, an evening planned, airtime against the known truth, and what acks of pages cost."""

from __future__ import annotations

import asyncio
import json
import os
import random
import shutil
import statistics
import time
from collections.abc import Callable
from typing import Any

import psutil
from playwright.sync_api import sync_playwright
from sqlmodel import Session
from websockets.asyncio.client import connect

from benchmarks.processes import Served, tesoura
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.sponsors.evidence import Evidence, LoggedFact
from tesoura.core.sponsors.plan import planned
from tesoura.core.sponsors.rotation import ORDERS, SECOND, Rotation, RotationItem, RotationRule
from tesoura.settings import wall_clock
from tesoura.store import computed

HOURS, PLANNED_HOURS, ITEMS, TIMES = 8, 6, 500, 7
PAGES, WATCHED_S = 300, 30.0
CHANGES = int(os.environ.get("SPONSORS_CHANGES", "10000"))
EVENINGS = 40


def _drift() -> dict[str, Any]:
    """How far each item's share is from what it should be over eight simulated hours, at the worst."""
    items = tuple(RotationItem(f"i{at}", f"s{at}", seconds * SECOND) for at, seconds in enumerate((9, 6, 5)))
    ids, worst = frozenset(one.id for one in items), 0.0
    end = HOURS * 3_600 * SECOND
    _, changes = Rotation.begun(RotationRule(hidden=0), items, 0, ids).advance(end)
    seen = {one.id: 0 for one in items}
    for one, after in zip(changes, [*changes[1:], None], strict=True):
        seen[one.item] += (after.at if after else end) - one.at
    for item in items:
        worst = max(worst, abs(seen[item.id] / end - item.seconds / (20 * SECOND)))
    return {"hours": HOURS, "changes": len(changes), "worst_share_pct": round(worst * 100, 4), "goal_pct": 0.5}


def _plan() -> dict[str, Any]:
    items = tuple(RotationItem(f"i{at}", f"s{at % 40}", (5 + at % 7) * SECOND) for at in range(ITEMS))
    found: dict[str, Any] = {}
    for order in ORDERS:
        for hidden in (0, 600):
            took = []
            for _ in range(TIMES):
                began = time.perf_counter()
                planned(
                    RotationRule(order, hidden * SECOND, 90 * SECOND, 2), items, [], 0, PLANNED_HOURS * 3_600 * SECOND
                )
                took.append((time.perf_counter() - began) * 1000)
            found[f"{order}, hidden {hidden} s"] = round(statistics.median(took), 1)
    began = time.perf_counter()
    total = 0
    for at in range(2_000_000):
        total += at
    return {
        "items": ITEMS,
        "hours": PLANNED_HOURS,
        "goal_ms": 100,
        "ms": found,
        "floor_two_million_additions_ms": round((time.perf_counter() - began) * 1000, 1),
    }


def _truth() -> dict[str, Any]:
    """The airtime of made-up evenings, pages coming and going, against what is known second by second."""
    wrong = seconds = 0
    for seed in range(EVENINGS):
        chance = random.Random(seed)
        evidence, sent, seen = Evidence(["turns"], []), set[int](), set[int]()
        shown, pages = False, [False, False, False]
        since: dict[int, int] = {}
        for at in range(3_600):
            if chance.random() < 0.05:
                shown = not shown
                told = {"id": "tea:1", "campaign": "tea", "sponsor": "Tea", "words": "", "test": False}
                evidence.take(LoggedFact(at * SECOND, "turns.shown", {"slots": [told if shown else {}]}))
            for page in range(len(pages)):
                if chance.random() < 0.02:
                    pages[page] = not pages[page]
                if pages[page] and shown and page not in since:
                    since[page] = at
                if page in since and (not (pages[page] and shown) or at - since[page] >= 10):
                    span = ["tea:1", since.pop(page) * 1000, at * 1000]
                    told = {"pages": [{"page": str(page), "overlay": "O", "spans": [span]}]}
                    evidence.take(LoggedFact(at * SECOND, "tesoura.painted", told))
                    if pages[page] and shown:
                        since[page] = at
            if shown:
                sent.add(at)
                if any(pages):
                    seen.add(at)
        for page, begin in since.items():
            span = ["tea:1", begin * 1000, 3_600_000]
            evidence.take(
                LoggedFact(3_600 * SECOND, "tesoura.painted", {"pages": [{"page": str(page), "spans": [span]}]})
            )
        (found,) = evidence.airtime(0, 3_600 * SECOND)
        counted = {at for b, e in found.seen for at in range(b // SECOND, e // SECOND)}
        wrong, seconds = wrong + len(counted ^ (seen & sent)), seconds + len(seen)
    return {"evenings": EVENINGS, "seconds_seen": seconds, "seconds_wrong": wrong}


def _set_up(session: Session) -> None:
    for name, sponsor in (("tea", "Cordel Tea"), ("moon", "Halfmoon Batteries"), ("glue", "Gluepot & Daughters")):
        computed.keep(
            session, None, "campaign", name, fill(KINDS["campaign"].fields, {"sponsor": sponsor}).choices, wall_clock()
        )
    choices = fill(KINDS["rotation"].fields, {"hidden_s": "0"}).choices
    computed.keep(session, None, "rotation", "turns", choices, wall_clock())


def _overlay() -> Overlay:
    return Overlay(pieces=(new_piece("sponsor", "t", rotation="turns", x=1400, y=800),))


async def _crowd(ours: Served, tells: bool) -> float:
    """The share of a core that Tesoura takes with this crowd of pages."""
    address = f"ws://127.0.0.1:{ours.port}/live/{ours.token}"
    pages = [await connect(address, max_queue=None) for _ in range(PAGES)]
    process = psutil.Process(ours.process.pid)

    async def page(at: int) -> None:
        await asyncio.sleep(at / PAGES * 10)
        number = 0
        while True:
            now, number = int(time.time() * 1000), number + 1
            spans = [
                ["tea:mark", now - 10_000, now - 4_000, True, True, True, 1, 1],
                ["moon:mark", now - 4_000, now, True, True, True, 1, 1],
            ]
            if tells:
                await pages[at].send(json.dumps({"painted": number, "spans": spans}))
            await asyncio.sleep(10)

    async def drain(at: int) -> None:
        async for _ in pages[at]:
            pass

    tasks = [asyncio.ensure_future(one(at)) for at in range(PAGES) for one in (page, drain)]
    await asyncio.sleep(12)
    before, began = sum(process.cpu_times()[:2]), time.perf_counter()
    await asyncio.sleep(WATCHED_S)
    share = (sum(process.cpu_times()[:2]) - before) / (time.perf_counter() - began)
    for task in tasks:
        task.cancel()
    for one in pages:
        await one.close()
    return float(share)


def _acks() -> dict[str, Any]:
    with tesoura(_overlay(), _set_up) as ours:
        silent = asyncio.run(_crowd(ours, tells=False))
        telling = asyncio.run(_crowd(ours, tells=True))
    return {
        "pages": PAGES,
        "core_pct_silent": round(silent * 100, 2),
        "core_pct_telling": round(telling * 100, 2),
        "acks_pct": round((telling - silent) * 100, 2),
        "goal_pct": 2,
    }


def _memory() -> dict[str, Any]:
    """What an overlay's page holds after many changes of item more than after a few."""
    chromium = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
    with sync_playwright() as playwright, tesoura(_overlay(), _set_up) as ours:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        page = browser.new_page(viewport={"width": 1920, "height": 1080})
        page.goto(f"http://127.0.0.1:{ours.port}/o/{ours.token}")
        page.locator(".t-sponsor[data-painted]").wait_for()
        tools = page.context.new_cdp_session(page)

        def held() -> tuple[float, int]:
            tools.send("HeapProfiler.collectGarbage")
            page.wait_for_timeout(500)
            used = tools.send("Runtime.getHeapUsage")["usedSize"] / 1e6
            return round(used, 2), int(tools.send("Memory.getDOMCounters")["nodes"])

        turn = """async (times) => {
          const { draw } = await import("/static/js/pieces/sponsor.js");
          const node = document.querySelector("[data-draws=face]");
          for (let at = 0; at < times; at += 1) {
            draw(node, JSON.stringify([[`x:i${at % 7}`, "", "", `words ${at % 7}`, "s"]]), at % 3 === 0);
            await new Promise((done) => setTimeout(done, 2));
          }
          await new Promise((done) => setTimeout(done, 2500));
        }"""
        page.evaluate(turn, 500)
        before = held()
        page.evaluate(turn, CHANGES)
        # Each change is told; what waits to be told goes by and by.
        page.wait_for_timeout(CHANGES / 30 / 20 * 6_000 + 15_000)
        after = held()
        browser.close()
    return {
        "changes": CHANGES,
        "heap_mb_after_500": before[0],
        "nodes_after_500": before[1],
        "heap_mb": after[0],
        "nodes": after[1],
    }


def measure() -> dict[str, Any]:
    """All five, or the one that `SPONSORS_ONLY` names."""
    parts: dict[str, Callable[[], dict[str, Any]]] = {
        "drift": _drift,
        "plan": _plan,
        "airtime": _truth,
        "acks": _acks,
        "memory": _memory,
    }
    only = os.environ.get("SPONSORS_ONLY", "")
    return {name: part() for name, part in parts.items() if only in ("", name)}
