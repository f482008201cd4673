"""The desk: from a press to the changed overlay by each way in, what its page costs while it changes, first paint."""

from __future__ import annotations

import json
import shutil
import socket
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from itertools import chain
from statistics import median
from typing import Any

from playwright.sync_api import Browser, Page, sync_playwright
from sqlmodel import Session
from websockets.sync.client import connect

from benchmarks.live import SAMPLES, latencies, of_floor, p95
from benchmarks.processes import Served, floor, free_port, tesoura
from tesoura.core.desk.buttons import button_of
from tesoura.core.desk.leaves import Leaves
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.links.osc.messages import packet
from tesoura.links.registry import KINDS as CONNECTIONS
from tesoura.runtime.desk_leaves import KEPT
from tesoura.settings import wall_clock
from tesoura.store import computed, devices, feeds, overlays, state
from tesoura.store.tables import SignalRow

ROUNDS, BUTTONS, CHANGES_A_SECOND, WATCHED_S = 3, 60, 10, 10
CUES, INSTRUMENTS, OVERLAYS = 100, 30, 40
SHOWN = Overlay(pieces=(new_piece("text", "n", wording="{lives.value}", nothing_yet="-1"),))
BUTTON = "b2"
Press = Callable[[], float]
"""Presses once; when that was, in milliseconds since 1970."""


def _prepare(session: Session, osc: int, buttons: int = 1) -> str:
    """A value that a button counts up, on a leaf; a phone that is paired, its token; a panel's port."""
    now = wall_clock()
    typed = {"what": "number", "start": "0", "low": "0", "high": "9999999"}
    row = feeds.add_feed(session, "lives", "Lives", "hand", dict(fill(CONNECTIONS["hand"].fields, typed).choices), now)
    session.add(SignalRow(name="lives.value", feed_id=row.id or 0, path="value", unit=""))
    listens = dict(fill(CONNECTIONS["osc"].fields, {"port": str(osc)}).choices)
    feeds.add_feed(session, "panel", "Panel", "osc", listens, now)
    leaves = Leaves().with_leaf("Play")
    for number in range(buttons):
        own = {"does": "step", "hand": "lives", "by": "1", "words": "Up", "key": "u", "control": "/up"}
        wished = button_of("new", own if number == 0 else {"does": "scene", "scene": f"Scene {number}"})
        leaves, _ = leaves.laid("l1", wished)
    state.choose(session, KEPT, json.dumps(leaves.saved()))
    _, token = devices.add(session, "Phone", "phone", ["l1"], now)
    return token


@contextmanager
def by_device(served: Served, token: str) -> Iterator[Press]:
    with connect(f"ws://127.0.0.1:{served.port}/device-socket") as wire:
        hello = {"version": 1, "name": "Pad", "token": token}
        wire.send(json.dumps({"jsonrpc": "2.0", "id": 0, "method": "device.hello", "params": hello}))

        def press() -> float:
            at = time.time() * 1000
            params = {"button": BUTTON, "press": uuid.uuid4().hex}
            wire.send(json.dumps({"jsonrpc": "2.0", "id": 1, "method": "button.press", "params": params}))
            while json.loads(wire.recv()).get("id") != 1:
                pass
            return at

        yield press


@contextmanager
def _by_osc(port: int) -> Iterator[Press]:
    with closing(socket.socket(socket.AF_INET, socket.SOCK_DGRAM)) as wire:

        def press() -> float:
            at = time.time() * 1000
            for value in (1.0, 0.0):
                wire.sendto(packet("/up", value), ("127.0.0.1", port))
            return at

        yield press


KEY = """() => {
  const at = performance.timeOrigin + performance.now();
  const pressed = { key: "u", code: "KeyU", bubbles: true, cancelable: true };
  document.body.dispatchEvent(new KeyboardEvent("keydown", pressed));
  return at;
}"""
TAP = """() => {
  const at = performance.timeOrigin + performance.now();
  document.querySelector(".face").click();
  return at;
}"""


@contextmanager
def by_page(browser: Browser, served: Served, path: str, act: str, token: str = "") -> Iterator[Press]:
    context = browser.new_context()
    if token:
        cookie = {"name": f"tesoura_device_{served.port}", "value": token, "url": f"http://127.0.0.1:{served.port}"}
        context.add_cookies([cookie])  # type: ignore[list-item]
    page = context.new_page()
    page.goto(f"http://127.0.0.1:{served.port}{path}")
    page.wait_for_selector(".face")
    page.wait_for_timeout(500)
    yield lambda: float(page.evaluate(act))
    context.close()


def presses_of(browser: Browser, served: Served, press: Press, count: list[int]) -> list[float]:
    """Milliseconds from each press until the overlay shows that it was counted."""
    # The count goes on from round to round: the first press brings it to the number before the first sample.
    first = count[0] + 2
    found = latencies(browser, f"http://127.0.0.1:{served.port}/o/{served.token}", lambda _: press(), first)
    count[0] = first + SAMPLES - 1
    return found


