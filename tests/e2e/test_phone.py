"""What a user does away from the desk: pair a phone and press on it, with a bad link too; press on the pad."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.conftest import Running, until
from tests.runtime.test_cues import new_cue
from tests.runtime.test_devices import lay, scene


@pytest.fixture
def phone(browser: Browser, running: Running) -> Iterator[Page]:
    """A phone's browser."""
    context = browser.new_context(
        viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True, base_url=running.address
    )
    context.set_default_timeout(45_000)
    yield context.new_page()
    context.close()


def digits(page: Page) -> str:
    """Open a pairing as its owner does; the digits."""
    page.goto("/devices/")
    page.get_by_role("button", name="Show code").click()
    return page.locator(".digits").inner_text().replace(" ", "")


def pair(page: Page, phone: Page) -> None:
    code = digits(page)
    phone.goto("/phone/")
    phone.get_by_label("The six digits").fill(code)
    phone.get_by_role("button", name="Pair this phone").tap()
    expect(phone.locator("#link-state")).to_contain_text("● connected")


def test_a_phone_is_paired_presses_what_waits_and_sees_the_seconds(page: Page, phone: Page, running: Running) -> None:
    name = new_cue(running, do_1="set", signal_1="script.cheers", value_of_1="1", rests="1 h")
    lay(running, does="cue", cue=name, words="Cheer")
    lay(running, does="scene", scene="Talk")
    pair(page, phone)
    phone.get_by_role("button", name="Cheer").tap()
    expect(phone.get_by_role("button", name="Cheer not now:")).to_contain_text("s left")
    until(lambda: running.signal("script.cheers").get("value") == 1)
    box = phone.get_by_role("button", name="Talk").bounding_box()
    assert box is not None
    assert box["height"] >= 48
    assert box["width"] >= 48
    page.goto("/devices/")
    expect(page.locator("#device-list")).to_contain_text("● connected")
    page.get_by_role("button", name="Remove Phone").click()
    expect(phone.locator("#link-state")).to_contain_text("This device was removed and can't press anything.")
    expect(phone.get_by_role("button", name="Cheer")).to_have_count(0)


def test_a_press_on_a_link_that_breaks_arrives_once_when_it_is_back(page: Page, phone: Page, running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "low": "0", "high": "9"})
    lay(running, does="step", hand="lives", by="1", words="One up")
    # The link goes over a wire that can be cut: what the phone says is heard, what it is told is not.
    cut = False
    wires = []

    def wire(socket: object) -> None:
        server = socket.connect_to_server()  # type: ignore[attr-defined]
        wires.append(socket)
        socket.on_message(server.send)  # type: ignore[attr-defined]
        server.on_message(lambda text: None if cut else socket.send(text))  # type: ignore[attr-defined]

    phone.route_web_socket("**/device-socket", wire)
    pair(page, phone)
    expect(phone.get_by_role("button", name="One up")).to_contain_text("0 → 1")
    cut = True
    phone.get_by_role("button", name="One up").tap()
    expect(phone.locator(".answer")).to_have_text("sent, waiting")
    until(lambda: running.signal("lives.value")["value"] == 1)
    expect(phone.locator("#phone-said")).to_contain_text("Not delivered yet.")
    cut = False
    expect(phone.get_by_role("button", name="One up")).to_contain_text("1 → 2")
    expect(phone.locator(".answer")).to_have_text("lives.value is 1.")
    assert len(wires) > 1
    assert running.signal("lives.value")["value"] == 1


