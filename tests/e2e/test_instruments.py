"""What a user does with instruments, in a real browser, with the mouse and with the keyboard."""

from __future__ import annotations

import contextlib
import re

from playwright.sync_api import BrowserContext, Page, TimeoutError, expect

from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.settings import wall_clock
from tesoura.store import computed as stored_computed
from tesoura.store import overlays as stored_overlays
from tests.conftest import Running, until


def test_a_break_is_set_up_laid_on_an_overlay_and_lengthened_while_it_runs(
    context: BrowserContext, page: Page, running: Running
) -> None:
    page.goto("/instruments/")
    page.get_by_role("link", name="A countdown or a clock").click()
    page.get_by_label("Name", exact=True).fill("Kettle break")
    page.get_by_label("For", exact=True).fill("8 min")
    page.get_by_label("Text before").fill("Back in ")
    page.get_by_label("Leading zeros").select_option("no")
    page.get_by_label("At the end", exact=True).fill("Kettle's on, in we go")
    page.get_by_label("Keep last text for").fill("2")
    expect(page.locator("#preview .changes").first.locator("tr")).to_have_count(11)
    expect(page.locator("#preview")).to_contain_text("Back in 7:50")
    page.get_by_role("button", name="Create", exact=True).click()

    page.get_by_role("link", name="Use", exact=True).click()
    page.get_by_label("Overlay", exact=True).select_option("")
    page.get_by_role("button", name="Add to overlay").click()
    page.wait_for_url(re.compile(r"/overlays/\d+"))
    expect(page.locator("#stage .piece .t-words, .piece .t-words").first).to_have_text("Back in 8:00")
    overlay_id = int(re.findall(r"/overlays/(\d+)", page.url)[0])
    running.publish(overlay_id)
    row = running.store.read(lambda session: stored_overlays.get(session, overlay_id))
    assert row
    viewers = context.new_page()
    viewers.goto(f"/o/{row.token}")
    words = viewers.locator(".t-words")
    expect(words).to_have_text("Back in 8:00")

    page.goto("/instruments/")
    panel = page.get_by_role("region", name="Kettle break")
    panel.get_by_role("button", name="Start", exact=False).first.click()
    expect(panel).to_contain_text("Running")
    expect(words).to_have_text(re.compile(r"^Back in 7:5\d$"))
    panel.get_by_role("button", name=re.compile("^Add 3 min")).hover()
    expect(panel.locator(".effect")).to_have_text(re.compile(r"Ends at \d\d:\d\d:\d\d → (\d+ \w+ )?\d\d:\d\d:\d\d\."))
    panel.get_by_role("button", name=re.compile("^Add 3 min")).click()
    expect(words).to_have_text(re.compile(r"^Back in 10:[345]\d$"))
    panel.get_by_label("For", exact=True).fill("1h 5m")
    expect(panel.locator(".effect")).to_contain_text("→")
    panel.get_by_role("button", name="Set", exact=True).click()
    expect(words).to_have_text(re.compile(r"^Back in 1:0\d:\d\d$"))
    panel.get_by_label("For", exact=True).fill("ten")
    panel.get_by_role("button", name="Set", exact=True).click()
    expect(panel.locator(".effect")).to_contain_text("“ten” is not a length of time. Write it as 10 min")

    panel.get_by_role("button", name="Test the end on air").click()
    expect(words).to_have_text(re.compile(r"^Back in 0:0[1-5]$"))
    expect(words).to_have_text("Kettle's on, in we go")
    expect(words).to_have_text(re.compile(r"^Back in 1:0\d:\d\d$"))


def test_a_break_is_operated_with_the_keyboard_alone(page: Page, running: Running) -> None:
    running.do("instrument.new?kind=countdown", {"title": "Break", "length": "5 min", "leading": "no"})
    page.goto("/instruments/")
    panel = page.get_by_role("region", name="Break")
    panel.get_by_role("button", name=re.compile("^Start ends")).focus()
    expect(panel.locator(".effect")).to_contain_text("Ends at")
    page.keyboard.press("Enter")
    expect(panel).to_contain_text("Running")
    panel.get_by_role("button", name=re.compile("^Pause")).focus()
    page.keyboard.press("Enter")
    expect(panel).to_contain_text("Paused")
    shown = panel.locator("output.count-now")
    expect(shown).to_have_text(re.compile(r"^4:5\d$|^5:00$"))
    panel.get_by_label("For", exact=True).focus()
    page.keyboard.type("11 min")
    page.keyboard.press("Enter")
    expect(shown).to_have_text("11:00")
    panel.get_by_role("button", name="Undo").focus()
    page.keyboard.press("Enter")
    expect(shown).to_have_text(re.compile(r"^4:5\d$|^5:00$"))


