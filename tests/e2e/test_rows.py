"""The rows of an instrument: pasted, moved, removed, refused, saved and undone together."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.conftest import Running

PRIZES = "\\n".join(["tea * 5", "one lap backwards", *(f"prize {at} * 2" for at in range(3, 13))])


def words(page: Page) -> list[str]:
    """The texts of the saved and unsaved rows; the empty one at the end left out."""
    fields = page.locator('.item-row > .cell input[name$=".words"]')
    return [text for text in fields.evaluate_all("all => all.map((one) => one.value)") if text]


def test_twelve_weighted_prizes_are_a_wheel_after_three_presses_and_one_paste(page: Page, running: Running) -> None:
    page.goto("/instruments/new")
    page.get_by_role("link", name="A wheel").click()
    page.get_by_role("button", name="Create", exact=True).click()
    first = page.locator(".item-row").first.get_by_label("Text", exact=True)
    first.focus()
    page.evaluate(f"navigator.clipboard.writeText('{PRIZES}')")
    page.keyboard.press("Control+V")
    expect(page.locator("#rows-said")).to_have_text("12 rows pasted.")
    page.get_by_role("button", name="Save fields").click()
    expect(page.locator(".said")).to_contain_text("Fields: 12 added")
    first = page.locator(".item-row").first
    expect(first.get_by_label("Weight", exact=True)).to_have_value("5")
    # What was added with others is changed alone.
    first.get_by_label("Text", exact=True).fill("tea, hot")
    page.get_by_role("button", name="Save fields").click()
    expect(page.locator(".said")).to_contain_text("Fields: 1 changed")
    expect(page.locator(".item-row")).to_have_count(13)
    page.get_by_role("link", name="Now", exact=True).click()
    # 5 of 5 + 1 + 10 × 2.
    expect(page.locator("#wheel-live tbody tr").first).to_contain_text("19.2 %")


def test_rows_are_moved_and_removed_by_keys_and_all_of_it_is_undone_at_once(page: Page, running: Running) -> None:
    running.do("instrument.new?kind=wheel", {"title": "Wheel"})
    for one in ("tea", "song", "lap"):
        running.do("instrument.command?instrument=wheel&command=add_item", {"words": one, "weight": "1"})
    page.goto("/instruments/wheel/setup")
    page.locator("[data-grip]").nth(2).focus()
    page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowUp")
    assert words(page) == ["lap", "tea", "song"]
    page.locator("[data-drop-row]").nth(1).press("Enter")
    assert words(page) == ["lap", "song"]
    weight = page.locator(".item-row").first.get_by_label("Weight", exact=True)
    weight.fill("often")
    page.get_by_role("button", name="Save fields").press("Enter")
    expect(weight).to_have_attribute("aria-invalid", "true")
    expect(weight).to_have_value("often")
    assert words(page) == ["lap", "song"]
    weight.fill("2")
    page.get_by_role("button", name="Save fields").press("Enter")
    expect(page.locator(".said")).to_contain_text("Fields: 1 changed, 1 removed, order changed")
    page.locator(".said").get_by_role("button", name="Undo").press("Enter")
    expect(page.locator(".item-row")).to_have_count(4)
    assert words(page) == ["tea", "song", "lap"]


def test_a_row_is_dragged_to_another_place(page: Page, running: Running) -> None:
    running.do("instrument.new?kind=wheel", {"title": "Wheel"})
    for one in ("tea", "song", "lap"):
        running.do("instrument.command?instrument=wheel&command=add_item", {"words": one, "weight": "1"})
    page.goto("/instruments/wheel/setup")
    page.locator("[data-grip]").nth(0).drag_to(page.locator("[data-grip]").nth(2))
    expect(page.locator("#rows-said")).to_have_text("Row 3")
    assert words(page) == ["song", "lap", "tea"]
