"""One key covers what is private on all pages that stand open, what comes later too."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.conftest import Running

CLEAR = "rgba(0, 0, 0, 0)"


def test_one_key_covers_all_open_pages_and_what_comes_after(page: Page, running: Running) -> None:
    running.press("/", "/feeds/new/socket", {"title": "Lamp", "address": "ws://127.0.0.1:9/lamp", "key_in": "none",
                                             "subscribe": "", "ping_s": "20", "keep_anyway": "yes"})  # fmt: skip
    other = page.context.new_page()
    other.goto("/feeds/lamp")
    page.goto("/")
    expect(page.locator("#desk-needs")).to_contain_text("127.0.0.1:9")
    expect(page.locator(".private")).to_have_count(0)
    page.keyboard.press(".")
    for each in (page, other):
        private = each.locator("main .private", has_text="127.0.0.1:9").first
        expect(private).to_have_css("color", CLEAR)
        expect(each.get_by_role("button", name="Covered · Show")).to_be_visible()
    other.evaluate("document.querySelector('h1').textContent = 'It is at 10.0.0.3 now'")
    expect(other.locator("h1 .private")).to_have_text("10.0.0.3")
    page.get_by_role("button", name="Covered · Show").click()
    expect(other.locator("h1 .private")).not_to_have_css("color", CLEAR)
    page.get_by_role("button", name="Start session").click()
    expect(page.locator("html")).to_have_class("is-covered")
    expect(other.locator("h1 .private")).to_have_css("color", CLEAR)
