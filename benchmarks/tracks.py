"""Music: from a song's change at the player to the card's DOM, a cover's colours, what a card costs while it plays."""

from __future__ import annotations

import io
import json
import os
import random
import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import replace
from statistics import median
from typing import Any

from PIL import Image
from playwright.sync_api import Browser, Page, sync_playwright
from sqlmodel import Session
from websockets.sync.client import connect

from benchmarks.live import p95
from benchmarks.processes import Served, floor, tesoura
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.tracks.palette import palette, tint
from tesoura.links.registry import KINDS as CONNECTIONS
from tesoura.settings import wall_clock
from tesoura.standins.bus import MessageBusServer
from tesoura.standins.covers import COVERS
from tesoura.standins.mpris import MprisPlayer
from tesoura.standins.music import PLAYLIST, MusicPlayer
from tesoura.store import computed, feeds
from tesoura.uploads.covers import small_cover

CHANGES, ROUNDS, GAP_S = 40, 2, 1.1
"""A change that follows another within a second waits on purpose: so they are further apart."""
WATCHED_S, EVERY_S = int(os.environ.get("WATCHED_S", "60")), 6
"""For so many seconds a card is watched; another length by the environment: `WATCHED_S=3600 make bench ARGS=tracks`."""
COVERED = 40
_WATCH = """() => {
  window.seen = {};
  const title = document.querySelector(".t-song-title .t-run-words");
  const note = () => { window.seen[title.textContent] ??= performance.timeOrigin + performance.now(); };
  new MutationObserver(note).observe(title, { subtree: true, childList: true, characterData: true });
}"""
_WATCH_FLOOR = _WATCH.replace(".t-song-title .t-run-words", ".piece")
_ERROR = """() => {
  const bar = document.querySelector(".t-song-bar .t-fill");
  return new DOMMatrix(getComputedStyle(bar).transform).a;
}"""


def _overlay() -> Overlay:
    moves = {"change": "plain", "motion_ms": 0, "travel": "on", "time": "position"}
    return Overlay(pieces=(new_piece("song_card", "song", now_playing="music", **moves),))


def _prepare(session: Session, kind: str, typed: dict[str, str]) -> None:
    now = wall_clock()
    feeds.add_feed(session, "player", "Player", kind, dict(fill(CONNECTIONS[kind].fields, typed).choices), now)
    choices = fill(KINDS["now_playing"].fields, {"title": "Music"}).choices
    computed.keep(session, None, "now_playing", "music", choices, now)


def _tesoura(kind: str, typed: dict[str, str]) -> AbstractContextManager[Served]:
    return tesoura(_overlay(), lambda session: _prepare(session, kind, typed))


@contextmanager
def _by_socket() -> Iterator[tuple[MusicPlayer, Callable[[], None], str, dict[str, str]]]:
    player = MusicPlayer(songs=_songs())
    player.start()
    player.play(0)
    yield player, lambda: None, "music", {"address": player.socket_address}
    player.stop()


@contextmanager
def _by_mpris() -> Iterator[tuple[MusicPlayer, Callable[[], None], str, dict[str, str]]]:
    bus, player = MessageBusServer(), MusicPlayer(songs=_songs())
    bus.start()
    player.play(0)
    here = MprisPlayer(bus.address, player)
    here.start()
    yield player, here.tell, "mpris", {"bus": bus.address}
    here.stop()
    bus.stop()


def _songs() -> tuple[Any, ...]:
    return tuple(replace(PLAYLIST[number % 4], title=f"Song {number}", cover="") for number in range(CHANGES + 1))


def _changes(browser: Browser, served: Served, player: MusicPlayer, tell: Callable[[], None]) -> list[float]:
    """Milliseconds from each change at the player until the card says the new title."""
    page = browser.new_page()
    page.goto(f"http://127.0.0.1:{served.port}/o/{served.token}")
    page.wait_for_function("document.querySelector('.t-song-title')?.textContent.trim() !== ''")
    page.evaluate(_WATCH)
    sent = {}
    for number in range(1, CHANGES + 1):
        time.sleep(GAP_S)
        sent[f"Song {number}"] = time.time() * 1000
        player.play(number)
        tell()
    page.wait_for_function("text => window.seen[text]", arg=f"Song {CHANGES}")
    seen = page.evaluate("window.seen")
    page.close()
    return [seen[title] - at for title, at in sent.items() if title in seen]


