"""A wheel: dropped frames against a bare turning element, where it lands, and whether draws come as they should."""

from __future__ import annotations

import math
import random
import shutil
from collections.abc import Sequence
from datetime import timedelta
from itertools import pairwise
from statistics import NormalDist
from typing import Any

from playwright.sync_api import Browser, Page, sync_playwright
from sqlmodel import Session

from benchmarks.processes import tesoura
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.instruments.wheel.commands import Wheel
from tesoura.core.instruments.wheel.fields import WheelField, in_order
from tesoura.core.instruments.wheel.piece import SIZED
from tesoura.core.instruments.wheel.plan import WheelPlan
from tesoura.core.instruments.wheel.signals import face_of, motion_of
from tesoura.core.instruments.wheel.spin import Spin, spun
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.wheel.draw import chances, drawn
from tesoura.settings import wall_clock
from tesoura.store import computed

FIELDS, TURN_S, ROUNDS = 60, 8, 3
SPINS, AT_ONCE, TIMES_AS_FAST = 1_000, 20, 20
DRAWS = 1_000_000
_FRAMES = """(ms) => new Promise((done) => {
  const times = [];
  const frame = (at) => { times.push(at); if (at - times[0] < ms) requestAnimationFrame(frame); else done(times); };
  requestAnimationFrame(frame);
})"""
_BARE = """<style>
body { background: #7aa0c4 }
#bare { width: 840px; height: 840px; border-radius: 50%; background: conic-gradient(red, blue, red);
  will-change: transform }
</style><div id="bare"></div><script>
bare.animate([{ transform: "none" }, { transform: "rotate(2160deg)" }], { duration: 600000, iterations: Infinity })
</script>"""
_LAND = """async ({ spins }) => {
  const wheel = await import("/static/js/pieces/wheel.js");
  const first = document.querySelector(".piece");
  const all = spins.map((spin, at) => {
    const piece = document.querySelectorAll(".piece")[at] ?? first.parentElement.appendChild(first.cloneNode(true));
    piece.hidden = false;
    const [face, motion] = ["face", "motion"].map((one) => piece.querySelector(`[data-draws=${one}]`));
    wheel.draw(face, spin.face);
    wheel.draw(motion, JSON.stringify({ ...JSON.parse(spin.motion), at: Date.now() }));
    return piece.querySelector(".t-wheel");
  });
  const landed = () => all.every((one) => one.classList.contains("has-come"));
  while (!landed()) await new Promise((done) => setTimeout(done, 20));
  return all.map((one) => {
    const { a, b } = new DOMMatrix(getComputedStyle(one.querySelector(".t-wheel-turns")).transform);
    const share = ((-Math.atan2(b, a) / (2 * Math.PI)) % 1 + 1) % 1;
    return one.fields.find((each) => share < each.edge).words;
  });
}"""


def _fields(chance: random.Random, count: int) -> tuple[WheelField, ...]:
    weights = [chance.choice((1_000_000, 1_000_000, 300_000, 2_500_000, 0)) for _ in range(count)]
    weights[0] = 1_000_000
    return in_order([WheelField(f"i{at}", f"field {at}", weight) for at, weight in enumerate(weights)])


def _told(spin: Spin) -> dict[str, str]:
    wheel = Wheel(WheelPlan("tea", "Tea"), spin.fields)
    return {"face": face_of(wheel, spin) or "", "motion": motion_of(wheel, spin)}


def _landings(page: Page) -> dict[str, Any]:
    """How many of a thousand spins do not land on the field that was drawn, at twenty times the speed."""
    chance, wrong = random.Random(3), 0
    plan = WheelPlan("tea", "Tea", TURN_S / TIMES_AS_FAST, hold=timedelta(hours=1))
    spins, angle = [], 0.0
    for number in range(1, SPINS + 1):
        fields = _fields(chance, chance.randrange(2, 61))
        weights = tuple(one.weight for one in fields)
        spin = spun(plan, number, chance.randbytes(32).hex(), fields, weights, "", wall_clock(), angle)
        spins.append(spin)
        angle = spin.turning().end % 1.0
    for several in (spins[at : at + AT_ONCE] for at in range(0, SPINS, AT_ONCE)):
        found = page.evaluate(_LAND, {"spins": [_told(one) for one in several]})
        wrong += sum(words != one.field.words for words, one in zip(found, several, strict=True))
    return {"spins": SPINS, "times_as_fast": TIMES_AS_FAST, "wrong": wrong, "goal": 0}


