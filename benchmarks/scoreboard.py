"""A match: from a press on the phone to the changed score on the overlay, and what the chance to win costs."""

from __future__ import annotations

import json
import random
import shutil
import time
from statistics import median
from typing import Any

from playwright.sync_api import Browser, sync_playwright
from sqlmodel import Session

from benchmarks.desk import TAP, by_page, figures_of, presses_of
from benchmarks.live import SAMPLES, of_floor, p95
from benchmarks.processes import floor, tesoura
from tesoura.core.desk.buttons import button_of
from tesoura.core.desk.leaves import Leaves
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.sports import rally
from tesoura.core.sports.rally import RallyMatch
from tesoura.core.sports.tables import RALLY_SPORTS
from tesoura.runtime.desk_leaves import KEPT
from tesoura.settings import wall_clock
from tesoura.store import computed, devices, state

ROUNDS, MATCHES = 3, 200
SHOWN = Overlay(pieces=(new_piece("text", "n", wording="{match.home_points}", nothing_yet="-1"),))


def _prepare(session: Session) -> str:
    """A scoreboard that counts as far as one likes, its button on a leaf; a phone that is paired, its token."""
    now = wall_clock()
    choices = fill(KINDS["scoreboard"].fields, {"title": "Match", "sport": "free", "same_rally_s": "0"}).choices
    computed.keep(session, None, "scoreboard", "match", choices, now)
    leaves, _ = Leaves().with_leaf("Match").laid("l1", button_of("new", {"does": "side", "board": "match"}))
    state.choose(session, KEPT, json.dumps(leaves.saved()))
    _, token = devices.add(session, "Phone", "phone", ["l1"], now)
    return token


def _presses(browser: Browser) -> dict[str, Any]:
    kept, count, bare, found = list[str](), [0], list[float](), list[list[float]]()
    with tesoura(SHOWN, lambda session: kept.append(_prepare(session))) as ours, floor() as other:
        for turn in range(ROUNDS):
            with by_page(browser, ours, "/phone/", TAP, kept[0]) as press:
                found.append(presses_of(browser, ours, press, count))
            bare += of_floor(browser, other, 1, 1 + turn * (SAMPLES + 10))
    return {
        "floor_p50_ms": round(median(bare), 2),
        "floor_p95_ms": round(p95(bare), 2),
        "goal": "p95 at most 1.5 of the floor's, and one commit",
        "phone": figures_of(found, bare),
    }


def _chances() -> dict[str, Any]:
    """Milliseconds for the chance to win a best of five, with nothing of it known from before."""
    found, draw = [], random.Random(5)
    for _ in range(MATCHES):
        match = RallyMatch.begun(RALLY_SPORTS["table_tennis"])
        for _ in range(draw.randrange(80)):
            match = match.point(draw.randrange(2))
        rally.forget_chances()
        began = time.perf_counter()
        match.chance(0)
        found.append((time.perf_counter() - began) * 1000)
    return {"matches": MATCHES, "p50_ms": round(median(found), 3), "most_ms": round(max(found), 3), "goal_ms": 5}


def measure() -> dict[str, Any]:
    """Both."""
    chromium = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        figures = {"presses": _presses(browser), "chance_of_winning": _chances()}
        browser.close()
    return figures
