"""What a user does with instruments, in a real browser, with the mouse and with the keyboard."""

from __future__ import annotations

import re

from playwright.sync_api import BrowserContext, Page, expect

from tesoura.store import overlays as stored_overlays
from tests.conftest import Running


def test_a_break_is_set_up_laid_on_an_overlay_and_lengthened_while_it_runs(
    context: BrowserContext, page: Page, running: Running
) -> None:
    page.goto("/instruments/")
    page.get_by_role("link", name="A countdown or a clock").click()
    page.get_by_label("Its name").fill("Kettle break")
    page.get_by_label("For", exact=True).fill("8 min")
    page.get_by_label("Words before").fill("Back in ")
    page.get_by_label("Leading zeros").select_option("no")
    page.get_by_label("At the end", exact=True).fill("Kettle's on, in we go")
    expect(page.locator("#preview .changes").first.locator("tr")).to_have_count(11)
    expect(page.locator("#preview")).to_contain_text("Back in 7:50")
    page.get_by_role("button", name="Make it").click()

    page.get_by_label("On", exact=True).select_option("")
    page.get_by_role("button", name="Lay it there").click()
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

    page.goto("/")
    panel = page.get_by_role("region", name="Kettle break")
    panel.get_by_role("button", name="Start", exact=False).first.click()
    expect(panel).to_contain_text("Running")
    expect(words).to_have_text(re.compile(r"^Back in 7:5\d$"))
    panel.get_by_role("button", name=re.compile("^Add 3 min")).hover()
    expect(panel.locator(".effect")).to_have_text(re.compile(r"Ends at \d\d:\d\d:\d\d → \d\d:\d\d:\d\d\."))
    panel.get_by_role("button", name=re.compile("^Add 3 min")).click()
    expect(words).to_have_text(re.compile(r"^Back in 10:[345]\d$"))
    panel.get_by_label("For", exact=True).fill("1h 5m")
    expect(panel.locator(".effect")).to_contain_text("→")
    panel.get_by_role("button", name="Set it").click()
    expect(words).to_have_text(re.compile(r"^Back in 1:0\d:\d\d$"))
    panel.get_by_label("For", exact=True).fill("ten")
    panel.get_by_role("button", name="Set it").click()
    expect(panel.locator(".effect")).to_contain_text("“ten” is not a length of time. Write it as 10 min")

    panel.get_by_role("button", name="Show the end now").click()
    expect(words).to_have_text(re.compile(r"^Back in 0:0[1-5]$"))
    expect(words).to_have_text("Kettle's on, in we go")
    expect(words).to_have_text(re.compile(r"^Back in 1:0\d:\d\d$"))


def test_a_break_is_operated_with_the_keyboard_alone(page: Page, running: Running) -> None:
    running.press("/", "/instruments/new/countdown", {"title": "Break", "length": "5 min", "leading": "no"})
    page.goto("/")
    panel = page.get_by_role("region", name="Break")
    panel.get_by_role("button", name=re.compile("^Start ends")).focus()
    expect(panel.locator(".effect")).to_contain_text("Ends at")
    page.keyboard.press("Enter")
    expect(panel).to_contain_text("Running")
    panel.get_by_role("button", name=re.compile("^Pause")).focus()
    page.keyboard.press("Enter")
    expect(panel).to_contain_text("Paused")
    shown = panel.locator("output")
    expect(shown).to_have_text(re.compile(r"^4:5\d$|^5:00$"))
    panel.get_by_label("For", exact=True).focus()
    page.keyboard.type("11 min")
    page.keyboard.press("Enter")
    expect(shown).to_have_text("11:00")
    panel.get_by_role("button", name="Undo").focus()
    page.keyboard.press("Enter")
    expect(shown).to_have_text(re.compile(r"^4:5\d$|^5:00$"))


def test_what_is_being_typed_is_not_taken_away_by_news(page: Page, running: Running) -> None:
    running.press("/", "/instruments/new/countdown", {"title": "Break", "length": "5 min"})
    page.goto("/")
    panel = page.get_by_role("region", name="Break")
    panel.get_by_label("For", exact=True).fill("7 m")
    running.client.post("/api/instruments/break_/start", headers=running.auth)
    expect(panel.locator("output")).to_have_text(re.compile("^04:5"))
    expect(panel.get_by_label("For", exact=True)).to_have_value("7 m")