def _of_floor(browser: Browser, served: Served, first: int) -> list[float]:
    """Milliseconds from a message to the bare server to its number on the page, at the same pace."""
    page = browser.new_page()
    page.goto(f"http://127.0.0.1:{served.port}/")
    page.evaluate(_WATCH_FLOOR)
    sent = {}
    with connect(f"ws://127.0.0.1:{served.port}/live") as producer:
        for number in range(first, first + CHANGES):
            time.sleep(GAP_S)
            sent[str(number)] = time.time() * 1000
            producer.send(json.dumps({"kind": "patch", "seq": number, "values": {"n": str(number)}}))
            producer.recv()
    page.wait_for_function("text => window.seen[text]", arg=str(first + CHANGES - 1))
    seen = page.evaluate("window.seen")
    page.close()
    return [seen[text] - at for text, at in sent.items() if text in seen]


def _latency(browser: Browser) -> dict[str, Any]:
    found: dict[str, Any] = {"goal_ratio_p95": 1.5}
    with floor() as bare:
        for name, way in (("websocket", _by_socket), ("mpris", _by_mpris)):
            mine: list[float] = []
            floors: list[float] = []
            for turn in range(ROUNDS):
                with way() as (player, tell, kind, typed), _tesoura(kind, typed) as ours:
                    mine += _changes(browser, ours, player, tell)
                floors += _of_floor(browser, bare, 1_000 * (1 + turn + ROUNDS * (name == "mpris")))
            found[name] = {
                "changes": len(mine),
                "p50_ms": round(median(mine), 2),
                "p95_ms": round(p95(mine), 2),
                "floor_p95_ms": round(p95(floors), 2),
                "ratio_p95": round(p95(mine) / p95(floors), 2),
            }
    return found


def _colours() -> dict[str, Any]:
    """A cover of 300 × 300 pixels of noise, the worst there is: from its bytes to the colours of a card."""
    chance = random.Random(7)
    noise = Image.frombytes("RGB", (300, 300), chance.randbytes(300 * 300 * 3))
    out = io.BytesIO()
    noise.save(out, "PNG")
    whole, colours = [], []
    for _ in range(COVERED):
        began = time.perf_counter()
        _, pixels = small_cover(out.getvalue())
        read = time.perf_counter()
        tint(palette(pixels))
        ended = time.perf_counter()
        whole.append((ended - began) * 1000)
        colours.append((ended - read) * 1000)
    return {
        "palette_ms_p50": round(median(colours), 1),
        "palette_ms_p95": round(p95(colours), 1),
        "with_reading_ms_p95": round(p95(whole), 1),
        "goal_ms": 30,
    }


def _playing(browser: Browser) -> dict[str, Any]:
    """A card while songs come and go: the main thread's part, memory, how far the bar is from the player's place."""
    with _by_socket() as (player, _, kind, typed):
        player.songs = tuple(replace(one, cover=name) for one, name in zip(player.songs, [*COVERS] * 11, strict=False))
        with _tesoura(kind, typed) as ours:
            page = browser.new_page(viewport={"width": 1920, "height": 1080})
            page.goto(f"http://127.0.0.1:{ours.port}/o/{ours.token}")
            page.wait_for_timeout(2_000)
            cdp = page.context.new_cdp_session(page)
            cdp.send("Performance.enable")
            before, began, errors, heaps = _metrics(cdp), time.monotonic(), [], []
            changes = 0
            while (gone := time.monotonic() - began) < WATCHED_S:
                if gone > (changes + 1) * EVERY_S:
                    changes += 1
                    player.play(changes)
                    cdp.send("HeapProfiler.collectGarbage")
                    heaps.append(_metrics(cdp)["JSHeapUsedSize"] / 1e6)
                page.wait_for_timeout(900)
                errors.append(_error_ms(page, player))
            after = _metrics(cdp)
            page.close()
    part = (after["TaskDuration"] - before["TaskDuration"]) / WATCHED_S
    return {
        "watched_s": WATCHED_S,
        "songs": changes,
        "main_thread_pct": round(100 * part, 2),
        "goal_pct": 3,
        "heap_mb_first": round(heaps[0], 2),
        "heap_mb_last": round(heaps[-1], 2),
        "place_off_ms_p95": round(p95(errors)),
        "place_off_ms_most": round(max(errors)),
        "goal_off_ms": 200,
    }


def _error_ms(page: Page, player: MusicPlayer) -> float:
    """How far the bar is from the player's place; asking takes time, so the middle of it counts."""
    first = player.position_s()
    share = float(page.evaluate(_ERROR))
    middle = (first + player.position_s()) / 2
    return abs(share * player.song.length_s - middle) * 1000


def _metrics(cdp: Any) -> dict[str, float]:
    return {one["name"]: float(one["value"]) for one in cdp.send("Performance.getMetrics")["metrics"]}


def measure() -> dict[str, Any]:
    """All three."""
    chromium = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        figures = {"change_to_card": _latency(browser), "colours": _colours(), "playing": _playing(browser)}
        browser.close()
    return figures
