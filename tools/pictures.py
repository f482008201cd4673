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

from tesoura.app import listen

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


def keep(page: Page, name: str, moving: bool = False) -> None:
    """Keep a picture once the typefaces are there; of what is `moving` as it is then, else as it comes to rest."""
    page.evaluate("document.fonts.ready")
    page.mouse.move(2, 2)
    page.screenshot(path=SHOTS / f"{name}.png", animations="allow" if moving else "disabled")


def of_the_demo(browser: Browser, address: str) -> None:
    """The desk, the studio, instruments, overlays on air, saved games."""
    page = browser.new_page(viewport=DESK, base_url=address)
    token = token_of(page, "Cup evening")
    page.goto("/")
    stream = browser.new_page(viewport=STREAM, base_url=address)
    stream.goto(f"/o/{token}")
    expect(stream.locator('[data-piece="gift"]')).to_be_visible(timeout=60_000)
    expect(page.locator(".trail").first.or_(page.locator("#happened li").nth(9))).to_be_visible(timeout=60_000)
    expect(page.get_by_text("1 page shows it")).to_be_visible()
    page.wait_for_load_state("load")
    page.wait_for_timeout(2_000)
    keep(page, "desk", moving=True)
    stream.add_style_tag(content="html{background:url(/static/scenes/evening.svg) center/cover !important}")
    stream.wait_for_load_state("load")
    expect(stream.locator('[data-piece="gift"]')).to_be_visible(timeout=60_000)
    keep(stream, "overlay", moving=True)
    of_the_studio(page)
    of_instruments(page)
    of_cues(page)
    of_the_log(page)
    of_signals(page)
    of_songs(page, stream)
    of_a_match(page)
    of_a_wheel(page, stream)
    of_sponsors(page, stream)
    of_runs(page, stream)
    of_saves(page)
    of_replays(page, stream)
    of_devices(browser, page, address)


def of_the_log(page: Page) -> None:
    """What happened, in words."""
    page.set_viewport_size(DESK)
    page.goto("/log/")
    expect(page.locator("#log-rows li").nth(8)).to_be_visible()
    keep(page, "log")


def of_signals(page: Page) -> None:
    """Signals by what they come from, one group open."""
    page.goto("/signals/")
    page.locator("#group-reach summary").click()
    expect(page.locator("#group-reach table")).to_be_visible()
    page.evaluate("scrollTo(0, 0)")
    keep(page, "signals")


def of_sponsors(page: Page, stream: Page) -> None:
    """A rotation with the evening ahead, and what each campaign had once a read was over."""
    page.set_viewport_size(DESK)
    stream.goto(f"/o/{token_of(page, 'Sponsors')}")
    stream.add_style_tag(content="html{background:url(/static/scenes/evening.svg) center/cover !important}")
    page.goto("/instruments/sponsors")
    shows = page.get_by_role("button", name="Hidden · Show now")
    if shows.count():
        shows.click()
    expect(page.locator("#rotation-live")).to_contain_text("on screen")
    expect(stream.locator(".t-sponsor[data-painted]").first).to_be_visible(timeout=30_000)
    keep(page, "sponsors")
    page.goto("/instruments/cordel_tea")
    page.get_by_role("button", name="Start read").click()
    page.get_by_role("button", name="keeps the pier warm").click()
    page.get_by_role("button", name="Send link to chat").click()
    expect(page.locator("#panel-cordel_tea")).to_contain_text("again in")
    expect(stream.locator(".t-card-words")).to_be_visible()
    page.wait_for_timeout(25_000)
    page.get_by_role("button", name="End read").click()
    page.wait_for_timeout(16_000)
    page.goto("/reports/")
    page.locator("main a").first.click()
    page.get_by_role("link", name="Campaign totals").click()
    keep(page, "sponsors-report")


def of_runs(page: Page, stream: Page) -> None:
    """A run with its route, and the five arrangements over a scene."""
    page.set_viewport_size({"width": 1280, "height": 960})
    stream.goto(f"/o/{token_of(page, 'The Lantern Mile')}")
    stream.add_style_tag(content="html{background:url(/static/scenes/lanterns.svg) center/cover !important}")
    expect(stream.locator(".t-splits-rows > li").first).to_be_visible(timeout=60_000)
    page.goto("/instruments/lantern_mile/setup")
    page.wait_for_load_state("load")
    keep(page, "run")
    keep(stream, "run-overlay")


def of_saves(page: Page) -> None:
    """The shelf, and what putting one back would do."""
    page.set_viewport_size(DESK)
    page.goto("/saves/")
    page.get_by_role("button", name="Restore: The Twins of Salt, hurt").focus()
    expect(page.locator("#save-effect")).to_contain_text("takes its place")
    keep(page, "saves")


