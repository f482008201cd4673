"""The studio: the fit check, an overlay of thirty pieces that all change, its first paint, and dragging on the mat."""

from __future__ import annotations

import itertools
import shutil
import time
from collections.abc import Callable
from statistics import median, quantiles
from typing import Any

import httpx
from playwright.sync_api import Browser, Page, sync_playwright

from benchmarks.processes import Served, tesoura
from tesoura.core.overlays.document import Overlay, Piece, new_piece
from tesoura.core.overlays.fit.check import check
from tesoura.core.overlays.fit.placement import Surroundings
from tesoura.core.overlays.shipped_looks import SHIPPED
from tesoura.studio.font_metrics import Faces, read_cut

PIECES, SCENES = 30, ("Play", "Talk", "Break", "Draw", "End")
CHANGES_A_SECOND, SECONDS = 20, 10
FRAME_MS = 1000 / 60
LOOKS = tuple(SHIPPED)
KINDS = ("text", "text", "slots", "bar", "ring", "text")
CHANGES = ("roll", "count", "slide", "flash", "plain")


def _piece(number: int) -> Piece:
    kind, across, down = KINDS[number % len(KINDS)], number % 6, number // 6
    look, change = LOOKS[number % len(LOOKS)], CHANGES[number % len(CHANGES)]
    place: dict[str, Any] = {
        "x": 20 + across * 316,
        "y": 20 + down * 210,
        "look": look,
        "size_px": 34,
        "change": change,
    }
    own: dict[str, dict[str, Any]] = {
        "text": {"wording": f"{{kill.n:,}} kites {number}", "nothing_yet": "0"},
        "slots": {"width_px": 290, "height_px": 110, "value_1": "{kill.n}", "value_2": "{kill.m}", "nothing_yet": "0"},
        "bar": {"width_px": 290, "height_px": 90, "value": "kill.m", "high": "100", "figure": "{kill.n:,}"},
        "ring": {"width_px": 150, "height_px": 150, "value": "kill.m", "high": "100", "figure": "{kill.m}"},
    }
    piece = new_piece(kind, f"p{number}", **place, **own[kind])
    for at, scene in enumerate(SCENES, 1):
        piece = piece.changed(
            {"x": 20 + (across * 316 + at * 60) % 1600, "look": LOOKS[(number + at) % len(LOOKS)]}, scene
        )
    return piece


def _overlay() -> Overlay:
    return Overlay(pieces=tuple(_piece(number) for number in range(PIECES)), looks=SHIPPED)


def _fit() -> dict[str, Any]:
    """Milliseconds for a whole check: the first time, typefaces read anew, and when they are known."""
    overlay = _overlay()
    states = {"now": "1,284 kites", "grown": "12,840 kites", "longest": "128,400 kites", "last": "0"}
    texts = {
        piece.id: {
            state: {words.part: told for words in piece.kind_of.words(piece.choices)} | {"": told}
            for state, told in states.items()
        }
        for piece in overlay.pieces
    }
    read_cut.cache_clear()
    faces, took = Faces(), []
    for _ in range(21):
        around = Surroundings(texts, faces, SHIPPED, scenes=SCENES)
        began = time.perf_counter()
        found = check(overlay, around)
        took.append((time.perf_counter() - began) * 1000)
    return {
        "pieces": PIECES,
        "scenes": len(SCENES) + 1,
        "findings": len(found),
        "first_ms": round(took[0], 1),
        "known_typefaces_ms": round(median(took[1:]), 1),
        "goal_ms": 200,
    }


FRAMES = """seconds => { window.measured = new Promise((done) => {
  const times = [];
  const end = performance.now() + seconds * 1000;
  const frame = (now) => { times.push(now); if (now < end) requestAnimationFrame(frame); else done(times); };
  requestAnimationFrame(frame);
}); }"""


def _told(times: list[float], share: float) -> dict[str, float]:
    gaps = [later - earlier for earlier, later in itertools.pairwise(times)]
    missed = sum(max(round(gap / FRAME_MS) - 1, 0) for gap in gaps)
    return {
        "frames": len(gaps),
        "dropped_share": round(missed / (missed + len(gaps)), 4),
        "gap_p95_ms": round(quantiles(gaps, n=20)[-1], 1),
        "main_thread_share": round(share, 3),
    }


