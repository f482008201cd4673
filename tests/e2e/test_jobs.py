"""Jobs as users do them, in a real browser."""

from __future__ import annotations

import re
import time
from typing import Any

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import BrowserContext, Page, expect

from tesoura.standins.members import DEFAULT_KEY, MembersService
from tests.conftest import Running, until

NEWER = (
    "signals/new",
    "signals/new/window",
    "signals/new/formula",
    "files/",
    "files/new",
    "files/ready",
    "log/",
    "log/1",
    "reports/",
    "reports/1",
    "recipes/",
    "recipes/channel",
    "overlays/1/link",
    "overlays/1/versions",
    "looks/",
    "looks/ink",
    "looks/style-sheets",
    "typefaces/",
    "instruments/match",
    "instruments/match/matches/0",
    "instruments/wheel",
    "instruments/wheel/check",
    "instruments/new/scoreboard",
    "instruments/new/wheel",
    "instruments/tea",
    "instruments/turns",
    "reports/1/sponsors",
)


def overlay_page(context: BrowserContext, token: str) -> Page:
    opened = context.new_page()
    opened.set_viewport_size({"width": 1920, "height": 1080})
    opened.goto(f"/o/{token}")
    return opened


def test_from_an_empty_folder_to_a_number_on_air_in_three_minutes(
    page: Page, context: BrowserContext, members: MembersService
) -> None:
    began = time.monotonic()
    page.goto("/")
    page.get_by_role("link", name="Only a feed").click()
    page.get_by_role("link", name="A web address").click()
    page.get_by_label("Address", exact=True).fill(f"{members.address}/channels/mara_vane")
    page.get_by_label("Name", exact=True).fill("Reach")
    page.get_by_label("Fetch every").fill("1")
    page.get_by_role("button", name="Test connection").click()
    page.get_by_role("button", name="members 1284").click()
    expect(page.locator("#proof")).to_contain_text("Value now: 1,284")
    page.get_by_label("Unit shown to viewers").fill("kite friends")
    expect(page.locator("#proof")).to_have_text("Value now: 1,284 kite friends", use_inner_text=True)
    page.get_by_role("button", name="Save signal").click()
    page.get_by_role("link", name="Add to an overlay").first.click()
    page.get_by_role("button", name="Create and open mat").click()
    expect(page.locator(".stage .piece")).to_have_text("1,284 kite friends")
    page.get_by_label("Wording", exact=True).fill("{reach.members:,} friends of kites")
    expect(page.locator(".stage .piece")).to_have_text("1,284 friends of kites")
    piece = page.locator(".stage .chosen")
    box = piece.bounding_box()
    assert box
    page.mouse.move(box["x"] + 20, box["y"] + 10)
    page.mouse.down()
    page.mouse.move(box["x"] + 220, box["y"] - 90, steps=8)
    page.mouse.up()
    expect(page.get_by_label("Across")).not_to_have_value("96")
    page.get_by_role("button", name="Put on air").click()
    expect(page.get_by_text("The draft matches what's on air.")).to_be_visible()
    page.get_by_role("button", name="Copy link").first.click()
    expect(page.get_by_role("button", name="Copied")).to_be_visible()
    link = page.evaluate("navigator.clipboard.readText()")
    viewers = context.new_page()
    viewers.goto(link)
    expect(viewers.locator(".piece")).to_have_text("1,284 friends of kites")
    members.put("mara_vane", 10_001)
    expect(viewers.locator(".piece")).to_have_text("10,001 friends of kites")
    assert time.monotonic() - began < 180
    assert viewers.evaluate("getComputedStyle(document.documentElement).backgroundColor") == "rgba(0, 0, 0, 0)"
    expect(page.get_by_text("1 page shows it")).to_be_visible()