def _dropped(times: Sequence[float]) -> tuple[int, int]:
    """How many frames were dropped, and how many there would have been, at sixty a second."""
    gaps = [after - before for before, after in pairwise(times)]
    dropped = sum(max(round(gap / (1000 / 60)) - 1, 0) for gap in gaps)
    return dropped, dropped + len(gaps)


def _frames(browser: Browser, page: Page) -> dict[str, Any]:
    """Dropped frames of a wheel of sixty fields that turns, and of a bare element that does, one after the other."""
    chance, counts = random.Random(4), {"wheel": [0, 0], "bare": [0, 0]}
    fields = tuple(WheelField(f"i{at}", f"field number {at}", 1_000_000) for at in range(FIELDS))
    plan = WheelPlan("tea", "Tea", TURN_S, 6, hold=timedelta(hours=1))

    def count(name: str, one: Page) -> None:
        dropped, of = _dropped(one.evaluate(_FRAMES, (TURN_S - 1) * 1000))
        counts[name][0] += dropped
        counts[name][1] += of

    for number in range(1, ROUNDS + 1):
        spin = spun(plan, number, chance.randbytes(32).hex(), fields, (1_000_000,) * FIELDS, "", wall_clock(), 0.0)
        page.evaluate(_START, _told(spin))
        count("wheel", page)
        # Each is measured while nothing else moves.
        page.wait_for_timeout(2_000)
        bare = browser.new_page(viewport={"width": 1920, "height": 1080})
        bare.set_content(_BARE)
        count("bare", bare)
        bare.close()
    shares = {name: round(100 * dropped / of, 2) for name, (dropped, of) in counts.items()}
    return {
        "fields": FIELDS,
        "turned_s": ROUNDS * TURN_S,
        "dropped_pct": shares["wheel"],
        "bare_dropped_pct": shares["bare"],
        "goal_pct": 2,
    }


_START = """async ({ face, motion }) => {
  const wheel = await import("/static/js/pieces/wheel.js");
  const piece = document.querySelector(".piece");
  piece.hidden = false;
  wheel.draw(piece.querySelector("[data-draws=face]"), face);
  await document.fonts.ready;
  wheel.draw(piece.querySelector("[data-draws=motion]"), JSON.stringify({ ...JSON.parse(motion), at: Date.now() }));
}"""


def _draws() -> dict[str, Any]:
    """A million draws against their chances: chi-square, and how likely one as large is by chance alone."""
    weights = (*[1_000_000] * 9, 300_000)
    counts, chance = [0] * len(weights), random.Random(2_026)
    for number in range(DRAWS):
        counts[drawn(chance.randbytes(32), number, weights)] += 1
    wanted = [float(one) * DRAWS for one in chances(weights)]
    square = sum((had - want) ** 2 / want for had, want in zip(counts, wanted, strict=True))
    return {
        "draws": DRAWS,
        "chi_square": round(square, 2),
        "p": round(_tail(square, len(weights) - 1), 4),
        "goal": "p over 0.001",
    }


def _tail(square: float, degrees: int) -> float:
    """How likely a chi-square is at least so large (Wilson and Hilferty, 1931)."""
    spread = 2 / (9 * degrees)
    return 1 - NormalDist().cdf(((square / degrees) ** (1 / 3) - (1 - spread)) / math.sqrt(spread))


def _prepare(session: Session) -> None:
    choices = fill(KINDS["wheel"].fields, {"title": "Tea"}).choices
    computed.keep(session, None, "wheel", "tea", choices, wall_clock())


def measure() -> dict[str, Any]:
    """All three."""
    chromium = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
    piece = new_piece("wheel", "wheel", wheel="tea", when="always", x=540, y=90, **SIZED["plate"])
    with sync_playwright() as playwright, tesoura(Overlay(pieces=(piece,)), _prepare) as ours:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        page = browser.new_page(viewport={"width": 1920, "height": 1080})
        page.goto(f"http://127.0.0.1:{ours.port}/o/{ours.token}")
        page.wait_for_timeout(500)
        figures = {"frames": _frames(browser, page), "landings": _landings(page), "draws": _draws()}
        browser.close()
    return figures
