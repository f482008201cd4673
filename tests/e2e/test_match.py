"""A match on the stream: counted on a phone with a bad link, on air at once, its names in draft, its end by itself."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

import pytest
from playwright.sync_api import Browser, Locator, Page, expect

from tesoura.core.instruments.scoreboard.piece import ARRANGEMENTS, SIZED
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.settings import wall_clock
from tesoura.store import overlays as stored
from tests.conftest import Running, until
from tests.e2e.test_phone import pair

SEEN = "(all) => all.map((one) => one.getBoundingClientRect()).filter((one) => one.width)"
SIDES = ({"side": "home", "name": "Team Bobbin", "short": "BOB"}, {"side": "away", "name": "Team Keel", "short": "KEE"})


@pytest.fixture
def phone(browser: Browser, running: Running) -> Iterator[Page]:
    """A phone's browser."""
    context = browser.new_context(
        viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True, base_url=running.address
    )
    context.set_default_timeout(45_000)
    yield context.new_page()
    context.close()


def made(running: Running, **choices: Any) -> None:
    """A scoreboard with its sides on air."""
    running.do("instrument.new?kind=scoreboard", {"title": "Match", "sport": "table_tennis", **choices})
    for one in SIDES:
        running.press("/", "/instruments/match/do/side", one)
    running.press("/", "/instruments/match/do/put_on_air")


def shown(running: Running, *arranged: str, **choices: Any) -> str:
    """An overlay with the scoreboard in these arrangements, on air; its link's token."""
    given = {"scoreboard": "match", "x": 20, "y": 20, "exit": "cut", **choices}
    pieces = tuple(
        new_piece("scoreboard", one, **{**given, "arranged": one, **SIZED[one], **choices}) for one in arranged
    )
    row = running.store.write(
        lambda session: stored.new_overlay(session, "Match", Overlay(1920, 1080, pieces), wall_clock())
    )
    running.publish(row.id)
    return row.token


def piece(page: Page, arranged: str) -> Locator:
    return page.locator(f".p-{arranged}")


def points(running: Running, typed: str) -> None:
    for one in typed:
        running.press("/", "/instruments/match/do/point", {"side": "home" if one == "h" else "away"})


def test_a_set_is_scored_on_a_phone_with_the_link_cut_twice_and_no_point_lost_or_doubled(
    page: Page, phone: Page, running: Running
) -> None:
    made(running, same_rally_s="0")
    running.press("/", "/desk/leaves/new", {"name": "Match"})
    running.press("/", "/desk/leaves/l1/set", {"instrument": "match"})
    token = shown(running, "corner", "break")
    # The link goes over a wire that can be cut in either direction.
    deaf = dumb = False

    def wire(socket: Any) -> None:
        server = socket.connect_to_server()
        socket.on_message(lambda text: None if dumb else server.send(text))
        server.on_message(lambda text: None if deaf else socket.send(text))

    phone.route_web_socket("**/device-socket", wire)
    pair(page, phone)
    home, away = phone.locator("[data-half] .face").first, phone.locator("[data-half] .face").last
    expect(home).to_contain_text("Team Bobbin")
    viewer = page.context.new_page()
    viewer.goto(f"/o/{token}")
    middle = phone.get_by_role("button", name="Undo")
    for number in range(1, 6):
        home.tap()
        expect(middle).to_contain_text(f"{number}–0")
    # What the phone says arrives, and the answer does not: it is sent again under the same id.
    deaf = True
    home.tap()
    until(lambda: running.signal("match.spans")["value"] == "6–0")
    expect(phone.locator("#phone-said")).to_contain_text("Not delivered yet")
    deaf = False
    expect(home).to_contain_text("6")
    # What the phone says does not arrive: it waits, and comes once the link is there again.
    dumb = True
    away.tap()
    away.tap()
    expect(phone.locator("#phone-said")).to_contain_text("Not delivered yet")
    assert running.signal("match.spans")["value"] == "6–0"
    dumb = False
    expect(middle).to_contain_text("6–2")
    expect(piece(viewer, "corner")).to_contain_text("BOB")
    for number in range(7, 11):
        home.tap()
        expect(middle).to_contain_text(f"{number}–2")
    expect(piece(viewer, "corner").locator(".t-board-call")).to_contain_text("game point Team Bobbin")
    home.tap()
    expect(middle).to_contain_text("11–2")
    # The set is over: the strip goes, and the table between sets comes by itself.
    expect(piece(viewer, "break")).to_be_visible()
    expect(piece(viewer, "corner")).to_be_hidden()
    middle.tap()
    expect(piece(viewer, "corner")).to_be_visible()
    assert running.signal("match.spans")["value"] == "10–2"
    acts = json.loads(page.request.get("/instruments/match/matches/0/match.json").text())["acts"]
    assert len(acts) == 13