def test_desk_and_pad_show_the_same_and_press_the_same(page: Page, running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "low": "0", "high": "9"})
    lay(running, does="scene", scene="Talk")
    lay(running, does="level", hand="lives", words="Lives")
    code = digits(page)
    pad = page.context.new_page()
    pad.goto("/phone/pad")
    pad.get_by_label("Pair with six digits").fill(code)
    pad.get_by_role("button", name="Pair").click()
    expect(pad.locator("#pad-state")).to_contain_text("● connected as On-screen pad")
    page.goto("/")
    expect(page.get_by_role("button", name="Talk no scene → Talk")).to_be_visible()
    pad.get_by_role("button", name="Talk no scene → Talk").click()
    for each in (page, pad):
        expect(each.locator(".desk-button").first).to_contain_text("now")
        expect(each.locator(".desk-button .answer").first).to_have_text("The scene is Talk.")
    assert scene(running) == "Talk"
    dial = pad.get_by_role("spinbutton", name="Lives")
    dial.focus()
    pad.keyboard.press("ArrowUp")
    pad.keyboard.press("ArrowUp")
    expect(dial).to_contain_text("2")
    expect(page.locator(".desk-button").nth(1)).to_contain_text("2")
    page.get_by_role("slider", name="Lives").fill("1")
    expect(dial).to_contain_text("9")
    # Known again without a code.
    pad.reload()
    expect(pad.locator("#pad-state")).to_contain_text("● connected")


def test_a_key_of_its_own_presses_a_button_once_and_never_while_one_types(page: Page, running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "low": "0", "high": "9"})
    lay(running, does="step", hand="lives", by="1", words="One up")
    page.goto("/")
    leaves = page.locator("#desk-leaves")
    leaves.get_by_role("button", name="Edit buttons").click()
    expect(leaves.get_by_role("button", name="Done")).to_be_visible()
    leaves.get_by_role("button", name="One up").click()
    expect(leaves.get_by_text("Edit “One up”")).to_be_visible()
    leaves.get_by_label("Key", exact=True).focus()
    page.keyboard.press("Shift+U")
    expect(leaves.get_by_label("Key", exact=True)).to_have_value("Shift+U")
    leaves.get_by_role("button", name="Save", exact=True).click()
    expect(leaves.get_by_text("“One up” was saved.")).to_be_visible()
    leaves.get_by_label("New button page").fill("U")
    leaves.get_by_label("New button page").press("Shift+U")
    leaves.get_by_role("button", name="Done").click()
    expect(leaves.get_by_role("button", name="Edit buttons")).to_be_visible()
    expect(leaves.locator("kbd")).to_have_text("Shift+U")
    page.keyboard.press("u")
    page.keyboard.down("Shift")
    for _ in range(4):
        # Held down, the key tells itself again and again.
        page.keyboard.down("U")
    page.keyboard.up("U")
    page.keyboard.up("Shift")
    expect(leaves.get_by_role("button", name="One up")).to_contain_text("1 → 2")
    assert running.signal("lives.value")["value"] == 1


def test_on_a_phone_the_desk_has_four_tabs_and_counts_what_needs_somebody(phone: Page, running: Running) -> None:
    lay(running, does="scene", scene="Talk")
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
    phone.goto("/")
    tabs = phone.get_by_role("navigation", name="Parts of the desk")
    expect(tabs.get_by_role("button", name="Attention: 1")).to_be_visible()
    expect(phone.locator("#desk-needs")).to_be_hidden()
    tabs.get_by_role("button", name="Attention: 1").tap()
    expect(phone.locator("#desk-needs")).to_contain_text("Lamp is down")
    expect(phone.locator("#desk-leaves")).to_be_hidden()
    width = phone.evaluate("[document.documentElement.scrollWidth, innerWidth]")
    assert width[0] <= width[1]


def test_nothing_of_the_old_leaf_is_pressed_after_another_window_has_laid_it_anew(page: Page, running: Running) -> None:
    button = lay(running, does="scene", scene="Talk")
    page.goto("/")
    expect(page.get_by_role("button", name="Talk no scene → Talk")).to_be_visible()
    running.press("/", f"/desk/leaves/l1/buttons/{button}/remove", {})
    expect(page.locator("#desk-leaves")).to_contain_text("No buttons on this page yet.")
