"""One key covers what is private on all pages that stand open, what comes later too."""

from __future__ import annotations

from html import escape

from playwright.sync_api import Page, expect

from tesoura.core.forms.private import private_in
from tesoura.web.shared.covering import marked
from tests.conftest import Running
from tests.core.private_shapes import PRIVATE, PUBLIC
from tests.web.test_covering import BREAKS, PLACES, readable

CLEAR = "rgba(0, 0, 0, 0)"


def test_one_key_covers_all_open_pages_and_what_comes_after(page: Page, running: Running) -> None:
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
    other = page.context.new_page()
    other.goto("/feeds/lamp")
    page.goto("/")
    expect(page.locator("#desk-needs")).to_contain_text("127.0.0.1:9")
    expect(page.locator(".private")).to_have_count(0)
    page.keyboard.press(".")
    for each in (page, other):
        private = each.locator("main .private", has_text="127.0.0.1:9").first
        expect(private).to_have_css("color", CLEAR)
        expect(each.get_by_role("button", name="Hidden · Show")).to_be_visible()
    other.evaluate("document.querySelector('h1').textContent = 'It is at 10.0.0.3 now'")
    expect(other.locator("h1 .private")).to_have_text("10.0.0.3")
    page.get_by_role("button", name="Hidden · Show").click()
    expect(other.locator("h1 .private")).not_to_have_css("color", CLEAR)
    page.get_by_role("button", name="Start session").click()
    expect(page.locator("html")).to_have_class("is-covered")
    expect(other.locator("h1 .private")).to_have_css("color", CLEAR)


def test_scripts_and_the_server_cover_the_same_in_every_place_and_it_all_comes_back(
    page: Page, running: Running
) -> None:
    texts = [f"It is at {one} now" for one in (*PRIVATE, *PUBLIC)]
    places = [
        place.format(escape(private)) for name, place in PLACES.items() if name != "page title" for private in PRIVATE
    ]
    places += [f"<p><mark>{escape(one[:3])}{gap}{escape(one[3:])}</mark></p>" for gap in BREAKS for one in PRIVATE]
    page.goto("/preferences/")
    page.keyboard.press(".")
    expect(page.locator("html")).to_have_class("is-covered")
    page.evaluate(
        """([texts, places]) => {
      const row = (html) => `<div class="tried">${html}</div>`;
      document.querySelector("main").innerHTML =
        texts.map(() => '<p class="text"></p>').join("") + places.map(row).join("");
      document.querySelectorAll("p.text").forEach((line, at) => { line.textContent = texts[at]; });
      document.title = "Lamp at 10.0.0.3";
    }""",
        [texts, places],
    )
    expect(page).to_have_title("Lamp at ••••••••")
    found = page.locator("p.text").evaluate_all(
        "(lines) => lines.map((line) => [...line.querySelectorAll('.private')].map((one) => one.textContent))"
    )
    assert found == [[text[a:b] for a, b in private_in(text)] for text in texts]
    rows = page.locator(".tried").evaluate_all("(rows) => rows.map((row) => row.innerHTML)")
    assert [readable(one) for one in rows] == [readable(marked(one)) for one in places]
    page.keyboard.press(".")
    expect(page).to_have_title("Lamp at 10.0.0.3")
    shown = page.locator(".tried [title]").evaluate_all("(all) => all.map((one) => one.title)")
    assert shown == [f"Not at {private} now" for private in PRIVATE]
    options = page.locator(".tried option").evaluate_all("(all) => all.map((one) => one.textContent)")
    assert options[: len(PRIVATE)] == [f"Lamp at {private}" for private in PRIVATE]