def test_the_keyboard_alone_places_a_piece(page: Page, running: Running) -> None:
    running.add_overlay("hello", x=96, y=96)
    page.goto("/overlays/1")
    page.keyboard.press("m")
    expect(page.locator(".stage .chosen")).to_be_focused()
    for key in ("ArrowRight", "Shift+ArrowRight", "ArrowDown", "ArrowDown", "Shift+ArrowUp", "ArrowLeft"):
        page.keyboard.press(key)
    expect(page.get_by_label("Across")).to_have_value("106")
    expect(page.get_by_label("Down", exact=True)).to_have_value("88")
    expect(page.locator("#differs")).to_contain_text("across 96 → 106 px")
    page.keyboard.press("w")
    page.keyboard.press("Control+a")
    page.keyboard.type("goodbye")
    expect(page.locator(".stage .piece")).to_have_text("goodbye")
    for _ in range(60):
        if page.evaluate("document.activeElement.id") == "put-on-air":
            break
        page.keyboard.press("Shift+Tab")
    page.keyboard.press("Enter")
    expect(page.get_by_text("The draft matches what's on air.")).to_be_visible()
    assert (
        "left:106px;top:88px"
        in running.client.get(page.locator("[data-copy]").first.get_attribute("data-copy") or "").text
    )


def tab_to(page: Page, selector: str) -> None:
    """Press Tab until this has the focus."""
    expect(page.locator(selector)).to_be_visible()
    for _ in range(120):
        if page.evaluate("selector => document.activeElement.matches(selector)", selector):
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab never reached {selector}")


def test_the_whole_job_with_the_keyboard_alone(
    page: Page, context: BrowserContext, running: Running, members: MembersService
) -> None:
    page.goto("/")
    tab_to(page, "a[href='/feeds/new']")
    page.keyboard.press("Enter")
    tab_to(page, "a[href='/feeds/new/http']")
    page.keyboard.press("Enter")
    tab_to(page, "#f-address")
    page.keyboard.type(f"{members.address}/channels/mara_vane")
    tab_to(page, "#title")
    page.keyboard.type("Reach")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="members 1284")).to_be_visible()
    tab_to(page, "button[title='Pick channel.members']")
    page.keyboard.press("Enter")
    expect(page.locator("#s-field")).to_be_focused()
    tab_to(page, "#s-unit")
    page.keyboard.type("kite friends")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Saved as reach.members.")).to_be_visible()
    tab_to(page, ".said a.btn-main")
    page.keyboard.press("Enter")
    expect(page.locator("#name")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator(".stage .piece")).to_have_text("1,284 kite friends")
    page.keyboard.press("m")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("Control+Home")
    tab_to(page, "#c-size_px")
    page.keyboard.press("Control+a")
    page.keyboard.type("90")
    expect(page.locator(".stage .piece")).to_have_css("font-size", "90px")
    page.evaluate("document.activeElement.blur()")
    tab_to(page, "#put-on-air")
    page.keyboard.press("Enter")
    expect(page.get_by_text("On air, but not open on any page yet.")).to_be_visible()
    tab_to(page, ".said [data-copy]")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Copied")).to_be_visible()
    viewers = context.new_page()
    viewers.goto(page.evaluate("navigator.clipboard.readText()"))
    expect(viewers.locator(".piece")).to_have_text("1,284 kite friends")