def figures_of(mine: list[list[float]], bare: list[float]) -> dict[str, Any]:
    found = [*chain(*mine)]
    return {
        "samples": len(found),
        "p50_ms": round(median(found), 2),
        "p95_ms": round(p95(found), 2),
        "ratio_p50_to_floor": round(median(found) / median(bare), 2),
        "ratio_p95_to_floor": round(p95(found) / p95(bare), 2),
    }


def _presses(browser: Browser) -> dict[str, Any]:
    port, kept = free_port(), list[str]()
    with tesoura(SHOWN, lambda session: kept.append(_prepare(session, port))) as ours, floor() as other:
        token, count, bare = kept[0], [0], list[float]()
        ways: dict[str, Callable[[], Any]] = {
            "device_socket": lambda: by_device(ours, token),
            "osc": lambda: _by_osc(port),
            "desk_key": lambda: by_page(browser, ours, "/", KEY),
            "phone_page": lambda: by_page(browser, ours, "/phone/", TAP, token),
        }
        found: dict[str, list[list[float]]] = {name: [] for name in ways}
        for turn in range(ROUNDS):
            for name, way in ways.items():
                with way() as press:
                    found[name].append(presses_of(browser, ours, press, count))
            bare += of_floor(browser, other, 1, 1 + turn * (SAMPLES + 10))
        floors = {"floor_p50_ms": round(median(bare), 2), "floor_p95_ms": round(p95(bare), 2)}
        return {
            **floors,
            "goal": "p95 at most 1.5 of the floor's, and one commit",
            **{name: figures_of(one, bare) for name, one in found.items()},
        }


_SHIFTS = """() => {
  window.shifted = 0;
  const note = (list) => { for (const one of list.getEntries()) window.shifted += one.value; };
  new PerformanceObserver(note).observe({ type: "layout-shift" });
}"""


def _busy(browser: Browser) -> dict[str, Any]:
    """The main thread's part of the time with sixty buttons and ten changes a second, and how much its layout moved."""
    port, kept = free_port(), list[str]()
    with tesoura(SHOWN, lambda session: kept.append(_prepare(session, port, BUTTONS))) as ours:
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"http://127.0.0.1:{ours.port}/")
        page.wait_for_timeout(2_000)
        page.evaluate(_SHIFTS)
        cdp = page.context.new_cdp_session(page)
        cdp.send("Performance.enable")
        with by_device(ours, kept[0]) as press:
            before, began = task_s(cdp), time.monotonic()
            while time.monotonic() - began < WATCHED_S:
                press()
                page.wait_for_timeout(1000 / CHANGES_A_SECOND)
            part = (task_s(cdp) - before) / (time.monotonic() - began)
        shifted = float(page.evaluate("window.shifted"))
        page.close()
        return {
            "buttons": BUTTONS,
            "changes_a_second": CHANGES_A_SECOND,
            "main_thread_pct": round(100 * part, 1),
            "goal_pct": 15,
            "layout_shift": round(shifted, 4),
        }


def task_s(cdp: Any) -> float:
    metrics = cdp.send("Performance.getMetrics")["metrics"]
    return float(next(one["value"] for one in metrics if one["name"] == "TaskDuration"))


def _crowd(session: Session) -> None:
    now = wall_clock()
    _prepare(session, free_port(), BUTTONS)
    for number in range(CUES):
        typed = {
            "title": f"Cue {number}",
            "when": "event",
            "event": f"gift_{number}",
            "do_1": "set",
            "signal_1": "script.x",
            "value_of_1": "1",
        }
        computed.keep(session, None, "cue", f"cue_{number}", fill(KINDS["cue"].fields, typed).choices, now)
    for number in range(INSTRUMENTS):
        typed = {"title": f"Countdown {number}", "length": "9 min"}
        choices = fill(KINDS["countdown"].fields, typed).choices
        computed.keep(session, None, "countdown", f"countdown_{number}", choices, now)
    for number in range(OVERLAYS):
        overlays.new_overlay(session, f"Overlay {number}", SHOWN, now)


def _paint(browser: Browser) -> dict[str, Any]:
    """Milliseconds to the first paint of a desk with much on it, the fastest of five loads and the median."""
    with tesoura(SHOWN, _crowd) as ours:
        found = [_first_paint(browser.new_page(viewport={"width": 1280, "height": 800}), ours) for _ in range(5)]
    return {
        "cues": CUES,
        "instruments": INSTRUMENTS,
        "overlays": OVERLAYS,
        "first_paint_ms": round(median(found)),
        "fastest_ms": round(min(found)),
        "goal_ms": 400,
    }


def _first_paint(page: Page, served: Served) -> float:
    page.goto(f"http://127.0.0.1:{served.port}/")
    page.wait_for_function("performance.getEntriesByName('first-contentful-paint').length")
    at = float(page.evaluate("performance.getEntriesByName('first-contentful-paint')[0].startTime"))
    page.close()
    return at


def measure() -> dict[str, Any]:
    """All three."""
    chromium = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        figures = {"presses": _presses(browser), "busy": _busy(browser), "first_paint": _paint(browser)}
        browser.close()
    return figures