def test_from_an_empty_folder_to_a_point_on_air_by_the_keyboard(page: Page, running: Running) -> None:
    page.goto("/instruments/new/scoreboard")
    page.get_by_label("Name", exact=True).fill("Match")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Match points appear at once")).to_be_visible()
    page.get_by_role("link", name="Use", exact=True).press("Enter")
    page.get_by_label("Overlay", exact=True).select_option(label="a new overlay")
    page.get_by_role("button", name="Add to overlay").press("Enter")
    expect(page.locator("#mat[data-ready=yes]")).to_be_visible()
    page.get_by_role("button", name="Put on air").first.press("Enter")
    expect(page.get_by_text("On air").first).to_be_visible()
    token = running.store.read(lambda session: stored.all_overlays(session)[0].token)
    viewer = page.context.new_page()
    viewer.goto(f"/o/{token}")
    page.goto("/instruments/match")
    page.get_by_role("button", name="Point for HOM").press("Enter")
    expect(viewer.locator(".t-board-of-home.t-board-points")).to_have_text("1")
    # Names wait; what waits is said, and one deliberate press shows it.
    page.goto("/instruments/match/setup")
    name = page.locator("#sides").get_by_label("Name", exact=True).first
    name.fill("Team Bobbin")
    name.press("Enter")
    expect(page.locator("#sides")).to_contain_text("Not on air yet: Home, name: Home → Team Bobbin")
    expect(viewer.locator(".t-board-home .t-board-name")).to_have_text("HOM")
    page.locator("#sides").get_by_role("button", name="Put on air").press("Enter")
    expect(viewer.locator(".t-board-home .t-board-name")).to_have_text("BOB")


def test_the_card_at_the_end_comes_by_itself_with_winner_sets_and_course(page: Page, running: Running) -> None:
    made(running, wins="2", final="yes")
    token = shown(running, "card", "lower", "bar", "tall", notices="none")
    page.goto(f"/o/{token}")
    points(running, "h" * 11 + "h" * 10)
    for arranged in ("lower", "bar", "tall"):
        expect(piece(page, arranged).locator(".t-board-call")).to_contain_text("championship point Team Bobbin")
    expect(piece(page, "card")).to_be_hidden()
    points(running, "h")
    expect(piece(page, "card")).to_be_visible()
    expect(piece(page, "card")).to_contain_text("Team Bobbin wins")
    expect(piece(page, "card").locator(".t-board-row-home .t-board-span:not(:empty)")).to_have_text(["11", "11"])
    expect(piece(page, "card").locator(".t-stroke")).to_have_attribute("d", re.compile("^M0.0 50.0L"))
    for arranged in ("lower", "bar", "tall"):
        expect(piece(page, arranged)).to_be_hidden()


def test_colours_serve_ends_and_notices_are_seen(page: Page, running: Running) -> None:
    made(running)
    token = shown(running, "corner", swap="yes")
    page.goto(f"/o/{token}")
    corner = piece(page, "corner")
    expect(corner.locator(".t-board-home .t-board-serve")).to_be_visible()
    expect(corner.locator(".t-board-away .t-board-serve")).to_be_hidden()
    points(running, "aa")
    expect(corner.locator(".t-board-away .t-board-serve")).to_be_visible()
    running.press("/", "/instruments/match/do/side", {"side": "home", "colour": "#112233"})
    running.press("/", "/instruments/match/do/put_on_air")
    expect(corner.locator(".t-board-home")).to_have_css("background-color", "rgb(17, 34, 51)")
    running.press("/", "/instruments/match/do/notice", {"title": "Next", "text": "Team Gale against Team Knot"})
    expect(corner.locator(".t-board-notice")).to_contain_text("Team Gale against Team Knot")
    running.press("/", "/instruments/match/do/end_notice")
    expect(corner.locator(".t-board-notice")).to_be_hidden()

    def above() -> str:
        tops = [corner.locator(f".t-board-{side}").bounding_box() or {"y": -1.0} for side in ("home", "away")]
        return "home" if tops[0]["y"] < tops[1]["y"] else "away"

    assert above() == "home"
    running.press("/", "/instruments/match/do/swap_ends")
    until(lambda: above() == "away")


def test_names_of_sixty_letters_stick_out_of_nothing(page: Page, running: Running) -> None:
    made(running)
    long = {"name": "Wobblethwaite Kite Society " * 2 + "XVIII", "short": "WWWWWWWWWWWW"}
    for side in ("home", "away"):
        running.press("/", "/instruments/match/do/side", {"side": side, **long})
    running.press("/", "/instruments/match/do/put_on_air")
    points(running, "hahahah")
    token = shown(running, *ARRANGEMENTS, when="always", marks="no")
    page.goto(f"/o/{token}")
    expect(piece(page, "bar")).to_be_visible()
    page.evaluate("document.fonts.ready")
    for arranged in ARRANGEMENTS:
        box = piece(page, arranged).bounding_box()
        assert box is not None
        parts = piece(page, arranged).locator(".t-board-side, .t-board-points, .t-board-span")
        for one in parts.evaluate_all(SEEN):
            assert box["x"] - 1 <= one["left"] <= one["right"] <= box["x"] + box["width"] + 1, arranged
            assert box["y"] - 1 <= one["top"] <= one["bottom"] <= box["y"] + box["height"] + 1, arranged


def test_a_match_is_looked_at_point_by_point_with_a_slider(page: Page, running: Running) -> None:
    made(running)
    points(running, "hah")
    page.goto("/instruments/match/matches/0")
    slider = page.get_by_label("View point by point")
    slider.focus()
    page.keyboard.press("ArrowLeft")
    expect(page.locator("output")).to_have_text("1–1 · 1–1 · Team Keel: point")
    page.keyboard.press("Home")
    expect(page.locator("output")).to_have_text("1–0 · 1–0 · Team Bobbin: point")
