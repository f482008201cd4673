"""What a user does with cues, in a real browser: made as a sentence, fired once, looked back on."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.conftest import Running


def test_a_cue_is_made_seen_as_a_sentence_and_fires_once_for_what_happens(page: Page, running: Running) -> None:
    running.press("/", "/preferences/scenes", {"scenes": "Play\nTalk", "scene_signal": "scene.present"})
    running.runtime.call(lambda self: self.set_scene("Play"))
    running.event(type="gift", data={"name": "teacup_ana", "amount": 9})
    page.goto("/cues/")
    page.get_by_role("link", name="Make the first one").click()
    page.get_by_label("When", exact=True).select_option("event")
    page.get_by_label("What happens").fill("gift")
    page.get_by_label("And its field").first.fill("amount")
    page.get_by_label("is so").first.select_option("at least")
    page.get_by_label("what", exact=True).first.fill("5")
    page.get_by_label("To the scene").first.select_option("Talk")
    page.get_by_label("Every", exact=True).last.fill("2 min")
    page.get_by_label("Its name").fill("Gift cheer")
    tried = page.locator("#tried")
    expect(tried).to_contain_text(
        "When gift happens with amount at least 5, switch to scene Talk, no more often than every 2 min."
    )
    expect(tried).to_contain_text("It would have fired 1 time in the last 12 hours")
    page.get_by_role("button", name="Make it").click()
    card = page.locator("#cue-gift_cheer")
    expect(card).to_contain_text("● Ready")

    running.event(type="gift", data={"name": "tuck", "amount": 4})
    running.event(type="gift", data={"name": "tuck", "amount": 7})
    running.event(type="gift", data={"name": "tuck", "amount": 7})
    expect(card).to_contain_text("◐ Rests")
    expect(card).to_contain_text("fired 1 time, last: gift")
    history = page.locator("#cue-history")
    expect(history).to_contain_text("scene Talk: done")
    expect(history).to_contain_text(re.compile(r"not: gift not now: 1\d\d s left"))
    assert running.signal("scene.present")["value"] == "Talk"


def test_a_cue_is_operated_with_the_keyboard_alone(page: Page, running: Running) -> None:
    running.press("/", "/cues/new", {"title": "Lamps", "do_1": "set", "signal_1": "script.lamps", "value_of_1": "3",
                                     "rests": "1 h"})  # fmt: skip
    page.goto("/")
    page.keyboard.press("g")
    page.keyboard.press("c")
    card = page.locator("#cue-lamps")
    card.get_by_role("button", name="Fire it").focus()
    page.keyboard.press("Enter")
    expect(card).to_contain_text("It fires now.")
    expect(card).to_contain_text("◐ Rests")
    page.keyboard.press("Enter")
    expect(card).to_contain_text(re.compile(r"Not now: (60|59) min left\."))
    card.get_by_role("button", name="On · Switch it off").focus()
    page.keyboard.press("Enter")
    expect(card).to_contain_text("○ Off")
    expect(card.get_by_role("button", name="Off · Let it wait for its moment")).to_be_focused()
    assert running.signal("script.lamps")["value"] == 3
