"""Replays: how soon a clip is seen, what making one anew costs, dropped frames, a full shelf, and memory.

`REPLAYS_ONLY=shelf` in the environment runs one of its parts, `REPLAYS_EVENTS=200` posts so many events a second.
"""

from __future__ import annotations

import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import httpx
from PIL import Image, ImageChops
from playwright.sync_api import Browser, Page, sync_playwright
from sqlmodel import Session

from benchmarks.processes import Served, tesoura
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.feeds.clips import KIND as CLIP_FOLDER
from tesoura.settings import wall_clock
from tesoura.store import clips, computed, feeds, state
from tesoura.store.tables import ClipRow

ROUNDS, SECONDS = 24, 20
EVENTS, CONNECTIONS, POSTED_S = int(os.environ.get("REPLAYS_EVENTS", "1000")), 32, 20.0
SHELF, OPENED = 2_000, 30
REPLAYS, WARM = 500, 50
PLAYED_S, PLAYED_TIMES = 10, 3
_SEEN = """() => new Promise((done) => {
  const piece = document.querySelector(".t-replay");
  const look = () => {
    const video = piece.querySelector("video.is-seen");
    if (video) video.requestVideoFrameCallback(() => done(Date.now())); else setTimeout(look, 4);
  };
  look();
})"""
_GONE = """() => new Promise((done) => {
  const look = () => document.querySelector(".t-replay video.is-seen") ? setTimeout(look, 10) : done(true);
  look();
})"""
_BARE = """(source) => {
  const video = Object.assign(document.createElement("video"), { src: source, muted: true });
  video.style.cssText = "width:760px;height:440px";
  document.body.replaceChildren(video);
  return video.play();
}"""
_DROPPED = """(which) => new Promise((done) => {
  const look = () => {
    const video = document.querySelector(which);
    if (!video || video.currentTime < 1) return setTimeout(look, 20);
    const begun = video.getVideoPlaybackQuality();
    setTimeout(() => {
      const { totalVideoFrames, droppedVideoFrames } = video.getVideoPlaybackQuality();
      done([droppedVideoFrames - begun.droppedVideoFrames, totalVideoFrames - begun.totalVideoFrames]);
    }, 7000);
  };
  look();
})"""


