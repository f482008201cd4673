"""What a user does at the desk: lay buttons, press them with the keyboard, clear the air, undo, see what needs him."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.conftest import Running, until
from tests.runtime.test_cues import new_cue


def test_buttons_are_laid_and_pressed_with_the_keyboard_alone(page: Page, running: Running) -> None:
    running.press("/", "/preferences/scenes", {"scenes": "Play\nTalk", "scene_signal": "scene.present"})
    token = running.add_overlay("a song", name="Song")
    new_cue(running, do_1="set", signal_1="script.cheers", value_of_1="1", rests="1 h")
    page.goto("/")
    leaves = page.locator("#desk-leaves")
    leaves.get_by_label("Name of a new leaf").fill("Play")
    page.keyboard.press("Enter")
    leaves.get_by_label("It shall").select_option("scene")
    leaves.get_by_label("To the scene").select_option("Talk")
    leaves.get_by_role("button", name="Lay it").focus()
    page.keyboard.press("Enter")
    expect(leaves.locator(".desk-button")).to_have_count(1)
    leaves.get_by_label("It shall").select_option("piece")
    leaves.get_by_label("The piece").select_option("Overlay / Song")
    leaves.get_by_role("button", name="Lay it").click()
    expect(leaves.locator(".desk-button")).to_have_count(2)
    leaves.get_by_label("It shall").select_option("cue")
    leaves.get_by_label("The cue").select_option("cheer")
    leaves.get_by_role("button", name="Lay it").click()
    expect(leaves.locator(".desk-button")).to_have_count(3)
    leaves.get_by_role("button", name="Done").focus()
    page.keyboard.press("Enter")
    expect(leaves.get_by_role("button", name="Lay buttons")).to_be_visible()
    leaves.get_by_role("button", name="Talk no scene → Talk").focus()
    page.keyboard.press("Enter")
    expect(leaves.get_by_role("button", name="Talk now")).to_be_focused()
    assert running.signal("scene.present")["value"] == "Talk"
    viewer = page.context.new_page()
    viewer.goto(f"/o/{token}")
    expect(viewer.locator(".name-song")).to_be_visible()
    leaves.get_by_role("button", name="Song viewers see it · Hide").click()
    expect(viewer.locator(".name-song")).to_be_hidden()
    leaves.get_by_role("button", name="Song hidden · Show").click()
    expect(viewer.locator(".name-song")).to_be_visible()
    leaves.get_by_role("button", name="cheer").click()
    expect(leaves.get_by_role("button", name="cheer not now:")).to_contain_text("s left")
    assert running.signal("script.cheers")["value"] == 1


def test_the_air_is_cleared_with_one_press_brought_back_and_the_last_act_undone(page: Page, running: Running) -> None:
    token = running.add_overlay("hello", name="Hello")
    viewer = page.context.new_page()
    viewer.goto(f"/o/{token}")
    page.goto("/")
    air = page.locator("#desk-air")
    air.get_by_role("button", name="Viewers see it · Clear the air").focus()
    page.keyboard.press("Enter")
    expect(viewer.locator(".name-hello")).to_be_hidden()
    expect(air).to_contain_text("The air is cleared: viewers see nothing")
    viewer.reload()
    expect(viewer.locator(".name-hello")).to_be_hidden()
    air.get_by_role("button", name="Bring it back as it was").click()
    expect(viewer.locator(".name-hello")).to_be_visible()
    page.get_by_role("button", name="Start session").click()
    until(lambda: running.runtime.call(lambda self: self.session_started_at))
    air.get_by_role("button", name="Undo: A new session has started.").click()
    expect(air).to_contain_text("Taken back: A new session has started.")
    assert running.runtime.call(lambda self: self.session_started_at) is None


def test_what_needs_me_is_told_with_the_press_that_mends_it_and_nothing_else(page: Page, running: Running) -> None:
    running.add_overlay("hello")
    page.goto("/")
    needs = page.locator("#desk-needs")
    expect(needs).to_contain_text("Nothing.")
    running.press("/", "/feeds/new/socket", {"title": "Lamp", "address": "ws://127.0.0.1:9/lamp", "key_in": "none",
                                             "subscribe": "", "ping_s": "20", "keep_anyway": "yes"})  # fmt: skip
    expect(needs).to_contain_text("Lamp is down: Nothing answers at 127.0.0.1:9")
    needs.get_by_role("button", name="Open it anew").click()
    expect(page).to_have_url(f"{running.address}/feeds/lamp")
    running.press("/", "/instruments/new/countdown", {"title": "Kettle", "length": "9 min"})
    running.client.post("/api/instruments/kettle/start", headers=running.auth)
    page.goto("/")
    expect(page.locator("#desk-coming")).to_contain_text("Kettle ends in")
    expect(page.locator(".desk-needs summary")).to_have_text("0 feeds live, of 1")
