"""A user's evening with sponsors: set up from nothing, seen on the overlay, read from the desk, and what each had."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, Page, expect

from tesoura.core.overlays.document import Overlay, Piece, new_piece
from tesoura.runtime import painted
from tesoura.settings import wall_clock
from tesoura.standins.chat import ChatServer
from tesoura.store import overlays as stored
from tests.conftest import Running, until
from tests.e2e.test_links import chat
from tests.runtime.test_clips import act, told

__all__ = ["chat"]


@pytest.fixture(autouse=True)
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(painted, "GATHERED_S", 0.05)


def test_a_campaign_and_its_rotation_are_made_from_nothing_and_seen_on_the_overlay(
    page: Page, browser: Browser, running: Running
) -> None:
    page.goto("/instruments/new/rotation")
    expect(page.locator("#preview")).to_contain_text("No campaign yet")
    page.locator("#preview").get_by_role("link", name="Create one").click()
    page.get_by_label("Name", exact=True).fill("Tea of the autumn")
    page.get_by_label("Sponsor", exact=True).fill("Cordel Tea")
    page.get_by_label("Minutes per session").fill("20")
    page.get_by_role("button", name="Create", exact=True).click()
    new = page.locator(".item-row").last
    new.get_by_label("Text", exact=True).fill("Tea for the top of the ladder")
    new.get_by_label("Name", exact=True).fill("the teapot")
    page.get_by_role("button", name="Save items").click()
    expect(page.locator(".said")).to_contain_text("Items: 1 added")
    expect(page.locator(".item-row")).to_have_count(2)
    page.goto("/instruments/new/rotation")
    page.get_by_label("Name", exact=True).fill("Sponsors")
    page.get_by_label("Gap", exact=True).fill("600")
    page.get_by_label("Show for").fill("60")
    page.keyboard.press("Enter")
    expect(page).to_have_url(f"{running.address}/instruments/sponsors")
    page.get_by_role("link", name="Setup", exact=True).click()
    # Four hours have 21.8 cycles of eleven minutes, each with a minute shown: 22 minutes keep the promise of twenty.
    expect(page.locator("#preview")).to_contain_text("All targets met")
    page.get_by_label("Gap", exact=True).fill("3000")
    proposed = page.get_by_role("button", name="instead")
    expect(page.locator("#preview")).to_contain_text("of 20 minutes missing")
    proposed.focus()
    page.keyboard.press("Enter")
    expect(page.locator("#preview")).to_contain_text("All targets met")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator(".said")).to_contain_text("was saved")
    page.get_by_role("link", name="Use", exact=True).click()
    page.get_by_role("button", name="Add to overlay").click()
    page.get_by_role("button", name="Put on air").click()
    (row,) = running.store.read(stored.all_overlays)
    viewers = browser.new_page(viewport={"width": 1920, "height": 1080})
    viewers.goto(f"{running.address}/o/{row.token}")
    expect(viewers.locator("[data-piece]")).to_be_hidden()
    page.goto("/instruments/sponsors")
    expect(page.locator("#panel-sponsors")).to_contain_text("Next in")
    page.get_by_role("button", name="Hidden · Show now").click()
    expect(viewers.locator(".t-sponsor").first).to_have_text("Tea for the top of the ladder")
    expect(page.locator("#panel-sponsors")).to_contain_text("on screen:")
    # A page tells each ten seconds what it has painted; then the log has it.
    (event, *_) = until(lambda: told(running, "tesoura.painted"))
    assert event["pages"][0]["spans"][-1][0].startswith("tea_of_the_autumn:")
    page.get_by_role("button", name="On screen · Hide").click()
    expect(viewers.locator("[data-piece]")).to_be_hidden()
    viewers.close()


def test_what_cannot_be_seen_of_a_mark_is_told_by_the_page_and_does_not_count(page: Page, running: Running) -> None:
    act(running, "instrument.new", kind="campaign", choices={"title": "Tea", "sponsor": "Cordel Tea"})
    act(running, "instrument.new", kind="rotation", choices={"title": "Turns", "hidden_s": "0"})

    def mark(name: str, **more: object) -> Piece:
        return new_piece("sponsor", name, rotation="turns", width_px=300, height_px=120, **{"x": 200, "y": 300, **more})

    over = new_piece("text", "over", wording="over it all", backing="solid", x=100, y=80, size_px=90)
    pieces = (mark("a", y=100), over, mark("b", x=1800), mark("c", opacity_pct=5), mark("d", y=600))
    row = running.store.write(
        lambda session: stored.new_overlay(session, "Marks", Overlay(1920, 1080, pieces), wall_clock())
    )
    running.publish(row.id)
    page.set_viewport_size({"width": 1920, "height": 1080})
    page.goto(f"/o/{row.token}")

    def reasons() -> set[str]:
        spans = [span for event in told(running, "tesoura.painted") for one in event["pages"] for span in one["spans"]]
        return {span[3] if len(span) > 3 else "" for span in spans}

    wanted = {"", "another piece lay over it", "less than half of it was on the canvas", "it was hardly opaque"}
    until(lambda: wanted <= reasons())


def test_a_read_is_read_from_the_desk_its_link_refused_and_then_allowed(
    page: Page, running: Running, chat: ChatServer
) -> None:
    choices = {
        "host": "127.0.0.1",
        "port": str(chat.port),
        "tls": "no",
        "channel": "#windyladder",
        "nick": "mara_helper",
    }
    act(running, "feed.new", kind="irc", title="Pier chat", choices=choices, secrets={"token": "open-sesame-9"})
    until(lambda: chat.guests == ["mara_helper"])
    given = {
        "title": "Tea",
        "sponsor": "Cordel Tea",
        "points": "North slope\nTen per cent",
        "chat": "pier_chat",
        "link": "https://tea.example/ladder",
        "pause_s": "12",
        "reads": "1",
    }
    act(running, "instrument.new", kind="campaign", choices={"title": "Batteries", "sponsor": "Halfmoon"})
    act(running, "instrument.new", kind="campaign", choices=given)
    running.do("session.start")
    page.goto("/")
    page.get_by_role("button", name="Reads", exact=True).click()
    page.get_by_label("Reads").select_option("Tea")
    panel = page.locator("#panel-tea")
    panel.get_by_role("button", name="Start read").click()
    expect(panel).to_contain_text("reading")
    panel.get_by_role("button", name="North slope").focus()
    page.keyboard.press("Enter")
    expect(panel.get_by_role("button", name="North slope")).to_have_attribute("aria-pressed", "true")
    expect(panel.get_by_role("button", name="North slope")).to_be_focused()
    link = panel.get_by_role("button", name="Send link to chat")
    link.click()
    until(lambda: chat.heard == [("mara_helper", "Cordel Tea: https://tea.example/ladder")])
    expect(panel).to_contain_text("again in")
    link.focus()
    page.keyboard.press("Enter")
    expect(panel.locator(".effect")).to_contain_text("You can send it again in")
    until(lambda: link.get_attribute("aria-disabled") is None)
    link.click()
    until(lambda: len(chat.heard) == 2)
    panel.get_by_role("button", name="End read").click()
    expect(panel).to_contain_text("1 of 1 reads this session")
    found = Axe().run(page).response["violations"]
    assert [one["id"] for one in found if one["impact"] in ("serious", "critical")] == []
    page.goto("/reports/1/sponsors")
    expect(page.locator("main")).to_contain_text("1 of 2 points")
    with page.expect_download() as got:
        page.get_by_role("link", name="Signed JSON").click()
    report = json.loads(Path(got.value.path()).read_text("utf-8"))
    told = {one["name"]: (one["reads_counted"], len(one["links"])) for one in report["campaigns"]}
    assert told == {"batteries": (0, 0), "tea": (1, 2)}
