"""Draw the pictures in docs/screenshots again: real pages of the demo, and of an empty data folder.

Run by `make pictures`.
"""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

from playwright.sync_api import Browser, Page, ViewportSize, expect, sync_playwright

from tesoura.server import listen

SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"
DESK: ViewportSize = {"width": 1280, "height": 800}
STREAM: ViewportSize = {"width": 1920, "height": 1080}
PHONE: ViewportSize = {"width": 390, "height": 844}


@contextmanager
def running(*words: str) -> Iterator[tuple[str, str]]:
    """Tesoura as a process: its address, and all that it said until it was ready."""
    with closing(listen("127.0.0.1", 0)) as taken:
        port = taken.getsockname()[1]
    process = subprocess.Popen(
        [sys.executable, "-m", "tesoura", *words, "--port", str(port)], stdout=subprocess.PIPE, text=True
    )
    assert process.stdout
    said = ""
    for line in process.stdout:
        said += line
        if "Stop it with" in line or "Tesoura is ready" in line:
            break
    try:
        yield f"http://127.0.0.1:{port}", said
    finally:
        process.terminate()
        process.wait(10)


def keep(page: Page, name: str) -> None:
    """Keep a picture once the typefaces are there."""
    page.evaluate("document.fonts.ready")
    page.mouse.move(2, 2)
    page.screenshot(path=SHOTS / f"{name}.png", animations="disabled")


def of_the_demo(browser: Browser, address: str) -> None:
    """The desk, feeds, signals, computed signals, text files, the log, a session, the studio, overlays on air."""
    page = browser.new_page(viewport=DESK, base_url=address)
    page.goto("/")
    token = token_of(page, "Cup evening")
    stream = browser.new_page(viewport=STREAM, base_url=address)
    stream.goto(f"/o/{token}")
    expect(stream.locator('[data-piece="gift"]')).to_be_visible(timeout=60_000)
    expect(page.locator(".trail").first.or_(page.locator("#happened li").nth(9))).to_be_visible(timeout=60_000)
    expect(page.get_by_text("1 page shows it")).to_be_visible()
    keep(page, "desk")
    stream.add_style_tag(content="html{background:url(/static/scenes/evening.svg) center/cover !important}")
    stream.wait_for_load_state("networkidle")
    expect(stream.locator('[data-piece="gift"]')).to_be_visible(timeout=60_000)
    keep(stream, "overlay")
    page.goto("/signals/?find=members")
    expect(page.locator(".trail").first).to_be_visible()
    page.goto("/signals/")
    keep(page, "signals")
    of_what_comes_from_outside(page)
    of_the_studio(page, stream)
    page.set_viewport_size(PHONE)
    page.goto("/")
    keep(page, "desk-phone")


def token_of(page: Page, name: str) -> str:
    """The private part of an overlay's link, from the desk."""
    card = page.locator(".card-overlay", has=page.get_by_role("heading", name=name, exact=True))
    return (card.locator("[data-copy]").get_attribute("data-copy") or "").split("/")[-1]


