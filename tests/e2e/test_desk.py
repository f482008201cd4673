"""What a user does at the desk: lay buttons, press them with the keyboard, clear the air, undo, see what needs him."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.conftest import Running, until
from tests.runtime.test_cues import new_cue
from tests.runtime.test_devices import lay


def test_buttons_are_laid_and_pressed_with_the_keyboard_alone(page: Page, running: Running) -> None:
    running.do("choose.scenes", {"scenes": "Play\nTalk", "scene_signal": "scene.present"})
    token = running.add_overlay("a song", name="Song")
    new_cue(running, do_1="set", signal_1="script.cheers", value_of_1="1", rests="1 h")
    page.goto("/")
    leaves = page.locator("#desk-leaves")
    leaves.get_by_label("New button page").fill("Play")
    page.keyboard.press("Enter")
    leaves.get_by_label("Action", exact=True).select_option("scene")
    leaves.get_by_label("Scene", exact=True).select_option("Talk")
    leaves.get_by_role("button", name="Add button").focus()
    page.keyboard.press("Enter")
    expect(leaves.locator(".desk-button")).to_have_count(1)
    leaves.get_by_label("Action", exact=True).select_option("piece")
    leaves.get_by_label("Piece", exact=True).select_option("Overlay / Song")
    leaves.get_by_role("button", name="Add button").click()
    expect(leaves.locator(".desk-button")).to_have_count(2)
    leaves.get_by_label("Action", exact=True).select_option("cue")
    leaves.get_by_label("Cue", exact=True).select_option("cheer")
    leaves.get_by_role("button", name="Add button").click()
    expect(leaves.locator(".desk-button")).to_have_count(3)
    leaves.get_by_role("button", name="Done").focus()
    page.keyboard.press("Enter")
    expect(leaves.get_by_role("button", name="Edit buttons")).to_be_visible()
    leaves.get_by_role("button", name="Talk no scene → Talk").focus()
    page.keyboard.press("Enter")
    expect(leaves.get_by_role("button", name="Talk now")).to_be_focused()
    assert running.signal("scene.present")["value"] == "Talk"
    viewer = page.context.new_page()
    viewer.goto(f"/o/{token}")
    expect(viewer.locator(".name-song")).to_be_visible()
    leaves.get_by_role("button", name="Song on screen · Hide").click()
    expect(viewer.locator(".name-song")).to_be_hidden()
    leaves.get_by_role("button", name="Song hidden · Show").click()
    expect(viewer.locator(".name-song")).to_be_visible()
    leaves.get_by_role("button", name="cheer").click()
    expect(leaves.get_by_role("button", name="cheer not now:")).to_contain_text("s left")
    until(lambda: running.signal("script.cheers").get("value") == 1)


def test_the_air_is_cleared_with_one_press_brought_back_and_the_last_act_undone(page: Page, running: Running) -> None:
    token = running.add_overlay("hello", name="Hello")
    viewer = page.context.new_page()
    viewer.goto(f"/o/{token}")
    page.goto("/")
    air = page.locator("#desk-air")
    air.get_by_role("button", name="On screen · Hide everything").focus()
    page.keyboard.press("Enter")
    expect(viewer.locator(".name-hello")).to_be_hidden()
    expect(air).to_contain_text("Everything is hidden from viewers")
    viewer.reload()
    expect(viewer.locator(".name-hello")).to_be_hidden()
    air.get_by_role("button", name="Show everything again").click()
    expect(viewer.locator(".name-hello")).to_be_visible()
    page.get_by_role("button", name="Start session").click()
    until(lambda: running.runtime.call(lambda self: self.session_started_at))
    air.get_by_role("button", name="Undo: Session started at").click()
    expect(air).to_contain_text("Undone: Session started at")
    assert running.runtime.call(lambda self: self.session_started_at) is None


def test_the_first_screen_shows_viewers_queue_needs_and_buttons_and_the_buttons_stay_put(
    page: Page, running: Running
) -> None:
    token = running.add_overlay("hello", name="Hello")
    running.add_overlay("spare", name="Spare")
    lay(running, does="air")
    page.context.new_page().goto(f"/o/{token}")
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto("/")
    spare = page.locator(".card-overlay:not(:has(.on-air))")
    expect(page.locator(".desk-see .on-air")).to_be_visible()
    expect(spare).to_be_hidden()
    page.get_by_label("Show overlays not open on any page").check()
    expect(spare).to_be_visible()

    def places() -> list[float]:
        parts = ("#desk-moments", "#desk-needs", ".desk-button", "#next-title")
        return [box["y"] for part in parts if (box := page.locator(part).first.bounding_box())]

    before = places()
    assert before == sorted(before)
    assert (len(before), before[2] < 700) == (4, True)
    running.do("moments.hold", {"held": "yes"})
    expect(page.locator("#desk-moments")).to_contain_text("Alerts are paused")
    assert places() == before
    # Deleted elsewhere: its card leaves, so that nothing asks about it any more.
    running.do("overlay.remove", {"overlay": "2"})
    expect(page.locator(".card-overlay")).to_have_count(1)


def test_what_needs_me_is_told_with_the_press_that_mends_it_and_nothing_else(page: Page, running: Running) -> None:
    running.add_overlay("hello")
    page.goto("/")
    needs = page.locator("#desk-needs")
    expect(needs).to_contain_text("Nothing.")
    running.press(
        "/",
        "/feeds/new/socket",
        {
            "title": "Lamp",
            "address": "ws://127.0.0.1:9/lamp",
            "key_in": "none",
            "subscribe": "",
            "ping_s": "20",
            "keep_anyway": "yes",
        },
    )
    expect(needs).to_contain_text("Lamp is down: No answer at 127.0.0.1:9")
    needs.get_by_role("button", name="Reconnect").click()
    expect(page).to_have_url(f"{running.address}/feeds/lamp")
    running.do("instrument.new?kind=countdown", {"title": "Kettle", "length": "9 min"})
    running.client.post("/api/instruments/kettle/start", headers=running.auth)
    page.goto("/")
    expect(page.locator("#desk-coming")).to_contain_text("Kettle ends in")
    expect(page.locator(".desk-needs summary")).to_have_text("0 of 1 feed live")


def test_an_evening_is_operated_from_the_desk_with_the_keyboard_alone(page: Page, running: Running) -> None:
    running.do("choose.scenes", {"scenes": "Starting\nPlay\nBreak", "scene_signal": "scene.present"})
    running.press("/", "/feeds/new/hand", {"title": "Lines", "what": "number", "low": "0", "high": "99"})
    running.do("instrument.new?kind=countdown", {"title": "Kettle", "length": "9 min"})
    token = running.add_overlay("{lines.value} lost", name="Lost", nothing_yet="none lost")
    for typed in (
        {"does": "session", "key": "F2"},
        {"does": "scene", "scene": "Play", "key": "F3"},
        {"does": "scene", "scene": "Break", "key": "F4"},
        {"does": "step", "hand": "lines", "by": "1", "key": "x"},
        {"does": "command", "instrument": "kettle", "command": "start", "key": "Shift+K"},
        {"does": "command", "instrument": "kettle", "command": "add", "with": "by 3 min", "key": "m"},
        {"does": "piece", "part": "Overlay / Lost", "key": "v"},
        {"does": "air", "key": "0"},
        {"does": "undo", "key": "u"},
    ):
        lay(running, **typed)
    viewers = page.context.new_page()
    viewers.goto(f"/o/{token}")
    page.bring_to_front()
    page.goto("/")
    expect(page.locator("#desk-leaves:not(.is-away) .desk-button")).to_have_count(9)
    lost = viewers.locator(".name-lost")

    def after(key: str, place: int, words: str) -> None:
        page.keyboard.press(key)
        expect(page.locator(".desk-button").nth(place).locator(".answer")).to_contain_text(words)

    after("F2", 0, "Session started at")
    after("F3", 1, "The scene is Play.")
    for count in ("1", "2", "3"):
        after("x", 3, f"lines.value is {count}.")
    expect(lost).to_have_text("3 lost")
    after("u", 8, "Undone: lines.value is 3.")
    expect(lost).to_have_text("2 lost")
    after("F4", 2, "The scene is Break.")
    after("Shift+K", 4, "Ends at")
    after("m", 5, "→")
    expect(page.locator("#desk-coming")).to_contain_text("Kettle ends in")
    after("v", 6, "is hidden until changed.")
    expect(lost).to_be_hidden()
    after("v", 6, "is shown until changed.")
    after("0", 7, "Everything is hidden from viewers")
    expect(lost).to_be_hidden()
    after("0", 7, "Everything is on screen again.")
    expect(lost).to_be_visible()
    expect(page.locator("#happened")).to_contain_text("everything shown again by the desk")