def test_what_is_being_typed_is_not_taken_away_by_news(page: Page, running: Running) -> None:
    running.do("instrument.new?kind=countdown", {"title": "Break", "length": "5 min"})
    page.goto("/instruments/")
    panel = page.get_by_role("region", name="Break")
    panel.get_by_label("For", exact=True).fill("7 m")
    running.client.post("/api/instruments/break_/start", headers=running.auth)
    expect(panel.locator("output.count-now")).to_have_text(re.compile("^04:5"))
    expect(panel.get_by_label("For", exact=True)).to_have_value("7 m")


def _play(running: Running, *kinds: str) -> None:
    data = {
        "kill": {"actor": "mara_vane", "target": "tuck"},
        "gust": {"actor": "mara_vane", "tags": ["gust bonus"]},
        "death": {"actor": "tuck", "target": "mara_vane"},
        "match.start": {"opponent": "tuck", "rating": 1412},
        "match.end": {"result": "won", "rating": 1430},
    }
    for kind in kinds:
        running.event(type="kill" if kind == "gust" else kind, data=data[kind])


def test_a_games_figures_follow_the_rule_beside_them_and_a_reset_is_undone(page: Page, running: Running) -> None:
    _play(running, "match.start", "kill", "gust", "death")
    page.goto("/instruments/new")
    page.get_by_role("link", name="Game statistics").click()
    page.get_by_label("Your name in the game").fill("mara_vane")
    page.get_by_role("button", name="Create", exact=True).click()
    kills = page.locator(".statistics tbody tr").first.locator("td").nth(1)
    expect(kills).to_have_text("2")
    page.get_by_role("link", name="Setup", exact=True).click()
    page.get_by_label("Exclude kills tagged").fill("gust bonus")
    expect(page.locator("#preview .differs").first).to_have_text(re.compile(r"Kills\s*2\s*1"))
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator(".said")).to_contain_text("was saved")
    page.get_by_role("link", name="Now", exact=True).click()
    expect(page.locator(".rule-line")).to_contain_text("All kills but these: tagged gust bonus")
    expect(kills).to_have_text("1")

    panel = page.get_by_role("region", name="Game statistics")
    session = panel.locator("tbody tr").nth(1).locator("td").first

    told = panel.locator(".effect", has_text="1 kill, 1 death → 0 kills, 0 deaths")

    def over_the_reset() -> bool:
        # News may draw the panel again just when the mouse has come: then it comes once more.
        page.mouse.move(0, 0)
        panel.get_by_role("button", name="Reset session").hover()
        with contextlib.suppress(TimeoutError):
            told.wait_for(timeout=1_000)
        return told.count() == 1

    until(over_the_reset)
    panel.get_by_role("button", name="Reset session").click()
    expect(session).to_have_text("0")
    _play(running, "kill")
    expect(session).to_have_text("1")
    panel.get_by_role("button", name="Undo").focus()
    page.keyboard.press("Enter")
    expect(session).to_have_text("2")
    panel.get_by_role("button", name=re.compile("^Remove kill")).click()
    expect(session).to_have_text("1")