def test_the_focus_stays_where_it_is_while_values_change(page: Page, running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane")
    until(lambda: running.signal("reach.members").get("value") == 1284)
    page.goto("/feeds/reach")
    change = page.get_by_role("button", name="Edit reach.members")
    change.focus()
    members.put("mara_vane", 1999)
    expect(page.locator("#picks .figure")).to_have_text("1,999")
    expect(change).to_be_focused()


def test_a_change_is_kept_when_the_page_is_left_at_once(page: Page, running: Running) -> None:
    running.add_overlay("hello")
    page.goto("/overlays/1")
    page.get_by_label("Wording", exact=True).fill("goodbye")
    page.get_by_role("link", name="Signals", exact=True).click()
    expect(page.get_by_role("heading", name="Signals")).to_be_visible()
    page.goto("/overlays/1")
    expect(page.get_by_label("Wording", exact=True)).to_have_value("goodbye")


def test_a_change_on_the_mat_outlives_a_server_that_was_away(page: Page, running: Running) -> None:
    running.add_overlay("hello")
    page.goto("/overlays/1")
    running.stop()
    page.get_by_label("Wording", exact=True).fill("goodbye")
    expect(page.locator("#saved")).to_contain_text("Not saved")
    again = Running(running.folder, port=running.port)
    try:
        expect(page.locator("#saved")).to_contain_text("Draft saved")
        expect(page.locator(".stage .piece")).to_have_text("goodbye")
    finally:
        again.stop()


@pytest.mark.parametrize("name", ["<img src=x onerror=alert(1)>", "נועה 🎏 مريم", "x" * 300, "{reach.members}"])
def test_names_from_outside_are_shown_as_text_everywhere(
    page: Page, context: BrowserContext, running: Running, name: str
) -> None:
    token = running.add_overlay("{gift.name}", nothing_yet="")
    viewers = overlay_page(context, token)
    expect(viewers.locator(".piece")).to_be_hidden()
    running.event(type="gift", data={"name": name})
    expect(viewers.locator(".piece")).to_have_text(name)
    viewers.reload()
    expect(viewers.locator(".piece")).to_have_text(name)
    page.goto("/")
    expect(page.locator("#happened")).to_contain_text(name[:50])
    page.goto("/signals/")
    expect(page.locator("#signals")).to_contain_text(name[:50])
    page.goto("/overlays/1")
    expect(page.locator(".stage .piece")).to_have_text(name)
    assert page.locator("main img").count() == 0


def test_growth_is_hatched_on_the_side_it_grows_toward(page: Page, running: Running) -> None:
    running.add_overlay("{kill.n:,}", nothing_yet="0", x=900, y=400, grow_digits=2)
    running.event(type="kill", data={"n": 1284})
    page.goto("/overlays/1")
    reserve, piece = page.locator(".reserve"), page.locator(".stage .piece")
    expect(reserve).to_have_count(1)
    before = until(piece.bounding_box)
    hatched = until(reserve.bounding_box)
    assert hatched["x"] == pytest.approx(before["x"] + before["width"], abs=2)
    page.get_by_label("Grows toward").select_option("left")
    expect(page.get_by_label("Across")).not_to_have_value("900")
    until(lambda: (reserve.bounding_box() or {"x": 1e9})["x"] < (piece.bounding_box() or {"x": 0})["x"] - 1)
    after = piece.bounding_box()
    assert after
    assert after["x"] == pytest.approx(before["x"], abs=1)
    page.get_by_label("Across").fill("40")
    expect(page.locator(".reserve.bad")).to_have_count(1)
    expect(page.locator(".measure")).to_contain_text("don't fit")


def test_a_wrong_choice_is_told_beside_its_field(page: Page, running: Running) -> None:
    running.add_overlay("hello")
    page.goto("/overlays/1")
    page.locator("summary", has_text="Backing").click()
    page.get_by_label("Opacity", exact=True).fill("140")
    expect(page.locator("#c-backing_opacity_pct-wrong")).to_contain_text("from 0 to 100")
    page.get_by_label("Opacity", exact=True).fill("0")
    expect(page.locator("#c-backing_opacity_pct-wrong")).to_have_count(0)
    page.get_by_label("Wording", exact=True).fill("{oops")
    expect(page.locator("#c-wording-wrong")).to_contain_text("this brace is not closed")
    page.get_by_text("Signals, functions, formats").click()
    page.get_by_label("Wording", exact=True).fill("Cuts: ")
    page.get_by_role("button", name="plural", exact=True).click()
    expect(page.get_by_label("Wording", exact=True)).to_have_value("Cuts: {plural(n, one, many)}")


def test_a_text_is_taken_away_and_brought_back(page: Page, running: Running) -> None:
    running.add_overlay("hello")
    page.goto("/overlays/1")
    page.get_by_text("Add a piece").click()
    page.locator(".kinds").get_by_role("button", name=re.compile("^Text ")).click()
    expect(page.locator(".stage .piece")).to_have_count(2)
    page.get_by_role("button", name="Delete “Text 2”").click()
    expect(page.locator(".stage .piece")).to_have_count(1)
    page.get_by_role("button", name="Undo").click()
    expect(page.locator(".stage .piece")).to_have_count(2)
    page.get_by_role("button", name="Redo").click()
    expect(page.locator(".stage .piece")).to_have_count(1)


def test_an_overlay_survives_a_restart_untouched_and_shows_the_new_value(
    page: Page, context: BrowserContext, running: Running
) -> None:
    token = running.add_overlay("{kill.target} fell", nothing_yet="nobody yet")
    running.event(type="kill", data={"target": "tuck"})
    viewers = overlay_page(context, token)
    expect(viewers.locator(".piece")).to_have_text("tuck fell")
    running.stop()
    assert viewers.locator(".piece").inner_text() == "tuck fell"
    again = Running(running.folder, port=running.port)
    try:
        until(lambda: "1 page shows it" in again.client.get("/desk/overlays/1").text)
        again.event(type="kill", data={"target": "halyard_sam"})
        expect(viewers.locator(".piece")).to_have_text("halyard_sam fell")
    finally:
        again.stop()


def test_after_an_upgrade_the_page_loads_itself_anew(
    context: BrowserContext, running: Running, monkeypatch: pytest.MonkeyPatch
) -> None:
    token = running.add_overlay("hello")
    viewers = overlay_page(context, token)
    before = viewers.evaluate("document.documentElement.dataset.build")
    viewers.evaluate("window.untouched = true")
    running.stop()
    for place in ("tesoura.runtime.facade.build", "tesoura.web.build"):
        monkeypatch.setattr(place, lambda: "0.3.0-upgraded")
    again = Running(running.folder, port=running.port)
    try:
        expect(viewers.locator("html[data-build='0.3.0-upgraded']")).to_be_attached()
        assert before != "0.3.0-upgraded"
        assert viewers.evaluate("window.untouched") is None
        expect(viewers.locator(".piece")).to_have_text("hello")
    finally:
        again.stop()


def test_a_new_version_replaces_the_old_without_a_reload(context: BrowserContext, running: Running) -> None:
    token = running.add_overlay("hello")
    viewers = overlay_page(context, token)
    expect(viewers.locator(".piece")).to_have_text("hello")
    viewers.evaluate("window.untouched = true")
    running.edit(1, {"do": "add", "kind": "ring"})
    running.publish(1)
    expect(viewers.locator(".piece")).to_have_count(2)
    assert viewers.evaluate("window.untouched") is True


def test_the_desk_is_alive(page: Page, context: BrowserContext, running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane")
    token = running.add_overlay("{kill.target}", nothing_yet="nobody yet")
    page.goto("/")
    expect(page.get_by_text("Ready, but not open on any page")).to_be_visible()
    viewers = overlay_page(context, token)
    page.bring_to_front()
    expect(page.get_by_text("1 page shows it")).to_be_visible()
    small = page.frame_locator("iframe").locator(".piece")
    expect(small).to_have_text("nobody yet")
    running.event(type="kill", data={"target": "wren_bobbin"})
    expect(small).to_have_text("wren_bobbin")
    expect(page.locator("#happened")).to_contain_text("wren_bobbin")
    members.fail("500")
    expect(page.locator("#desk-feeds")).to_contain_text("a server error (500)")
    viewers.close()
    expect(page.get_by_text("Ready, but not open on any page")).to_be_visible()
    page.get_by_role("button", name="Start session").click()
    expect(page.locator(".said").get_by_text("Session started at")).to_be_visible()
    expect(page.locator(".clock.big")).to_have_text(re.compile(r"^0:00:0[1-9]$"))
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_text("No stream session yet.")).to_be_visible()


def test_a_key_is_covered_until_asked_for_and_covered_again(page: Page, members: MembersService) -> None:
    page.goto("/feeds/new/http")
    page.get_by_label("Address", exact=True).fill(f"{members.address}/channels/mara_vane/exact")
    page.get_by_role("button", name="Test connection").click()
    expect(page.get_by_role("alert")).to_contain_text("needs a key (401)")
    page.get_by_label("Key", exact=True).select_option("header")
    page.get_by_label("Key name").fill("X-Key")
    page.get_by_label("The key").fill("wrong")
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_role("alert")).to_contain_text("(403)")
    page.get_by_label("The key").fill(DEFAULT_KEY)
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_role("button", name="members 1284")).to_be_visible()
    page.get_by_role("link", name="Setup", exact=True).click()
    expect(page.locator(".secret-shown")).to_have_text("••••••••••••")
    page.get_by_role("button", name="Hidden · Show", exact=True).click()
    expect(page.locator(".secret-shown")).to_have_text(DEFAULT_KEY)
    page.get_by_role("button", name="Shown · Hide", exact=True).click()
    expect(page.locator(".secret-shown")).to_have_text("••••••••••••")


