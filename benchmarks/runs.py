"""Runs and saved games: a key's way to the overlay, a long list at rest, a long history's page, a put-back, kills."""

from __future__ import annotations

import asyncio
import json
import os
import shutil
import tempfile
import time
from datetime import timedelta
from functools import partial
from pathlib import Path
from statistics import median
from typing import Any

import httpx
from playwright.sync_api import Browser, sync_playwright
from sqlmodel import Session

from benchmarks.desk import KEY, by_device, by_page, figures_of, presses_of, task_s
from benchmarks.kills import ROUNDS as KILLS
from benchmarks.kills import killed, opened
from benchmarks.live import SAMPLES, of_floor, p95
from benchmarks.processes import floor, tesoura
from tesoura.core.desk.buttons import button_of
from tesoura.core.desk.leaves import Leaves
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.instruments.run.piece import SIZED
from tesoura.core.instruments.runner import COMMAND
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.values import Event
from tesoura.runtime.desk_leaves import KEPT
from tesoura.saves.keeping import synced
from tesoura.settings import wall_clock
from tesoura.store import computed, devices, state
from tesoura.store import log as event_log
from tesoura.store import saves as stored
from tesoura.store.tables import SaveGameRow

ROUNDS, LONG, ATTEMPTS, WATCHED_S, PAGES, PUTS, SAVE_BYTES = 3, 500, 10_000, 20, 20, 9, 50_000_000
SHOWN = Overlay(pieces=(new_piece("text", "n", wording="{mile.all_hits}", nothing_yet="-1"),))
LISTED = Overlay(pieces=(new_piece("run", "n", run="mile", arranged="list", **SIZED["list"]),))


def _prepare(session: Session, splits: int, attempts: int = 0) -> str:
    """A run that goes on, so many attempts behind it; its key on a leaf, and a pad that is paired: its token."""
    now = wall_clock()
    choices = fill(KINDS["run"].fields, {"title": "Mile"}).choices
    computed.keep(session, None, "run", "mile", choices, now)
    began = now - timedelta(days=60)
    given: list[dict[str, Any]] = [{"command": "new_route", "lines": "\n".join(f"Split {at}" for at in range(splits))}]
    for number in range(attempts):
        given += [{"command": one} for one in ("next", *["next"] * (number % splits), "hit", "start_over")]
    given.append({"command": "next"})
    pressed = [
        Event(f"mile-{at}", "tesoura", f"{COMMAND}mile", began + at * timedelta(seconds=50), one, "mile")
        for at, one in enumerate(given)
    ]
    event_log.append(session, pressed, now)
    press = {"does": "command", "instrument": "mile", "command": "hit", "words": "Hit", "key": "u"}
    leaves, _ = Leaves().with_leaf("Play").laid("l1", button_of("new", press))
    state.choose(session, KEPT, json.dumps(leaves.saved()))
    _, token = devices.add(session, "Pad", "phone", ["l1"], now)
    return token


def _prepared(session: Session, splits: int, attempts: int = 0) -> None:
    _prepare(session, splits, attempts)


def _presses(browser: Browser) -> dict[str, Any]:
    kept, count, bare = list[str](), [0], list[float]()
    found: dict[str, list[list[float]]] = {"device_socket": [], "desk_key": []}
    with tesoura(SHOWN, lambda session: kept.append(_prepare(session, 12))) as ours, floor() as other:
        for turn in range(ROUNDS):
            with by_device(ours, kept[0]) as press:
                found["device_socket"].append(presses_of(browser, ours, press, count))
            with by_page(browser, ours, "/", KEY) as press:
                found["desk_key"].append(presses_of(browser, ours, press, count))
            bare += of_floor(browser, other, 1, 1 + turn * (SAMPLES + 10))
    return {
        "floor_p50_ms": round(median(bare), 2),
        "floor_p95_ms": round(p95(bare), 2),
        "goal": "p95 at most 1.5 of the floor's, and one commit",
        **{name: figures_of(one, bare) for name, one in found.items()},
    }


