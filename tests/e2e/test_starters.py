"""First jobs from an empty folder, walked with nothing but the pages; each press, field and page counted."""

from __future__ import annotations

import pytest
from playwright.sync_api import Browser, Locator, Page, expect

from tesoura.standins.members import MembersService
from tesoura.standins.ratings import DEFAULT_KEY, RatingService
from tests.conftest import Running


class Walk:
    """Somebody at a page who presses, fills in, and lands on other pages."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.presses = self.fields = 0
        self.pages: set[str] = set()
        self._note()

    def press(self, what: Locator) -> None:
        """Press it once."""
        what.click()
        self.presses += 1
        self.page.wait_for_load_state()
        self._note()

    def fill(self, what: Locator, words: str) -> None:
        """Fill a field in."""
        what.fill(words)
        self.fields += 1

    def _note(self) -> None:
        self.pages.add(self.page.url.partition("?")[0])

    @property
    def count(self) -> tuple[int, int, int]:
        """So many presses, fields and pages."""
        return self.presses, self.fields, len(self.pages)


@pytest.fixture
def running(with_practice: Running) -> Running:
    """The pages of a server that can start the services that come with Tesoura."""
    return with_practice


@pytest.fixture
def walk(page: Page) -> Walk:
    """At the first page."""
    page.goto("/")
    return Walk(page)


def button(page: Page, name: str) -> Locator:
    """The button that can be seen of this name."""
    return page.get_by_role("button", name=name, exact=True).locator("visible=true").last


def seen(page: Page) -> Locator:
    """What viewers have, as the page that says what was made shows it."""
    return page.frame_locator(".made-picture iframe").locator("main")


def test_a_number_comes_onto_the_overlays_page_in_three_presses_and_one_field(
    walk: Walk, members: MembersService
) -> None:
    members.freeze()
    members.put("mara_vane", 1_284)
    page = walk.page
    walk.press(page.get_by_role("link", name="A count"))
    walk.fill(page.get_by_role("textbox", name="Address"), f"{members.address}/channels/mara_vane")
    walk.press(button(page, "Create"))
    expect(page.get_by_role("heading", name="A count is ready")).to_be_visible()
    expect(page.locator(".made-list .figure").first).to_have_text("1,284")
    walk.press(button(page, "Put on air"))
    expect(button(page, "Put on air")).to_have_count(0)
    expect(seen(page)).to_contain_text("1,284 members")
    assert walk.count == (3, 1, 3)
    page.get_by_role("link", name="See the page").click()
    expect(page.locator("main")).to_contain_text("1,284 members")


def test_the_practice_service_is_started_by_one_press_and_keys_alone_do(walk: Walk) -> None:
    page = walk.page
    for name in ("A count", "Start the included practice service", "Create", "Put on air"):
        found = page.get_by_role("link" if name == "A count" else "button", name=name, exact=True).last
        found.focus()
        page.keyboard.press("Enter")
        page.wait_for_load_state()
    expect(page.get_by_text("It is on air.")).to_be_visible()
    page.goto("/")
    expect(page.get_by_text("Reach uses the practice service, so its data is made up.")).to_be_visible()


def test_a_countdown_is_started_from_the_desk_in_five_presses(walk: Walk) -> None:
    page = walk.page
    walk.press(page.get_by_role("link", name="Starting soon"))
    walk.fill(page.get_by_label("How long before you begin"), "8 min")
    walk.press(button(page, "Create"))
    walk.press(button(page, "Put on air"))
    walk.press(page.get_by_role("link", name="On the desk, on the button page Breaks"))
    walk.press(page.get_by_role("button", name="Starting soon: Start").first)
    expect(page.locator("#desk-leaves")).to_contain_text("Already running.")
    assert walk.count == (5, 1, 3)


def test_statistic_slots_come_with_their_statistics(walk: Walk, running: Running) -> None:
    page = walk.page
    walk.press(page.get_by_role("link", name="My game tonight"))
    walk.press(page.get_by_label("A program that sends events"))
    walk.fill(page.get_by_label("Your name in the game"), "mara_vane")
    walk.press(button(page, "Create"))
    walk.press(button(page, "Put on air"))
    expect(button(page, "Put on air")).to_have_count(0)
    running.event(type="kill", data={"actor": "mara_vane", "target": "otto_knot"})
    expect(seen(page).locator("[data-piece]").first).to_contain_text("1")
    assert walk.count == (4, 1, 3)


def test_a_rating_strip_asks_for_address_player_and_key_once(walk: Walk) -> None:
    service = RatingService()
    service.start()
    try:
        page = walk.page
        walk.press(page.get_by_role("link", name="A rating"))
        walk.fill(page.get_by_role("textbox", name="Service address"), service.address)
        walk.fill(page.get_by_role("textbox", name="Player"), "mara_vane")
        page.get_by_role("combobox", name="Key").select_option("header")
        walk.fields += 1
        walk.fill(page.get_by_label("The key", exact=True), DEFAULT_KEY)
        walk.press(button(page, "Create"))
        walk.press(button(page, "Put on air"))
        expect(seen(page)).to_contain_text("1,412 · 0")
        assert walk.count == (3, 4, 3)
    finally:
        service.stop()


def test_a_signed_webhook_is_there_with_address_secret_and_lines_to_copy(walk: Walk) -> None:
    page = walk.page
    walk.press(page.get_by_role("button", name="Create: An address that takes signed messages"))
    walk.press(page.get_by_role("button", name="Copy address"))
    expect(page.get_by_text("How to sign a message, with examples")).to_be_visible()
    page.get_by_role("button", name="Hidden · Show").last.click()
    expect(page.locator("#secret-secret")).to_contain_text("whsec_")
    assert walk.count == (2, 0, 2)


def test_labels_are_files_that_follow_the_session(walk: Walk, running: Running) -> None:
    page = walk.page
    walk.press(page.get_by_role("link", name="Texts as files"))
    walk.press(button(page, "Create"))
    running.event(type="gift", data={"name": "teacup_ana", "amount": 12})
    file = running.folder / "texts" / "gifts_in_all.txt"
    expect(page.get_by_role("link", name="gifts_in_all.txt")).to_be_visible()
    walk.press(page.get_by_role("link", name="Back to the desk"))
    walk.press(page.get_by_role("button", name="Start session"))
    expect(page.locator(".clock.big")).to_be_visible()
    running.event(type="gift", data={"name": "bolt_uncle", "amount": 5})
    page.goto("/files/")
    expect(page.get_by_text("5 spools", exact=True)).to_be_visible()
    assert file.read_text("utf-8") == "5 spools"
    assert walk.count == (4, 0, 3)


def test_all_of_a_starter_is_taken_back_and_brought_back(walk: Walk) -> None:
    page = walk.page
    walk.press(page.get_by_role("link", name="The wheel"))
    walk.press(button(page, "Create"))
    walk.press(button(page, "Undo all of it"))
    expect(page.get_by_text("All that it made was deleted.")).to_be_visible()
    walk.press(page.get_by_role("button", name="Undo"))
    expect(page.get_by_text("All of it is back.")).to_be_visible()
    expect(page.locator("#desk-leaves")).to_contain_text("The wheel")


def test_pictures_of_starters_move_unless_one_wishes_less(browser: Browser, running: Running) -> None:
    for wish, moves in (("no-preference", True), ("reduce", False)):
        context = browser.new_context(base_url=running.address, reduced_motion=wish)  # type: ignore[arg-type]
        context.clock.install()
        page = context.new_page()
        page.goto("/begin/picture/count")
        expect(page.locator("body.is-drawn")).to_be_visible()
        context.clock.run_for(6_500)
        expect(page.locator("main")).to_contain_text("1,291" if moves else "1,284")
        context.close()