def of_replays(page: Page, stream: Page) -> None:
    """A replay over a scene, and the rule."""
    page.set_viewport_size({"width": 1280, "height": 960})
    stream.goto(f"/o/{token_of(page, 'Cup evening')}")
    page.goto("/")
    stream.add_style_tag(content="html{background:url(/static/scenes/evening.svg) center/cover !important}")
    page.locator(".scene-now").get_by_role("button", name="Play").click()
    page.goto("/clips")
    named = page.locator(".clip-name a")
    expect(named.first).to_be_visible(timeout=240_000)
    named.first.click()
    page.get_by_role("button", name="Show now").click()
    expect(stream.locator(".t-replay video.is-seen")).to_be_visible(timeout=60_000)
    stream.wait_for_timeout(3_000)
    page.goto("/instruments/again")
    page.wait_for_load_state("load")
    keep(page, "replays")


def of_devices(browser: Browser, page: Page, address: str) -> None:
    """A phone on which a match is counted; its code is shown, though a session runs."""
    page.set_viewport_size(DESK)
    page.goto("/devices/")
    page.get_by_role("button", name="Hidden · Show").click()

    def digits() -> str:
        page.goto("/devices/")
        page.get_by_role("button", name="Show code").click()
        return page.locator(".digits").inner_text().replace(" ", "")

    phone = browser.new_page(viewport=PHONE, base_url=address)
    code = digits()
    phone.goto("/phone/")
    phone.get_by_label("The six digits").fill(code)
    phone.get_by_role("button", name="Pair this phone").click()
    expect(phone.locator("#link-state")).to_contain_text("connected")
    phone.get_by_role("button", name="Match", exact=True).click()
    phone.locator("[data-half] .face").first.click()
    phone.wait_for_timeout(600)
    keep(phone, "phone")


def token_of(page: Page, name: str) -> str:
    """The private part of an overlay's link, from the list of overlays."""
    page.goto("/overlays/")
    card = page.locator(".card-overlay", has=page.get_by_role("heading", name=name, exact=True))
    return (card.locator("[data-copy]").get_attribute("data-copy") or "").split("/")[-1]


def of_the_studio(page: Page) -> None:
    """The mat with several chosen and one that does not fit."""
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
    page.wait_for_load_state("load")
    keep(page, "mat")
    page.set_viewport_size(DESK)


def of_instruments(page: Page) -> None:
    """Statistics with their rule."""
    page.set_viewport_size({"width": 1280, "height": 960})
    page.goto("/instruments/game")
    expect(page.locator(".statistics")).to_be_visible()
    keep(page, "statistics")


def of_cues(page: Page) -> None:
    """The list."""
    page.set_viewport_size(DESK)
    page.goto("/cues/")
    expect(page.locator("#cue-big_gift")).to_contain_text("ran", timeout=90_000)
    keep(page, "cues")


def of_songs(page: Page, stream: Page) -> None:
    """The song card in its six arrangements."""
    page.set_viewport_size(DESK)
    token = token_of(page, "Song cards")
    stream.set_viewport_size(STREAM)
    stream.goto(f"/o/{token}")
    stream.add_style_tag(content="html{background:url(/static/scenes/evening.svg) center/cover !important}")
    expect(stream.locator(".t-song-picture").first).to_be_visible(timeout=30_000)
    stream.wait_for_timeout(800)
    keep(stream, "songs", moving=True)


def of_a_match(page: Page) -> None:
    """A scoreboard's page: how it stands, its course, every act."""
    page.set_viewport_size({"width": 1280, "height": 1180})
    page.goto("/instruments/break_final")
    expect(page.locator(".course-line")).to_be_visible()
    keep(page, "match")


def of_a_wheel(page: Page, stream: Page) -> None:
    """A wheel with its chances, what has come, and who is owed a spin."""
    page.set_viewport_size({"width": 1280, "height": 1180})
    stream.goto(f"/o/{token_of(page, 'Wheel of tea')}")
    for _ in range(3):
        page.goto("/instruments/tea_wheel")
        page.locator("#panel-tea_wheel").get_by_role("button", name=re.compile("^Spin for (?!nobody)")).click()
        expect(stream.locator(".t-wheel.has-come")).to_be_visible(timeout=30_000)
        expect(stream.locator(".t-wheel")).to_be_hidden(timeout=30_000)
    page.goto("/instruments/tea_wheel")
    keep(page, "wheel")


def of_an_empty_folder(browser: Browser, address: str, service: str) -> None:
    """The first page, and a starter half way: its service has answered, and the number is chosen."""
    page = browser.new_page(viewport=DESK, base_url=address)
    page.goto("/")
    for frame in page.frames[1:]:
        frame.locator("body.is-drawn").wait_for()
    page.wait_for_load_state("load")
    keep(page, "first", moving=True)
    page.get_by_role("link", name="A count").click()
    page.get_by_role("textbox", name="Address").fill(f"{service}/channels?name=otto")
    page.get_by_role("button", name="Create", exact=True).last.click()
    expect(page.get_by_text("It answers. Which value do you want?")).to_be_visible()
    page.evaluate("document.querySelector('.numbers').scrollIntoView({ block: 'center' })")
    page.wait_for_load_state("load")
    keep(page, "starter", moving=True)


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