def _add_instruments(running: Running) -> None:
    running.do("instrument.new?kind=countdown", {"title": "Kettle break"})
    running.do("instrument.new?kind=statistics", {"title": "Game"})
    running.do("instrument.new?kind=map", {"title": "Ladder"})
    running.client.post("/api/instruments/kettle_break/start", headers=running.auth)
    running.event(type="match.end", data={"result": "flawless"})
    running.do("instrument.new?kind=scoreboard", {"title": "Match"})
    for side in ("home", "away", "home"):
        running.press("/", "/instruments/match/do/point", {"side": side})
    running.press("/", "/instruments/match/do/side", {"side": "home", "name": "Team Bobbin", "colour": "#C23A22"})
    running.do("instrument.new?kind=wheel", {"title": "Wheel"})
    for words in ("sing the score", "tea for everybody"):
        running.do("instrument.command?instrument=wheel&command=add_item", {"words": words, "weight": "1"})
    running.press("/", "/instruments/wheel/do/owe", {"who": "teacup_ana"})
    tea = {"title": "Tea", "sponsor": "Cordel Tea", "minutes": "90", "points": "North slope\nTen per cent"}
    running.do("instrument.new?kind=campaign", tea)
    running.do("instrument.new?kind=rotation", {"title": "Turns"})
    running.press("/", "/instruments/tea/do/begin_read")