def of_the_studio(page: Page, stream: Page) -> None:
    """The mat with several chosen and one that does not fit, looks, the list, the link, overlays in their scenes."""
    page.goto("/")
    tokens = {name: token_of(page, name) for name in ("Road to 2,000", "Cup score", "Between matches", "On the phone")}
    page.locator("#desk-scene").get_by_role("button", name="Talk").click()
    expect(stream.locator('[data-piece="cuts"]')).to_be_hidden()
    stream.wait_for_timeout(900)
    keep(stream, "overlay-talk")
    page.locator("#desk-scene").get_by_role("button", name="Play").click()
    placed = "".join(
        f'<iframe src="/o/{tokens[name]}?picture=1" style="position:absolute;border:0;left:{x}px;top:{y}px" '
        f'width="{width}" height="{height}"></iframe>'
        for name, x, y, width, height in (
            ("Road to 2,000", 360, 920, 1200, 96), ("Cup score", 780, 60, 360, 96),
            ("Between matches", 96, 250, 640, 400),
        )
    )  # fmt: skip
    scene = '<img src="/static/scenes/hall.svg" style="position:absolute;inset:0;width:1920px;height:1080px">'
    stream.goto("/typefaces/")
    stream.evaluate("html => { document.body.innerHTML = html; }", scene + placed)
    expect(stream.frame_locator("iframe").last.locator('[data-piece="latest"] .t-row').first).to_be_visible()
    stream.wait_for_timeout(1500)
    keep(stream, "overlays-placed")
    stream.set_viewport_size({"width": 1080, "height": 1920})
    stream.goto(f"/o/{tokens['On the phone']}")
    stream.add_style_tag(content="html{background:url(/static/scenes/lanterns.svg) center/cover !important}")
    stream.wait_for_load_state("networkidle")
    keep(stream, "overlay-vertical")
    page.goto("/overlays/1?piece=top")
    expect(page.locator("#mat[data-ready=yes]")).to_be_visible()
    page.locator("#under").select_option("evening")
    page.locator("#c-width_px").fill("420")
    expect(page.locator("#findings")).to_contain_text("needs a box")
    for name in ("count", "mark"):
        page.locator(f'.pick[data-pick="{name}"]').click(modifiers=["Shift"])
    expect(page.locator(".chosen-name")).to_contain_text("3 pieces")
    page.set_viewport_size({"width": 1280, "height": 1000})
    page.evaluate("scrollTo(0, 0)")
    page.wait_for_load_state("networkidle")
    keep(page, "mat")
    page.set_viewport_size(DESK)
    for path, name in (("/looks/", "looks"), ("/overlays/", "overlays"), ("/overlays/1/link", "link")):
        page.goto(path)
        page.wait_for_load_state("networkidle")
        page.wait_for_timeout(600)
        keep(page, name)


def of_what_comes_from_outside(page: Page) -> None:
    """Feeds of mixed health, one of them, a recipe, a formula, text files, the log, a session."""
    page.goto("/feeds/")
    keep(page, "feeds")
    page.goto("/feeds/channel")
    expect(page.locator("#picks .trail").first).to_be_visible()
    keep(page, "feed")
    page.goto("/signals/new/formula")
    page.get_by_label("Name").fill("cuts_per_minute_each")
    page.get_by_label("Formula").fill("round(cuts_lately.per_minute / max(1, gifts_session.names), 2)")
    expect(page.locator("#preview .told")).to_be_visible()
    page.get_by_label("Unit, as viewers read it").fill("cuts a minute")
    expect(page.locator("#preview .told")).to_contain_text("cuts a minute")
    keep(page, "formula")
    page.goto("/files/")
    expect(page.locator("#files tbody tr")).to_have_count(7)
    keep(page, "text-files")
    page.goto("/log/")
    keep(page, "log")
    page.goto("/reports/1")
    keep(page, "session")


def of_an_empty_folder(browser: Browser, address: str, service: str) -> None:
    """The first page, and setting up a feed."""
    page = browser.new_page(viewport=DESK, base_url=address)
    page.goto("/")
    keep(page, "first-run")
    page.get_by_role("link", name="Connect the first feed").click()
    page.get_by_role("link", name="A web address").click()
    page.get_by_label("Address").fill(f"{service}/channels/mara_vane")
    page.get_by_label("What to call it").fill("Reach")
    page.get_by_role("button", name="Reach it").click()
    page.get_by_role("button", name=re.compile("^members")).click()
    page.get_by_label("Unit, as viewers read it").fill("kite friends")
    expect(page.locator("#proof")).to_contain_text("kite friends")
    keep(page, "feed-set-up")


def main() -> None:
    """Draw them all."""
    SHOTS.mkdir(parents=True, exist_ok=True)
    chromium = next(path for name in ("chromium", "chromium-browser", "google-chrome") if (path := shutil.which(name)))
    with sync_playwright() as playwright, tempfile.TemporaryDirectory() as folder, running("demo") as (demo, said):
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        service = re.search(r"(http://127\.0\.0\.1:\d+)/channels", said)
        assert service
        of_the_demo(browser, demo)
        with running("serve", "--data", folder) as (empty, _):
            of_an_empty_folder(browser, empty, service[1])
        browser.close()


if __name__ == "__main__":
    main()