def test_a_match_end_card_is_laid_its_sections_ordered_and_shown_now(
    context: BrowserContext, page: Page, running: Running
) -> None:
    running.do("instrument.new?kind=statistics", {"title": "Game", "player": "mara_vane"})
    page.goto("/instruments/game/use")
    page.get_by_label("Piece", exact=True).select_option("match_card")
    page.get_by_label("Overlay", exact=True).select_option("")
    page.get_by_role("button", name="Add to overlay").click()
    page.wait_for_url(re.compile(r"/overlays/\d+"))
    overlay_id = int(re.findall(r"/overlays/(\d+)", page.url)[0])
    order = page.locator("[data-ordered] li")
    page.get_by_role("button", name="Figures: up").focus()
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    expect(order.first).to_contain_text("Figures")
    # What was ordered has come back from the draft: nothing moves under the next press any more.
    expect(page.locator(".t-card > :first-child")).to_have_class(re.compile("t-card-figures"))
    order.nth(4).drag_to(order.nth(1), target_position={"x": 20, "y": 2})
    expect(page.locator(".t-card > :nth-child(2)")).to_have_class(re.compile("t-card-line"))
    page.get_by_role("checkbox", name="The last matches").uncheck()
    expect(page.locator(".t-card-row")).to_have_count(0)
    expect(page.locator("#saved")).to_contain_text("Draft saved")

    running.publish(overlay_id)
    row = running.store.read(lambda session: stored_overlays.get(session, overlay_id))
    assert row
    viewers = context.new_page()
    viewers.goto(f"/o/{row.token}")
    card = viewers.locator(".piece-match_card")
    expect(card).to_be_hidden()
    page.goto("/")
    expect(page.locator(".card-overlay")).to_contain_text("is empty until a match ends")
    page.get_by_role("button", name="Show now with made-up matches").click()
    expect(card).to_be_visible()
    expect(card).to_contain_text("against Bartholomew von Quillfeather I")
    # A name that is longer than its place ends in an ellipsis and is not cut.
    opponent = card.locator("[data-say$='.opponent']")
    expect(opponent).to_have_css("text-overflow", "ellipsis")
    expect(opponent).to_have_css("overflow", "hidden")
    _play(running, "match.start", "kill", "match.end")
    expect(card.locator("[data-say$='.opponent']")).to_have_text("against tuck")


def test_a_statistic_is_put_into_a_slot_from_the_list(page: Page, running: Running) -> None:
    running.do("instrument.new?kind=statistics", {"title": "Game", "player": "mara_vane"})
    _play(running, "kill", "kill", "death")
    row = running.store.write(
        lambda session: stored_overlays.new_overlay(
            session, "Slots", Overlay(pieces=(new_piece("slots", "slots", look="ink"),)), wall_clock()
        )
    )
    page.goto(f"/overlays/{row.id}")
    page.get_by_label("A statistic for slot 2").select_option(label="K/D, this stream session")
    expect(page.locator("[data-say='slots.value_2']")).to_have_text("2.00")
    expect(page.locator(".t-slot").nth(1).locator(".t-label")).to_have_text("K/D")


def test_a_map_is_set_by_two_clicks_and_follows_the_player(page: Page, running: Running) -> None:
    page.goto("/instruments/new/map")
    page.get_by_label("Name", exact=True).fill("Ladder")
    board = page.locator("[data-board]")
    box = board.bounding_box()
    assert box
    board.click(position={"x": box["width"] * 0.25, "y": box["height"] * 0.5})
    page.get_by_label("Second point", exact=True).check()
    board.click(position={"x": box["width"] * 0.75, "y": box["height"] * 0.9})
    expect(page.locator("[name=a_across_pct]")).to_have_value("25")
    expect(page.locator("[name=b_down_pct]")).to_have_value("90")
    page.get_by_role("button", name="Create", exact=True).click()
    running.event(type="position", data={"x": 500, "y": 300})
    expect(page.get_by_role("region", name="Ladder")).to_contain_text("At 500")
    assert running.signal("ladder.across")["value"] == 0.5
    running.event(type="position", data={"x": 5_000, "y": 300})
    expect(page.get_by_role("region", name="Ladder")).to_contain_text("outside the picture")


def test_the_end_is_heard_on_the_overlay_and_the_desk_says_when_a_page_may_play_no_sound(
    context: BrowserContext, page: Page, running: Running
) -> None:
    running.do(
        "instrument.new?kind=countdown", {"title": "Break", "length": "5 min", "end_sound": "bell", "end_s": "1"}
    )
    piece = new_piece("countdown", "cd", look="ink", countdown="break_")
    row = running.store.write(
        lambda session: stored_overlays.new_overlay(session, "Break", Overlay(pieces=(piece,)), wall_clock())
    )
    running.publish(row.id)
    viewers = context.new_page()
    # Whether a browser lets a page play is its own choice: here it is said to be allowed, then not.
    viewers.add_init_script(
        "window.heard = []; window.Audio = class { constructor(source) { heard.push(source); }"
        " play() { return window.mute ? Promise.reject(new Error('not allowed')) : Promise.resolve(); } }"
    )
    viewers.goto(f"/o/{row.token}")
    expect(viewers.locator(".t-words")).to_have_text("05:00")
    page.goto("/")
    page.get_by_role("group", name="Full panels").get_by_role("button", name="Break").click()
    panel = page.get_by_role("region", name="Break").first
    panel.get_by_role("button", name="Test the end on air").click()
    until(lambda: viewers.evaluate("heard.length") == 1)
    assert viewers.evaluate("heard[0]") == "/static/sounds/bell.wav"
    expect(page.locator(".card-overlay")).not_to_contain_text("not allowed to play sound")
    viewers.evaluate("window.mute = true")
    panel.get_by_role("button", name="Test the end on air").click()
    until(lambda: viewers.evaluate("heard.length") == 2)
    expect(page.locator(".card-overlay")).to_contain_text("not allowed to play sound")