def _frames(page: Page, meanwhile: Callable[[], None]) -> dict[str, float]:
    """The frames of a page while something happens, and the share of the time that its main thread was busy."""
    session = page.context.new_cdp_session(page)
    session.send("Performance.enable")

    def busy() -> float:
        metrics = session.send("Performance.getMetrics")["metrics"]
        return float(next(one["value"] for one in metrics if one["name"] == "TaskDuration"))

    page.evaluate(FRAMES, SECONDS)
    before, began = busy(), time.perf_counter()
    meanwhile()
    share = (busy() - before) / (time.perf_counter() - began)
    return _told(page.evaluate("window.measured"), share)


def _overlay_page(browser: Browser, served: Served) -> dict[str, Any]:
    page = browser.new_page(viewport={"width": 1920, "height": 1080})
    page.goto(f"http://127.0.0.1:{served.port}/o/{served.token}")
    page.wait_for_timeout(1_000)
    paints = dict(page.evaluate("performance.getEntriesByType('paint').map((one) => [one.name, one.startTime])"))
    head = {"Authorization": f"Bearer {served.key}"}
    client = httpx.Client(base_url=f"http://127.0.0.1:{served.port}", headers=head, trust_env=False)

    def changes() -> None:
        began = time.perf_counter()
        for number in range(CHANGES_A_SECOND * SECONDS):
            time.sleep(max(began + number / CHANGES_A_SECOND - time.perf_counter(), 0))
            client.post("/api/events", json={"type": "kill", "data": {"n": 1_000 + number * 7, "m": number % 100}})

    still = _frames(page, lambda: time.sleep(SECONDS))
    moving = _frames(page, changes)
    page.close()
    return {
        "pieces": PIECES,
        "changes_a_second": CHANGES_A_SECOND,
        "moving": moving,
        "floor_still": still,
        "first_paint_ms": round(paints["first-paint"], 1),
    }


LATENCY = """() => {
  window.latencies = [];
  addEventListener("pointermove", (event) => requestAnimationFrame(() => {
    const channel = new MessageChannel();
    channel.port1.onmessage = () => window.latencies.push(performance.now() - event.timeStamp);
    channel.port2.postMessage(0);
  }), true);
}"""
BARE = """<body style="margin:0">
<div id="one" style="position:absolute;width:200px;height:60px;background:#2F6B5E"></div>
<script>addEventListener("pointermove", (e) => {
  one.style.left = e.clientX + "px";
  one.style.top = e.clientY + "px";
});
</script>"""


def _drag(page: Page, x: float, y: float) -> dict[str, float]:
    page.evaluate(LATENCY)
    page.mouse.move(x, y)
    page.mouse.down()
    for step in range(120):
        page.mouse.move(x + step * 3, y + step)
    page.mouse.up()
    told: list[float] = page.evaluate("window.latencies.slice(2)")
    return {"moves": len(told), "p50_ms": round(median(told), 1), "p95_ms": round(quantiles(told, n=20)[-1], 1)}


def _mat(browser: Browser, served: Served) -> dict[str, Any]:
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.goto(f"http://127.0.0.1:{served.port}/overlays/1?piece=p7")
    page.wait_for_selector("#mat[data-ready=yes]")
    page.wait_for_timeout(500)
    box = page.locator('.stage [data-piece="p7"]').bounding_box()
    assert box
    ours = _drag(page, box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.close()
    bare = browser.new_page(viewport={"width": 1280, "height": 800})
    bare.set_content(BARE)
    floor = _drag(bare, 100, 100)
    bare.close()
    return {"pieces": PIECES, "drag": ours, "floor_bare_box": floor}


def chromium() -> str | None:
    """The Chromium to measure with."""
    return shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")


def measure() -> dict[str, Any]:
    """The fit check's time, frames and paint of an overlay of thirty pieces, and the latency of dragging."""
    with sync_playwright() as playwright, tesoura(_overlay()) as served:
        browser = playwright.chromium.launch(executable_path=chromium(), args=["--no-sandbox", "--disable-gpu"])
        overlay, mat = _overlay_page(browser, served), _mat(browser, served)
        browser.close()
    return {"fit_check": _fit(), "overlay_page": overlay, "mat": mat}
