"""A song on the stream: from an empty folder in five presses, leaving and coming back, long titles, its order."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from playwright.sync_api import Page, Route, expect

from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.settings import wall_clock
from tesoura.standins.music import LONG, PLAYLIST, RIGHT_TO_LEFT, MusicPlayer
from tesoura.store import overlays as stored
from tests.conftest import Running, until
from tests.runtime.test_covers import hears, music

CARD = ".piece-song_card"


@pytest.fixture
def player() -> Iterator[MusicPlayer]:
    made = MusicPlayer(songs=(*PLAYLIST, LONG, RIGHT_TO_LEFT))
    made.start()
    made.play(0, 60.0)
    yield made
    made.stop()


def card(running: Running, **choices: Any) -> str:
    """A song card on an overlay of its own, on air; its link's token."""
    music(running)
    given = {"now_playing": "now_playing", "x": 20, "y": 20, **choices}
    overlay = Overlay(640, 400, (new_piece("song_card", "song", **given),))
    row = running.store.write(lambda session: stored.new_overlay(session, "Song", overlay, wall_clock()))
    running.publish(row.id)
    return row.token


def test_the_first_song_is_on_an_overlay_after_five_presses(page: Page, running: Running, player: MusicPlayer) -> None:
    presses: list[str] = []

    def press(role: Any, name: str) -> None:
        page.get_by_role(role, name=name).first.click()
        presses.append(name)

    page.goto("/")
    press("link", "Only a feed")
    press("link", "A music player")
    page.get_by_label("Player address").fill(f"{player.address}/now")
    press("button", "Test connection")
    expect(page.get_by_text("Playing: Paper Weather – The Slow Kettles, 1:0").first).to_be_visible()
    press("button", "Add to an overlay")
    expect(page.locator(CARD)).to_contain_text("Paper Weather")
    expect(page.locator("#mat[data-ready=yes]")).to_be_visible()
    press("button", "Copy link")
    link = str(until(lambda: page.evaluate("navigator.clipboard.readText()")))
    viewer = page.context.new_page()
    viewer.goto(link)
    expect(viewer.locator(CARD)).to_contain_text("The Slow Kettles")
    expect(viewer.locator(f"{CARD} .t-song-picture")).to_be_visible()
    assert len(presses) == 5


def test_the_card_leaves_with_the_music_and_comes_back(page: Page, running: Running, player: MusicPlayer) -> None:
    running.do("instrument.new?kind=now_playing", {"title": "Now playing", "leaves_after_s": "0"})
    hears(running, player)
    token = card(running, time="position", exit="cut")
    page.goto(f"/o/{token}")
    expect(page.locator(CARD)).to_contain_text("Paper Weather")
    player.pause()
    expect(page.locator(CARD)).to_be_hidden()
    player.play()
    expect(page.locator(CARD)).to_be_visible()
    player.next()
    expect(page.locator(f"{CARD} .t-song-title")).to_have_text("Left of the Lighthouse")


def test_the_bar_is_where_the_song_is_and_nothing_is_sent_meanwhile(
    page: Page, running: Running, player: MusicPlayer
) -> None:
    hears(running, player)
    token = card(running, time="both", album="yes")
    sent: list[str] = []
    page.on("websocket", lambda socket: socket.on("framereceived", lambda text: sent.append(str(text))))
    page.goto(f"/o/{token}")
    expect(page.locator(f"{CARD} .t-song-picture")).to_be_visible()
    expect(page.locator(f"{CARD} .t-song-time")).to_contain_text("/ 3:40")

    def place() -> float:
        share = page.locator(f"{CARD} .t-fill").evaluate("node => new DOMMatrix(getComputedStyle(node).transform).a")
        return float(share) * 220

    until(lambda: abs(place() - player.position_s()) < 1)
    heard, began = len(sent), player.position_s()
    # Three seconds of the song pass, and the page is told of none of them.
    until(lambda: player.position_s() - began > 3)
    assert abs(place() - player.position_s()) < 0.5
    assert len(sent) == heard
    player.seek(200)
    until(lambda: abs(place() - player.position_s()) < 1 and place() > 195)


