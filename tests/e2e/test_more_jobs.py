"""Jobs with what comes from outside, in a real browser: signing in, setting by hand, computing, text files, the log."""

from __future__ import annotations

import time
from collections.abc import Iterator

import pytest
from playwright.sync_api import BrowserContext, Page, expect

from tesoura.standins.channel import CLIENT_ID, ChannelService
from tesoura.standins.members import MembersService
from tests.conftest import Running, until


@pytest.fixture
def channel() -> Iterator[ChannelService]:
    service = ChannelService()
    service.start()
    yield service
    service.stop()


def test_signing_in_is_short_and_its_gifts_come(page: Page, running: Running, channel: ChannelService) -> None:
    steps = 0
    page.goto("/feeds/new")
    page.get_by_role("link", name="A service you sign in to").click()
    steps += 1
    page.get_by_label("Service address").fill(channel.address)
    page.get_by_label("Client ID").fill(CLIENT_ID)
    page.get_by_role("button", name="Sign in").click()
    steps += 1
    page.get_by_role("button", name="Allow").click()
    steps += 1
    expect(page.get_by_text("You are signed in.")).to_be_visible()
    expect(page.locator("#picks")).to_contain_text("1,284 kite friends")
    assert steps == 3
    until(lambda: channel.listeners)
    channel.happen("gift", "teacup_ana", 5, "<i>for the kettle</i>")
    page.goto("/log/?type=gift")
    expect(page.locator("#log-rows")).to_contain_text("<i>for the kettle</i>")


def test_a_count_by_hand_from_the_desk_with_mouse_and_keys(page: Page, running: Running) -> None:
    page.goto("/feeds/new/hand")
    page.get_by_label("Name", exact=True).fill("Losses")
    page.get_by_label("Unit shown to viewers").fill("lines lost")
    page.get_by_label("Desk key: up").fill("+")
    page.get_by_label("Desk key: down").fill("-")
    page.get_by_role("button", name="Create", exact=True).click()
    page.goto("/")
    value = page.locator(".hand-value")
    expect(value).to_have_text("0")
    page.get_by_role("button", name="Losses: 1 more").click()
    expect(value).to_have_text("1")
    page.keyboard.press("+")
    expect(value).to_have_text("2")
    page.keyboard.press("-")
    expect(value).to_have_text("1")
    assert running.signal("losses.value")["value"] == 1


