"""Replays on the stream: a streak brings its own to the overlay, once; the shelf, trimmed and made a reel of."""

from __future__ import annotations

import time
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, Page, expect

from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.settings import wall_clock
from tesoura.standins.compositor import Compositor
from tesoura.standins.picture import BLOCKS, RollingPicture
from tesoura.store import overlays as stored
from tests.conftest import Running, until
from tests.runtime.test_clips import MINE, act, linked, replays, shelf, told

BEGIN_MS = 1_790_000_000_000
MASK = (1 << BLOCKS) - 1
SEEN = """(page) => {
  const video = page.querySelector(".t-replay video.is-seen");
  if (!video || video.readyState < 2) return null;
  const canvas = Object.assign(document.createElement("canvas"), { width: 640, height: 360 });
  const pen = canvas.getContext("2d");
  pen.drawImage(video, 0, 0, 640, 360);
  let found = 0n;
  const light = (place) => pen.getImageData(place * 16 + 8, 8, 1, 1).data[0] > 127;
  for (let place = 0; place < 40; place += 1) found = (found << 1n) | BigInt(light(place));
  return Number(found);
}"""
"""Which instant a page shows, read from its picture, ms since 1970 as far as forty bits go."""


@pytest.fixture
def program(tmp_path: Path) -> Iterator[Compositor]:
    folder = tmp_path / "clips of the program"
    folder.mkdir()
    made = Compositor(picture=RollingPicture(fps=10), folder=folder)
    made.start()
    yield made
    made.stop()


def on_air(running: Running, **choices: Any) -> str:
    """An overlay with the replay, on air; its link's token."""
    given = {"replays": "again", "x": 20, "y": 20, "width_px": 700, "height_px": 460, "exit": "cut", **choices}
    overlay = Overlay(1280, 720, (new_piece("replay", "replay", **given),))
    row = running.store.write(lambda session: stored.new_overlay(session, "Replays", overlay, wall_clock()))
    running.publish(row.id)
    return row.token


def seen(page: Page) -> int:
    """The instant that a page shows, once it shows one."""
    found: int = until(lambda: page.evaluate(f"({SEEN})(document)"))
    return found


def test_a_streak_brings_its_replay_to_the_overlay_by_itself_once(
    page: Page, browser: Browser, running: Running, program: Compositor
) -> None:
    linked(running, program)
    replays(running, kills="4", before_s="2", after_s="1", slow_pct="50")
    token = on_air(running)
    assert program.picture is not None
    # It is drawn ahead, so that a slow machine has it in time; what lies ahead is not given before its time.
    now_ms = int(time.time() * 1000)
    program.picture.fill(now_ms + 25_000, now_ms - 6_000)
    page.goto(f"{running.address}/o/{token}")
    expect(page.locator("[data-piece=replay]")).to_be_hidden()
    first_ms = int(time.time() * 1000) - 900
    for number in range(4):
        at = datetime.fromtimestamp((first_ms + number * 300) / 1000, UTC)
        running.event(type="kill", source="game", id=f"k{number}", time=at.isoformat(), data=MINE)
    page.locator(".t-replay video.is-seen").wait_for(timeout=40_000)
    expect(page.locator(".t-replay-words")).to_have_text("4 cuts in 1 s")
    begun = seen(page)
    # It begins two seconds before the first kill, with a picture each tenth; it may be looked at a moment later.
    assert -110 <= begun - ((first_ms - 2_000) & MASK) < 1_500
    # A page that is opened in the middle joins at the very second.
    late = browser.new_page()
    late.goto(f"{running.address}/o/{token}")
    joined = seen(late)
    # Each may be a picture behind.
    assert -110 <= seen(page) - joined < 700
    late.close()
    page.locator("[data-piece=replay]").wait_for(state="hidden", timeout=40_000)
    assert page.evaluate("[...document.querySelectorAll('video')].map((one) => one.getAttribute('src'))") == [None] * 2
    (row,) = shelf(running)
    assert len(told(running, "again.begun")) == len(told(running, "again.wanted")) == 1
    assert row.title == "4 cuts in 1 s"