def _at_rest(browser: Browser) -> dict[str, Any]:
    """The main thread's part of the time while a run with five hundred splits goes on and nobody presses."""
    with tesoura(LISTED, partial(_prepared, splits=LONG)) as ours:
        page = browser.new_page(viewport={"width": 1920, "height": 1080})
        page.goto(f"http://127.0.0.1:{ours.port}/o/{ours.token}")
        page.wait_for_selector(".t-splits-rows > li")
        page.wait_for_timeout(2_000)
        cdp = page.context.new_cdp_session(page)
        cdp.send("Performance.enable")
        before, began = task_s(cdp), time.monotonic()
        page.wait_for_timeout(WATCHED_S * 1000)
        part = (task_s(cdp) - before) / (time.monotonic() - began)
        rows = page.locator(".t-splits-rows > li").count()
        page.close()
    return {
        "splits": LONG,
        "rows_shown": rows,
        "watched_s": WATCHED_S,
        "main_thread_pct": round(100 * part, 2),
        "goal_pct": 2,
    }


def _history() -> dict[str, Any]:
    """Milliseconds for the page of a run with many attempts, beside that of a run without any."""
    found = {}
    for name, attempts in (("empty", 0), ("long", ATTEMPTS)):
        with tesoura(SHOWN, partial(_prepared, splits=12, attempts=attempts)) as ours:
            times = []
            with httpx.Client(base_url=f"http://127.0.0.1:{ours.port}", timeout=60) as client:
                for _ in range(PAGES):
                    began = time.perf_counter()
                    assert client.get("/instruments/mile").status_code == 200
                    times.append((time.perf_counter() - began) * 1000)
            found[name] = {"p50_ms": round(median(times[1:]), 1), "p95_ms": round(p95(times[1:]), 1)}
    return {"attempts": ATTEMPTS, **found, "goal_ms": 300}


def _put_backs() -> dict[str, Any]:
    """Seconds of putting a save of 50 MB back, beside those of a copy that is brought to the disk; by turns."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        store, saves, tasks = opened(folder)
        at, copy = folder / "mile.sav", folder / "copy.sav"
        game = SaveGameRow(title="Mile", path=str(at), added_at=wall_clock())
        store.write(lambda session: session.add(game))
        [game] = store.read(lambda session: list(stored.games(session)))

        def plays() -> None:
            at.write_bytes(os.urandom(SAVE_BYTES))
            synced(at)
            os.utime(at, (1_790_000_000, 1_790_000_000))

        async def measured() -> tuple[list[float], list[float]]:
            plays()
            row = await saves.keep(game, "Twins", None)
            mine, bare = list[float](), list[float]()
            for _ in range(PUTS):
                plays()
                began = time.perf_counter()
                shutil.copyfile(at, copy)
                synced(copy)
                bare.append(time.perf_counter() - began)
                began = time.perf_counter()
                await saves.put_back(game, row)
                mine.append(time.perf_counter() - began)
                # What was before is kept beside all else; here each put-back is measured alone.
                await asyncio.gather(*[one for one in tasks if "Looking" not in one.get_name()])
            for one in tasks:
                one.cancel()
            return mine, bare

        mine, bare = asyncio.run(measured())
        store.close()
    return {
        "bytes": SAVE_BYTES,
        "put_back_p50_s": round(median(mine), 3),
        "copy_p50_s": round(median(bare), 3),
        "ratio_to_copy": round(median(mine) / median(bare), 2),
        "goal_ratio": 1.3,
    }


def measure() -> dict[str, Any]:
    """All of it."""
    chromium = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        figures = {"presses": _presses(browser), "list_at_rest": _at_rest(browser)}
        browser.close()
    return {**figures, "history_page": _history(), "put_back": _put_backs(), "kills": killed(KILLS, 1)}
