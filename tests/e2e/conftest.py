"""A headless Chromium for the tests that do what a user does."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from tests.conftest import Running

# A busy machine is slow; what is right at last is right.
expect.set_options(timeout=45_000)
NAMES = ("chromium", "chromium-browser", "google-chrome")


def chromium() -> str:
    """The Chromium to test with."""
    found = os.environ.get("TESOURA_CHROMIUM") or next((path for name in NAMES if (path := shutil.which(name))), None)
    if not found:
        pytest.fail("Chromium is missing. Run `make test`, which installs it or says how.")
    return found


@pytest.fixture(scope="package")
def browser() -> Iterator[Browser]:
    """One browser for all tests here; it ends with them, because its loop would be in the way of other tests."""
    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path=chromium(), args=["--no-sandbox", "--disable-gpu"])
        yield opened
        opened.close()


@pytest.fixture
def context(browser: Browser, running: Running) -> Iterator[BrowserContext]:
    """A fresh profile that may use the clipboard; no page of it may raise an error."""
    opened = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=running.address)
    opened.grant_permissions(["clipboard-read", "clipboard-write"])
    opened.set_default_timeout(45_000)
    faults: list[str] = []
    opened.on("weberror", lambda error: faults.append(str(error.error)))
    yield opened
    opened.close()
    assert faults == []


@pytest.fixture
def page(context: BrowserContext) -> Page:
    """A page in that profile."""
    return context.new_page()