def _film(path: Path, seconds: int, fps: int, size: tuple[int, int], codec: str) -> Path:
    """A film in which all moves: a shape over grain, thirty pictures again and again."""
    width, height = size
    grain = Image.merge("RGB", [Image.effect_noise(size, spread) for spread in (60, 40, 50)])
    pictures = []
    for at in range(30):
        picture = ImageChops.offset(grain, at * 7, at)
        left = at * 40 % (width - 200)
        picture.paste((200, 60, at * 8), (left, height // 3, left + 200, height // 3 + 200))
        pictures.append(av.VideoFrame.from_image(picture).reformat(format="yuv420p"))
    with av.open(str(path), "w") as film:
        stream: Any = film.add_stream(codec, rate=fps)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        stream.bit_rate, stream.gop_size = 12_000_000, fps * 2
        stream.time_base = stream.codec_context.time_base = Fraction(1, fps)
        if codec == "libx264":
            stream.options = {"preset": "ultrafast"}
        for at in range(seconds * fps):
            frame = pictures[at % len(pictures)]
            frame.pts, frame.time_base = at, Fraction(1, fps)
            film.mux(stream.encode(frame))
        film.mux(stream.encode(None))
    return path


def _replays(session: Session, folder: Path, **more: Any) -> None:
    choices = {
        "title": "Again",
        "source": "film",
        "kills": "1",
        "within_s": "1",
        "before_s": "18",
        "after_s": "2",
        "most_s": "20",
        "shown": "at once",
        "gap_s": "0",
        "slow_pct": "100",
        "caption": "",
        "sound": "none",
        **more,
    }
    computed.keep(session, None, "replay", "again", fill(KINDS["replay"].fields, choices).choices, wall_clock())
    state.choose(session, "folders", json.dumps([str(folder)]))
    filled = fill(CLIP_FOLDER.fields, {"path": str(folder)}).choices
    feeds.add_feed(session, "film", "Film", "clips", filled, wall_clock())


def _overlay() -> Overlay:
    return Overlay(pieces=(new_piece("replay", "r", replays="again", x=1100, y=60, width_px=760, height_px=440),))


@contextmanager
def _running(folder: Path, **more: Any) -> Iterator[tuple[Served, httpx.Client]]:
    with tesoura(_overlay(), lambda session: _replays(session, folder, **more)) as ours:
        heads = {"Authorization": f"Bearer {ours.key}"}
        address = f"http://127.0.0.1:{ours.port}"
        with httpx.Client(base_url=address, headers=heads, trust_env=False, timeout=60) as client:
            yield ours, client


def _opened(browser: Browser, ours: Served) -> Page:
    page = browser.new_page(viewport={"width": 1920, "height": 1080})
    page.goto(f"http://127.0.0.1:{ours.port}/o/{ours.token}")
    page.wait_for_timeout(1_000)
    return page


def _percent(times: Sequence[float], share: float) -> float:
    return sorted(times)[min(int(len(times) * share), len(times) - 1)]


def _first_frame(browser: Browser, made_in: Path) -> dict[str, Any]:
    """From a clip's file lying in its folder to its first picture on the overlay."""
    took, copied = list[float](), list[float]()
    film = _film(made_in / "film.mp4", SECONDS + 4, 60, (1920, 1080), "libx264")
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        with _running(folder) as (ours, client):
            page = _opened(browser, ours)
            for number in range(ROUNDS):
                at = datetime.now(UTC) - timedelta(seconds=2.5)
                began = time.perf_counter()
                shutil.copyfile(film, folder / f".{number}")
                copied.append(time.perf_counter() - began)
                kill = {"type": "kill", "time": at.isoformat(), "id": str(number), "data": {}}
                client.post("/api/events", json=kill).raise_for_status()
                # It is asked for, and waited for, before it comes.
                page.wait_for_timeout(1_500)
                os.utime(folder / f".{number}")
                here = time.time()
                (folder / f".{number}").rename(folder / f"{number}.mp4")
                took.append(page.evaluate(_SEEN) / 1000 - here)
                client.post("/api/instruments/again/put_away")
                page.evaluate(_GONE)
            page.close()
    p95, copy = _percent(took, 0.95), statistics.median(copied)
    return {
        "film": "1080p60 H.264, cut on packets",
        "seconds": SECONDS,
        "megabytes": round(film.stat().st_size / 1e6, 1),
        "rounds": ROUNDS,
        "p50_s": round(statistics.median(took), 2),
        "p95_s": round(p95, 2),
        "goal_p95_s": 1.5,
        "copying_the_file_s": round(copy, 3),
        "ratio_to_copying": round(p95 / copy, 1),
    }


def _posted(ours: Served) -> dict[str, Any]:
    words = [str(ours.port), ours.key, str(EVENTS), str(POSTED_S), str(CONNECTIONS), "1"]
    said = subprocess.run(
        [sys.executable, "-m", "benchmarks.poster", *words], stdout=subprocess.PIPE, check=True
    ).stdout
    return dict(json.loads(said))


def _made_anew(folder: Path) -> dict[str, Any]:
    """How fast a clip that no browser plays is made anew, alone and while events come in, and what that costs them."""
    film = _film(folder / "old.mp4", 8, 30, (1280, 720), "mpeg4")
    with _running(folder) as (ours, client):

        def sent() -> float:
            began = time.perf_counter()
            client.post("/api/clips", content=film.read_bytes(), timeout=600).raise_for_status()
            return time.perf_counter() - began

        alone_s = sent()
        quiet = _posted(ours)
        busy, done = list[float](), threading.Event()

        def again() -> None:
            while not done.is_set():
                busy.append(sent())

        thread = threading.Thread(target=again)
        thread.start()
        loud = _posted(ours)
        done.set()
        thread.join()
    return {
        "film": "8 s of 720p30 MPEG-4 to VP9",
        "times_real_time_alone": round(8 / alone_s, 2),
        "times_real_time_with_events": round(8 / statistics.median(busy), 2),
        "events_per_s": EVENTS,
        "p99_ms_without": quiet["p99_ms"],
        "p99_ms_with": loud["p99_ms"],
        "p99_ratio": round(loud["p99_ms"] / quiet["p99_ms"], 2),
        "goal_ratio": 2,
        "lost": EVENTS * POSTED_S - loud["accepted"],
    }


def _dropped(browser: Browser, folder: Path) -> dict[str, Any]:
    """Dropped frames of a clip that is seen twice as close, and of the same in a bare video element."""
    film = _film(folder / "steady.mp4", PLAYED_S, 30, (1920, 1080), "libx264")
    counts = {"replay": [0, 0], "bare": [0, 0]}

    def add(name: str, found: Sequence[int]) -> None:
        counts[name] = [one + more for one, more in zip(counts[name], found, strict=True)]

    with _running(folder, closer_pct="200") as (ours, client):
        page = _opened(browser, ours)
        for _ in range(PLAYED_TIMES):
            sent = client.post("/api/clips", content=film.read_bytes(), params={"show": "again"}).json()
            add("replay", page.evaluate(_DROPPED, ".t-replay video.is-seen"))
            client.post("/api/instruments/again/put_away")
            page.evaluate(_GONE)
            bare = browser.new_page(viewport={"width": 1920, "height": 1080})
            bare.goto(f"http://127.0.0.1:{ours.port}/api/openapi.json")
            bare.evaluate(_BARE, sent["file"])
            add("bare", bare.evaluate(_DROPPED, "video"))
            bare.close()
        page.close()
    shares = {name: round(100 * dropped / of, 2) for name, (dropped, of) in counts.items()}
    return {
        "film": "1080p30 H.264, seen twice as close",
        "frames": counts["replay"][1],
        "dropped_pct": shares["replay"],
        "bare_dropped_pct": shares["bare"],
        "goal_pct": 2,
    }


def _shelf() -> dict[str, Any]:
    """How long the page of the shelf takes with many clips, and with none."""

    def opened(many: int) -> list[float]:
        def prepare(session: Session) -> None:
            now = wall_clock()
            for at in range(many):
                when = now - timedelta(minutes=at)
                clips.add(
                    session,
                    ClipRow(
                        file=f"{at:032x}.mp4",
                        type="video/mp4",
                        title=f"{at % 5 + 2} cuts in {at % 9 + 1} s",
                        at=when,
                        made_at=when,
                        length=12_000_000,
                        kills=[3_000_000],
                        parts=[[0, 12_000_000]],
                        size=9_000_000,
                        instrument="again",
                        session_at=now - timedelta(days=at // 40),
                        figures={"match_kills": at % 20},
                    ),
                )

        with tesoura(prepare=prepare) as ours, httpx.Client(trust_env=False, timeout=60) as client:
            found = []
            for _ in range(OPENED):
                began = time.perf_counter()
                client.get(f"http://127.0.0.1:{ours.port}/clips").raise_for_status()
                found.append((time.perf_counter() - began) * 1000)
            return found

    full, empty = opened(SHELF), opened(0)
    return {
        "clips": SHELF,
        "p50_ms": round(statistics.median(full), 1),
        "p95_ms": round(_percent(full, 0.95), 1),
        "goal_ms": 200,
        "empty_p50_ms": round(statistics.median(empty), 1),
        "ratio_to_empty": round(statistics.median(full) / statistics.median(empty), 2),
    }


def _memory(browser: Browser, folder: Path) -> dict[str, Any]:
    """What Tesoura, its process for clips, and the overlay's page hold after many replays more than after a few."""
    with _running(folder) as (ours, client):
        page = _opened(browser, ours)
        tools = page.context.new_cdp_session(page)

        def held() -> dict[str, float]:
            tools.send("HeapProfiler.collectGarbage")
            page.wait_for_timeout(500)
            used = tools.send("Runtime.getHeapUsage")["usedSize"]
            nodes = tools.send("Memory.getDOMCounters")["nodes"]
            return {"tesoura_mb": ours.memory_mb, "page_heap_mb": used / 1e6, "page_nodes": nodes}

        before: dict[str, float] = {}
        for number in range(REPLAYS):
            client.post("/api/instruments/again/try_it").raise_for_status()
            page.evaluate(_SEEN)
            client.post("/api/instruments/again/put_away").raise_for_status()
            page.evaluate(_GONE)
            if number + 1 == WARM:
                before = held()
        after = held()
        page.close()
    return {
        "replays": REPLAYS,
        **{f"{name}_after_{WARM}": round(one, 1) for name, one in before.items()},
        **{f"{name}_after_{REPLAYS}": round(one, 1) for name, one in after.items()},
    }


def measure() -> dict[str, Any]:
    """All five, or the one that is asked for."""
    chromium = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
    figures: dict[str, Any] = {}
    with sync_playwright() as playwright, tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        parts: dict[str, Callable[[], dict[str, Any]]] = {
            "shelf": _shelf,
            "first_frame": lambda: _first_frame(browser, folder),
            "dropped_frames": lambda: _dropped(browser, folder),
            "made_anew": lambda: _made_anew(folder),
            "memory": lambda: _memory(browser, folder),
        }
        only = os.environ.get("REPLAYS_ONLY", "")
        figures = {name: part() for name, part in parts.items() if only in ("", name)}
        browser.close()
    return figures