# The two schemes differ in their colours alone.
SCHEMES: tuple[tuple[Any, dict[str, Any]], ...] = (("light", {}), ("dark", {"runOnly": ["color-contrast"]}))


@pytest.mark.parametrize("half", [0, 1])
def test_axe_finds_nothing(page: Page, running: Running, members: MembersService, half: int) -> None:
    found: list[str] = []

    def look(path: str) -> None:
        page.goto(path)
        for scheme, rules in SCHEMES:
            page.emulate_media(color_scheme=scheme, reduced_motion="reduce")
            # What is drawn in a look's colours is the look's matter, which has a test of its own.
            options = {"resultTypes": ["violations"], "iframes": False, **rules}
            looked = Axe().run(page, context={"exclude": [[".sample-stage"]]}, options=options)
            found.extend(
                f"{path}, {scheme}: {one['id']} {[node['html'][:120] for node in one['nodes'][:3]]}"
                for one in looked.response["violations"]
            )

    look("/" if half else "/nothing")
    running.add_feed(f"{members.address}/channels/mara_vane")
    running.add_overlay("{reach.members:,} kite friends")
    running.do("session.start")
    running.event(type="kill", data={"target": "tuck", "amount": 2})
    until(lambda: running.signal("reach.members").get("value"))
    _add_instruments(running)
    running.press(
        "/",
        "/feeds/new/irc",
        {
            "title": "Pier chat",
            "host": "127.0.0.1",
            "port": "9",
            "tls": "no",
            "channel": "pier",
            "nick": "mara",
            "keep_anyway": "yes",
        },
    )
    running.do(
        "instrument.new?kind=cue",
        {
            "title": "Gift cheer",
            "when": "event",
            "event": "gift",
            "do_1": "set",
            "signal_1": "script.cheers",
            "value_of_1": "{event.name}",
        },
    )
    paths = (
        "",
        "feeds/",
        "feeds/new",
        "feeds/new/channel",
        "feeds/reach",
        "signals/",
        "overlays/",
        "overlays/new",
        "overlays/1",
        "feeds/new/irc",
        "feeds/new/scene",
        "feeds/pier_chat",
        "instruments/",
        "instruments/new",
        "instruments/new/map",
        "instruments/kettle_break",
        "instruments/game",
        "cues/",
        "cues/new",
        "cues/gift_cheer",
        "preferences/",
        "nothing",
        "devices/",
        "phone/pair",
        "phone/pad",
        *NEWER,
    )
    for path in paths[half::2]:
        look(f"/{path}")
    assert found == []


def test_nothing_sticks_out_on_a_phone(page: Page, running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane")
    running.do("session.start")
    running.add_overlay("hello")
    _add_instruments(running)
    page.set_viewport_size({"width": 390, "height": 844})
    wide = []
    for path in (
        "",
        "feeds/",
        "feeds/new",
        "feeds/reach",
        "signals/",
        "preferences/",
        "log/",
        "files/",
        "reports/",
        "overlays/",
        "overlays/1",
        "overlays/1/link",
        "looks/",
        "instruments/",
        "instruments/kettle_break",
        "instruments/game",
        "instruments/ladder",
        "instruments/match",
        "clips",
        "instruments/tea",
        "instruments/turns",
        "reports/1/sponsors",
    ):
        page.goto(f"/{path}")
        if page.evaluate("document.documentElement.scrollWidth") > 390:
            wide.append(path)
    assert wide == []