def test_a_card_whose_script_did_not_come_gets_it_with_the_next_link(
    page: Page, running: Running, player: MusicPlayer
) -> None:
    hears(running, player)
    token = card(running, time="both")
    asked: list[str] = []

    def answer(route: Route) -> None:
        asked.append(route.request.url)
        if len(asked) == 1:
            route.abort()
        else:
            route.continue_()

    page.route("**/js/pieces/song.js*", answer)
    page.goto(f"/o/{token}")
    expect(page.locator(f"{CARD} .t-song-time")).to_contain_text("/ 3:40")
    assert len(asked) == 2


def test_long_titles_shrink_then_travel_and_never_stick_out(page: Page, running: Running, player: MusicPlayer) -> None:
    hears(running, player)
    token = card(running, travel="on", floor_pct=70, pause_s=0)
    page.goto(f"/o/{token}")
    title = page.locator(f"{CARD} .t-song-title")
    words = title.locator("> .t-run-words")
    size = "node => parseFloat(getComputedStyle(node).fontSize)"
    expect(title).to_have_text("Paper Weather")
    whole = words.evaluate(size)
    player.play(4)
    expect(title).to_have_text(LONG.title)
    expect(title).to_have_class("t-run t-song-title is-travelling")
    assert words.evaluate(size) == pytest.approx(whole * 0.7, abs=0.6)
    moved = "node => new DOMMatrix(getComputedStyle(node).transform).e"
    until(lambda: words.evaluate(moved) < -10)
    inside = page.evaluate(
        """() => { const card = document.querySelector(".piece-song_card").getBoundingClientRect();
        const run = document.querySelector(".t-song-title").getBoundingClientRect();
        return run.left >= card.left && run.right <= card.right; }"""
    )
    assert inside
    player.play(5)
    expect(title).to_have_text(RIGHT_TO_LEFT.title)
    expect(title).to_have_class("t-run t-song-title")
    assert words.evaluate("node => getComputedStyle(node).direction") == "rtl"


def test_a_card_that_is_coloured_by_its_cover(page: Page, running: Running, player: MusicPlayer) -> None:
    hears(running, player)
    token = card(running, coloured="cover", arranged="poster", width_px=600, height_px=360, size_px=36)
    page.goto(f"/o/{token}")
    backing = page.locator(f"{CARD} .t-song-tint")
    colour = "node => getComputedStyle(node).backgroundColor"
    until(lambda: backing.evaluate(colour) not in ("rgba(0, 0, 0, 0)", ""))
    first = backing.evaluate(colour)
    player.next()
    expect(page.locator(f"{CARD} .t-song-title")).to_have_text("Left of the Lighthouse")
    until(lambda: backing.evaluate(colour) != first)


def test_sources_are_ordered_with_the_mouse_and_with_the_keyboard(
    page: Page, running: Running, player: MusicPlayer
) -> None:
    music(running)
    data = {"title": "Left of the Lighthouse", "position_s": 0, "length_s": 187}
    event = {"type": "track.start", "source": "radio", "data": data}
    running.client.post("/api/events", json=event, headers=running.auth)
    hears(running, player)
    until(lambda: len(running.runtime.call(lambda self: self.instruments.standing("now_playing")).view["sources"]) == 2)  # type: ignore[union-attr]
    page.goto("/instruments/now_playing")
    rows = page.locator("[data-source]")
    expect(rows.nth(0)).to_contain_text("radio ● in use")
    page.get_by_role("button", name="Kettle: up").focus()
    page.keyboard.press("Enter")
    expect(rows.nth(0)).to_contain_text("Kettle ● in use")
    rows.nth(1).drag_to(rows.nth(0))
    expect(rows.nth(0)).to_contain_text("radio ● in use")
    assert until(lambda: running.signal("now_playing.source")["value"] == "radio")