def small_clip(folder: Path, seconds: int = 3, fps: int = 30) -> Path:
    """A clip with two kills in it."""
    path = folder / "small.mp4"
    if not path.exists():
        picture = RollingPicture(fps=fps)
        picture.fill(BEGIN_MS + seconds * 1000, BEGIN_MS)
        picture.save(path, seconds)
    return path


def send(running: Running, clip: Path, title: str) -> int:
    answer = running.client.post("/api/clips", content=clip.read_bytes(), headers=running.auth, params={"title": title})
    assert answer.status_code == 201, answer.text
    return int(answer.json()["id"])


def test_a_page_whose_browser_cannot_play_it_says_so_on_the_desk(page: Page, running: Running, tmp_path: Path) -> None:
    replays(running, source="")
    token = on_air(running)
    clip_id = send(running, small_clip(tmp_path, 15, fps=5), "the long one")
    (row,) = shelf(running)
    (running.folder / "clips" / row.file).write_bytes(b"\0" * 5000)
    page.goto(f"{running.address}/o/{token}")
    until(lambda: running.runtime.call(lambda self: any(self.stage.shown_by().values())))
    act(running, "clip.show", clip=clip_id)
    until(lambda: told(running, "tesoura.page_trouble"))
    page.goto(f"{running.address}/instruments/again")
    expect(page.locator("#replay-live")).to_contain_text("its browser can't play the clip")


def test_the_focus_stays_on_what_was_pressed_when_more_can_be_pressed(page: Page, running: Running) -> None:
    replays(running, source="")
    page.goto("/instruments/again")
    page.locator("#panel-again").get_by_role("button", name="Test", exact=True).focus()
    page.keyboard.press("Enter")
    expect(page.locator("#panel-again").get_by_role("button", name="Hide replay")).to_be_visible()
    expect(page.locator("#panel-again").get_by_role("button", name="Test", exact=True)).to_be_focused()


def test_a_clip_is_trimmed_by_keys_shown_and_made_a_reel_of(page: Page, running: Running, tmp_path: Path) -> None:
    replays(running, source="")
    token = on_air(running, words="none")
    clip = small_clip(tmp_path)
    first, second = send(running, clip, "the calm one"), send(running, clip, "the great one")
    page.goto(f"{running.address}/clips/{second}")
    edge = page.get_by_role("slider", name="Start", exact=True)
    edge.focus()
    for _ in range(10):
        page.keyboard.press("ArrowRight")
    expect(edge).to_have_attribute("aria-valuetext", "1.0 seconds")
    box = page.locator(".clip-strip").bounding_box()
    assert box is not None
    page.get_by_role("slider", name="End", exact=True).hover()
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 2.5 / 3, box["y"] + 20, steps=5)
    page.mouse.up()
    page.get_by_role("button", name="Save trim").click()
    expect(page.locator(".said")).to_contain_text("the great one is shown from 1.0 to 2.5 s.")
    assert Axe().run(page).violations_count == 0
    overlay = page.context.new_page()
    overlay.goto(f"{running.address}/o/{token}")
    page.get_by_role("button", name="Show now").click()
    assert 950 <= seen(overlay) - (BEGIN_MS & MASK) < 2_400
    overlay.close()
    page.goto(f"{running.address}/clips")
    page.get_by_label("Choose the great one for a reel").check()
    page.get_by_label("Choose the calm one for a reel").check()
    expect(page.locator("#reel-count")).to_contain_text("2 clips selected")
    # They stay chosen while one is starred, and while another page is looked at.
    page.get_by_role("button", name="Star the calm one").click()
    expect(page.get_by_role("button", name="Remove star from the calm one")).to_be_visible()
    page.reload()
    expect(page.locator("#reel-count")).to_contain_text("2 clips selected")
    expect(page.get_by_label("Choose the great one for a reel")).to_be_checked()
    assert Axe().run(page).violations_count == 0
    page.get_by_label("Size").select_option("854")
    page.get_by_role("button", name="Create reel").click()
    expect(page.locator("#reel-count")).to_contain_text("Tick clips in the order you want them")
    # It is made at low priority: on a busy machine it takes its time.
    until(lambda: told(running, "tesoura.reel"), 80)
    assert told(running, "tesoura.reel")[0]["seconds"] == pytest.approx(2.5 + 1.5 + 3.0, abs=0.15)
    expect(page.get_by_role("heading", name="The evening's best")).to_be_visible()
    assert first != second
