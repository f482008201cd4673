"""Draws the icons of the phone's home screen from the mark. `make icons`"""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import sync_playwright
from tests.e2e.conftest import chromium

STATIC = Path(__file__).parents[1] / "src" / "tesoura" / "web" / "static"
ICONS = (("phone-192", 192, 0), ("phone-512", 512, 0), ("phone-mask", 512, 64))
"""Name, side and margin in pixels: a system may cut the margin off."""


def main() -> None:
    """Draw them all."""
    mark = (STATIC / "mark.svg").read_text("utf-8")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium(), args=["--no-sandbox"])
        for name, side, margin in ICONS:
            page = browser.new_page(viewport={"width": side, "height": side})
            page.set_content(
                f"<style>body{{margin:0;background:{'#F6F1E7' if margin else 'none'}}}"
                f"svg{{display:block;width:{side - 2 * margin}px;margin:{margin}px}}</style>{mark}"
            )
            page.screenshot(path=STATIC / "icons" / f"{name}.png", omit_background=True)
        browser.close()


if __name__ == "__main__":
    main()
