"""Cues where they run: from an event through a cue to the page, a chat beside the loop, looking back with values."""

from __future__ import annotations

import asyncio
import random
import shutil
import subprocess
import sys
import tempfile
import time
from datetime import UTC, datetime, timedelta
from itertools import chain
from pathlib import Path
from statistics import median, quantiles
from typing import Any

from playwright.sync_api import sync_playwright
from sqlmodel import Session

from benchmarks.live import SAMPLES, of_floor, of_tesoura, p95
from benchmarks.processes import floor, tesoura
from tesoura.core.cues.setup import plan
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.values import Event
from tesoura.links.registry import KINDS as CONNECTIONS
from tesoura.runtime.facade import Runtime
from tesoura.runtime.rehearsal import ground_of, rehearse
from tesoura.settings import Settings, wall_clock
from tesoura.store import computed, feeds
from tesoura.store import log as event_log
from tesoura.store.store import open_store

ROUNDS, CHAT_S, LINES_A_SECOND, LOOKED_BACK = 3, 20.0, 100, 100_000


def _cue(session: Session, name: str, **typed: str) -> None:
    computed.keep(session, None, "cue", name, fill(KINDS["cue"].fields, {"title": name, **typed}).choices, wall_clock())


def through_a_cue() -> dict[str, Any]:
    """An event that the page shows itself, one that a cue makes a value of, and the bare server, in turn."""
    shown = Overlay(
        pieces=(
            new_piece("text", "n", wording="{max(coalesce(kill.n, -1), coalesce(script.n, -1))}", nothing_yet="-1"),
        )
    )

    def prepare(session: Session) -> None:
        _cue(session, "told", when="event", event="cheer", do_1="set", signal_1="script.n", value_of_1="{event.n}")

    chromium = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
    plain: list[list[float]] = []
    cued: list[list[float]] = []
    bare: list[list[float]] = []
    with sync_playwright() as playwright, tesoura(shown, prepare) as ours, floor() as other:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        first = 1
        for _ in range(ROUNDS):
            for kind, found in (("kill", plain), ("cheer", cued)):
                found.append(of_tesoura(browser, ours, 1, first, kind))
                first += SAMPLES + 10
            bare.append(of_floor(browser, other, 1, first))
        browser.close()
    all_plain, all_cued, all_bare = [*chain(*plain)], [*chain(*cued)], [*chain(*bare)]
    return {
        "samples": len(all_cued),
        "plain_p50_ms": round(median(all_plain), 2),
        "plain_p95_ms": round(p95(all_plain), 2),
        "through_a_cue_p50_ms": round(median(all_cued), 2),
        "through_a_cue_p95_ms": round(p95(all_cued), 2),
        "floor_p50_ms": round(median(all_bare), 2),
        "floor_p95_ms": round(p95(all_bare), 2),
        "ratio_p95_to_plain": round(p95(all_cued) / p95(all_plain), 2),
        "ratios_p95_by_round": [round(p95(one) / p95(two), 2) for one, two in zip(cued, plain, strict=True)],
        "goal_ratio": 1.3,
    }


def chat() -> dict[str, Any]:
    """How late the loop is while a hundred lines a second come, three cues listen, and one answers; and with none."""
    with tempfile.TemporaryDirectory() as folder:
        crowd = subprocess.Popen(
            [sys.executable, "-m", "benchmarks.crowd", str(LINES_A_SECOND)], stdout=subprocess.PIPE, text=True
        )
        try:
            assert crowd.stdout
            port = int(crowd.stdout.readline())
            return asyncio.run(_beside(Path(folder), port))
        finally:
            crowd.terminate()
            crowd.wait(10)


async def _beside(folder: Path, port: int) -> dict[str, Any]:
    store = open_store(folder)
    typed = {"host": "127.0.0.1", "port": str(port), "tls": "no", "channel": "#windyladder", "nick": "mara_helper"}

    def prepare(session: Session) -> None:
        choices = dict(fill(CONNECTIONS["irc"].fields, typed).choices)
        feeds.add_feed(session, "chat", "Chat", "irc", choices, wall_clock())
        for word in ("!song", "!tea", "!spin"):
            _cue(session, word[1:], when="chat", word=word, do_1="set", signal_1="script.n", value_of_1="{event.name}")

    store.write(prepare)
    runtime = Runtime(store, Settings(folder))
    runtime.begin()
    await runtime.ready()
    await asyncio.sleep(3.0)
    assert runtime.links.link("chat") is not None
    late = await _late()
    lines = runtime.engine.values.get("chat_line.count_this_session", 0)
    await runtime.feeds.stop()
    still = await _late()
    await runtime.stop()
    store.close()
    return {
        "lines_a_second": LINES_A_SECOND,
        "lines": lines,
        "seconds": CHAT_S,
        "loop_late_p50_ms": round(median(late), 2),
        "loop_late_p99_ms": round(quantiles(late, n=100)[-1], 2),
        "without_chat_p99_ms": round(quantiles(still, n=100)[-1], 2),
        "goal_p99_ms": 20.0,
    }


async def _late() -> list[float]:
    """By how many milliseconds a sleep of two is overslept, again and again."""
    found, until = [], time.monotonic() + CHAT_S
    while (began := time.monotonic()) < until:
        await asyncio.sleep(0.002)
        found.append((time.monotonic() - began - 0.002) * 1000)
    return found


def looking_back() -> dict[str, Any]:
    """What a cue with a formula would have done with a hundred thousand events, half of which it listens to."""
    with tempfile.TemporaryDirectory() as folder:
        return asyncio.run(_looked_back(Path(folder)))


async def _looked_back(folder: Path) -> dict[str, Any]:
    store, now, chance = open_store(folder), wall_clock(), random.Random(7)
    began_at = now - timedelta(hours=6)

    def fill_log(session: Session) -> None:
        for start in range(0, LOOKED_BACK, 2_000):
            events = [
                Event(
                    str(n),
                    "game",
                    chance.choice(("gift", "kill")),
                    began_at + timedelta(seconds=n / 5),
                    {"amount": n % 9, "name": f"viewer_{n % 50}"},
                )
                for n in range(start, start + 2_000)
            ]
            event_log.append_each(session, events, now)

    store.write(fill_log)
    runtime = Runtime(store, Settings(folder))
    runtime.begin()
    await runtime.ready()
    typed = {
        "title": "It",
        "when": "event",
        "event": "gift",
        "if_formula": "gift.amount > 6",
        "rests": "1 min",
        "do_1": "set",
        "signal_1": "script.n",
        "value_of_1": "1",
    }
    choices = dict(fill(KINDS["cue"].fields, typed).choices)
    ground = ground_of(runtime.engine, runtime.computations.applied)
    made = plan("it", choices, ground.almanac)
    since = datetime(2020, 1, 1, tzinfo=UTC)
    began = time.perf_counter()
    told = store.read(lambda session: rehearse(session, runtime.computations, ground, made, since, now, 60.0))
    took_s = time.perf_counter() - began
    await runtime.stop()
    store.close()
    return {
        "events": LOOKED_BACK,
        "with_a_formula_s": round(took_s, 2),
        "goal_s": 2.0,
        "would_have_fired": told.found.fires,
        "refused": told.found.refused,
    }