def test_a_formula_is_written_by_clicks_and_seen_at_once(page: Page, running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane")
    until(lambda: running.signal("reach.members").get("value") == 1284)
    page.goto("/signals/")
    page.get_by_role("link", name="New computed signal").click()
    page.get_by_role("link", name="A formula").click()
    page.get_by_label("Name", exact=True).fill("half")
    page.get_by_role("button", name="reach.members").click()
    expect(page.locator("#preview")).to_contain_text("1,284")
    page.get_by_label("Formula").press("End")
    page.keyboard.type(" / 2")
    expect(page.locator("#preview")).to_contain_text("642")
    page.keyboard.type(" /")
    expect(page.locator("#preview")).to_contain_text("the formula is incomplete")
    page.keyboard.press("Backspace")
    page.get_by_role("button", name="Create", exact=True).click()
    expect(page.locator("tr", has_text="own.half")).to_contain_text("642")


def test_ready_made_files_are_ticked_with_the_keyboard_and_written(page: Page, running: Running) -> None:
    running.event(type="gift", data={"name": "teacup_ana", "amount": 5})
    page.goto("/files/")
    page.keyboard.press("g")
    page.keyboard.press("t")
    page.get_by_role("link", name="Ready-made text files", exact=True).focus()
    page.keyboard.press("Enter")
    box = page.get_by_role("checkbox", name="Latest gift latest_gift.txt")
    box.focus()
    page.keyboard.press("Space")
    page.keyboard.press("Enter")
    expect(page.get_by_text("1 file is written whenever something changes.")).to_be_visible()
    expect(page.locator("tr", has_text="latest_gift.txt")).to_contain_text("teacup_ana · 5 spools")
    page.get_by_role("button", name="Copy the path of latest_gift.txt").click()
    # The word on the button goes with the row when its text is written just then; what was copied stays.
    path = str(running.folder / "texts" / "latest_gift.txt")
    page.wait_for_function("async path => await navigator.clipboard.readText() === path", arg=path)
    running.event(type="gift", data={"name": "bolt_uncle", "amount": 2})
    expect(page.locator("tr", has_text="latest_gift.txt")).to_contain_text("bolt_uncle · 2 spools")


def test_a_rude_moment_is_skipped_before_viewers_see_it_and_a_good_one_shown_again(
    page: Page, context: BrowserContext, running: Running
) -> None:
    token = running.add_overlay("{gift.text}", nothing_yet="", appears="moment", moment_type="gift", moment_s=6)
    viewers = context.new_page()
    viewers.goto(f"/o/{token}")
    until(lambda: running.runtime.hub.pages)
    piece = viewers.locator(".piece")
    expect(piece).to_be_hidden()
    page.goto("/log/")
    for text in ("hello", "rude", "goodbye"):
        running.event(type="gift", data={"text": text})
    expect(piece).to_have_text("hello")
    page.get_by_role("button", name="Skip “rude”").click()
    expect(page.get_by_text("“rude” won't be shown.")).to_be_visible()
    expect(piece).to_have_text("goodbye")
    expect(piece).to_be_hidden()
    page.goto("/log/?find=hello&type=gift")
    page.locator("#log-rows").get_by_role("link", name="gift").click()
    page.get_by_role("button", name="Show again").click()
    expect(piece).to_have_text("hello")
    assert running.client.get("/log/rows?type=tesoura.skipped").text.count("rude") == 1


def test_the_log_is_searched_while_it_grows(page: Page, running: Running) -> None:
    running.event(type="gift", data={"name": "teacup_ana"})
    running.event(type="gift", data={"name": "tuck"})
    page.goto("/log/")
    page.keyboard.press("/")
    page.keyboard.type("teacup")
    expect(page.locator("#log-rows li")).to_have_count(1)
    running.event(type="gift", data={"name": "teacup_ana", "amount": 7})
    expect(page.locator("#log-rows li")).to_have_count(2)
    page.locator("#log-rows").get_by_role("link", name="gift").first.click()
    page.get_by_label("amount", exact=True).fill("70")
    page.get_by_role("button", name="Preview changes").click()
    expect(page.locator("#correction-effect")).not_to_be_empty()
    page.get_by_role("button", name="Save correction").click()
    expect(page.get_by_text("Corrected. All counts")).to_be_visible()
    expect(page.locator("main")).to_contain_text("amount 7 → 70")


def test_a_session_is_looked_back_on_and_its_start_corrected(page: Page, running: Running) -> None:
    page.goto("/reports/")
    page.get_by_role("button", name="Start new session").click()
    running.event(type="gift", data={"name": "teacup_ana", "amount": 5})
    expect(page.locator(".said").get_by_text("Session started at")).to_be_visible()
    page.wait_for_load_state()
    page.keyboard.press("g")
    page.keyboard.press("r")
    expect(page.get_by_role("heading", name="Stream sessions")).to_be_visible()
    page.locator("tbody a").first.click()
    expect(page.locator(".ribbon rect")).to_have_count(1)
    with page.expect_download() as started:
        page.get_by_role("link", name="Markers for the recording").click()
    assert started.value.suggested_filename.endswith(".vtt")
    field = page.get_by_label("Started at")
    began = field.input_value()
    field.fill("00:00:00")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("This session started at 00:00:00.")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Started at")).to_have_value(began)


def test_a_lists_entries_are_made_events_by_a_click(page: Page, running: Running, members: MembersService) -> None:
    members.follow("tuck")
    running.add_feed(f"{members.address}/channels/mara_vane/followers", path="followers[0].id")
    page.goto("/feeds/reach")
    page.get_by_role("button", name="Refresh", exact=True).click()
    page.get_by_role("button", name="create events", exact=True).click()
    expect(page.get_by_label("Event", exact=True)).to_have_value("follower")
    page.get_by_label("Identified by").fill("id")
    expect(page.locator("#made")).to_contain_text("tuck")
    page.locator("#making-form").get_by_role("button", name="Create events").click()
    expect(page.get_by_text("From now on, this feed creates events of type follower.")).to_be_visible()
    time_is_up = time.monotonic() + 10
    while not running.runtime.call(lambda self: self.feeds._running["reach"].rules[0].primed):
        assert time.monotonic() < time_is_up
        page.wait_for_function("true")
    members.follow("teacup_ana")
    page.goto("/log/?type=follower")
    expect(page.locator("#log-rows li")).to_have_count(1)
    expect(page.locator("#log-rows")).to_contain_text("teacup_ana")


def test_a_recipe_is_previewed_and_set_up(page: Page, running: Running) -> None:
    page.goto("/feeds/new")
    page.get_by_role("link", name="A count by hand").click()
    expect(page.locator(".does")).to_contain_text("losses")
    page.get_by_role("button", name="Set up").click()
    expect(page.get_by_role("heading", name="A count by hand")).to_be_visible()
    page.get_by_role("button", name="A count by hand: 1 more").click()
    expect(page.locator(".hand-value")).to_have_text("1")