def test_presses_that_come_faster_than_the_answers_all_count(page: Page, running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Tangles", "what": "number", "start": "0", "step": "1"})
    running.do("instrument.new?kind=countdown", {"title": "Break", "length": "5 min", "leading": "no"})
    running.press("/", "/instruments/break_/do/start", {})
    page.goto("/")
    page.get_by_role("group", name="Full panels").get_by_role("button", name="Break").click()
    plus = page.get_by_role("button", name="Tangles: 1 more")
    plus.evaluate("button => { for (let press = 0; press < 7; press++) button.click(); }")
    expect(page.locator(".hand-value")).to_have_text("7")
    panel = page.get_by_role("region", name="Break")
    expect(panel).to_contain_text("Running")
    panel.get_by_role("button", name=re.compile("^Add 3 min")).evaluate(
        "button => { for (let press = 0; press < 5; press++) button.click(); }"
    )
    expect(panel.locator(".count-now")).to_have_text(re.compile(r"^(20|19):\d\d$"))


def test_a_refused_value_stays_in_its_field_beside_the_reason_and_unsaved_input_is_marked(
    page: Page, running: Running
) -> None:
    page.goto("/instruments/new/countdown")
    page.get_by_label("Name", exact=True).fill("Kettle break")
    page.locator("#f-length").fill("often")
    page.get_by_role("button", name="Create", exact=True).click()
    expect(page.locator("#f-length-length-wrong")).to_contain_text("“often” is not a length of time")
    expect(page.locator("#f-length")).to_be_focused()
    expect(page.locator("#f-length")).to_have_attribute("aria-invalid", "true")
    expect(page.get_by_label("Name", exact=True)).to_have_value("Kettle break")
    page.locator("#f-length").fill("9 min")
    expect(page.locator("#f-length-length-wrong")).to_have_count(0)
    page.get_by_role("button", name="Create", exact=True).click()
    expect(page).to_have_url(f"{running.address}/instruments/kettle_break")
    page.get_by_role("link", name="Setup", exact=True).click()
    expect(page.locator("#setup-form")).not_to_have_attribute("data-unsaved", "yes")
    page.get_by_label("Name", exact=True).fill("Kettle breaks")
    expect(page.locator("#setup-form")).to_have_attribute("data-unsaved", "yes")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator(".said")).to_contain_text("“Kettle breaks” was saved.")
    page.locator(".said").get_by_role("button", name="Undo").click()
    expect(page.locator("h1.own-title")).to_have_text("Kettle break")


def test_a_switch_is_turned_off_for_an_instrument_and_for_an_item(page: Page, running: Running) -> None:
    running.do("instrument.new?kind=replay", {"title": "Replays"})
    page.goto("/instruments/replays/setup")
    page.locator("#setup-form details.few").evaluate_all("all => all.forEach((one) => { one.open = true; })")
    page.locator("#f-between_rounds").uncheck()
    page.locator("#setup-form button.btn-main").click()
    expect(page.locator(".said")).to_contain_text("“Replays” was saved.")
    assert choices(running, "replays")["between_rounds"] == "no"
    assert choices(running, "replays")["paused"] == "yes"
    running.do("instrument.new?kind=wheel", {"title": "Wheel"})
    running.do("instrument.command?instrument=wheel&command=add_item", {"words": "sing", "weight": "1", "goes": "yes"})
    page.goto("/instruments/wheel/setup")
    row = page.locator(".item-row").first
    goes = row.locator('[type="checkbox"][name$="goes"]')
    expect(goes).to_be_checked()
    row.get_by_role("button", name="More").click()
    goes.uncheck()
    page.get_by_role("button", name="Save fields").click()
    expect(page.locator(".said")).to_contain_text("Fields: 1 changed")
    expect(goes).not_to_be_checked()


def choices(running: Running, name: str) -> dict[str, object]:
    """The stored settings of an instrument."""
    found = running.store.read(lambda session: stored_computed.by_name(session, name))
    assert found is not None
    return dict(found.choices)
