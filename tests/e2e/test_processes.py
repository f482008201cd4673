"""Tesoura as a process of its own: killed without warning, and as the demo."""

from __future__ import annotations

import os
import re
import signal
import sqlite3
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import Browser, expect

from tesoura.app import listen
from tests.conftest import until
from tests.web.test_clip_pages import MADE_UP


def free_port() -> int:
    with closing(listen("127.0.0.1", 0)) as taken:
        port: int = taken.getsockname()[1]
        return port


@contextmanager
def process(*words: str) -> Iterator[subprocess.Popen[str]]:
    started = subprocess.Popen(
        [sys.executable, "-m", "tesoura", *words], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
    )
    try:
        yield started
    finally:
        started.kill()
        started.wait()
        assert started.stdout
        started.stdout.close()


def line_with(started: subprocess.Popen[str], words: str) -> str:
    assert started.stdout
    for line in started.stdout:
        if words in line:
            return line
    raise AssertionError(f"it ended without saying “{words}”")


@pytest.mark.skipif(os.name != "posix", reason="kill -9 is for POSIX")
def test_killed_while_events_come_in_it_has_every_event_that_it_accepted_once(tmp_path: Path) -> None:
    port = free_port()
    words = ("serve", "--port", str(port), "--data", str(tmp_path))
    key = subprocess.run(
        [sys.executable, "-m", "tesoura", "key", "new", "test", "--data", str(tmp_path)],
        capture_output=True,
        text=True,
        check=True,
    ).stdout.strip()
    client = httpx.Client(
        base_url=f"http://127.0.0.1:{port}", headers={"Authorization": f"Bearer {key}"}, trust_env=False
    )
    accepted: list[str] = []

    def post(name: str) -> None:
        for number in range(10_000):
            event = {"type": "kill", "source": name, "id": str(number), "data": {"n": number}}
            try:
                if client.post("/api/events", json=event).status_code == 202:
                    accepted.append(f"{name}/{number}")
            except httpx.HTTPError:
                return

    with process(*words) as started:
        line_with(started, "Tesoura is ready")
        posting = [threading.Thread(target=post, args=(name,)) for name in ("a", "b", "c")]
        for thread in posting:
            thread.start()
        until(lambda: len(accepted) > 150)
        started.send_signal(signal.SIGKILL)
        for thread in posting:
            thread.join()
    with closing(sqlite3.connect(tmp_path / "tesoura.db")) as database:
        kept = [f"{source}/{number}" for source, number in database.execute("SELECT source, id FROM event")]
    assert len(kept) == len(set(kept))
    assert set(accepted) <= set(kept)
    with process(*words) as started:
        line_with(started, "Tesoura is ready")
        assert client.get("/api/signals/kill.count_this_session").json()["value"] == len(kept)
        last = accepted[-1].split("/")
        again = client.post("/api/events", json={"type": "kill", "source": last[0], "id": last[1], "data": {}})
        assert again.json() == {"accepted": 0, "duplicates": 1}
    client.close()


@pytest.mark.skipif(os.name != "posix", reason="kill -9 is for POSIX")
def test_killed_while_a_reel_is_made_nothing_half_is_left_and_nothing_goes_on(tmp_path: Path) -> None:
    port = free_port()
    words = ("serve", "--port", str(port), "--data", str(tmp_path))
    client = httpx.Client(base_url=f"http://127.0.0.1:{port}", trust_env=False, timeout=30)

    def press(to: str, **given: str) -> None:
        token = re.search(r'<meta name="csrf" content="([^"]+)"', client.get("/").text)
        assert token
        files = {"file": ("kites.webm", MADE_UP.read_bytes())} if to == "/clips/send" else None
        assert client.post(to, data={"csrf_token": token[1], **given}, files=files).status_code in (200, 302)

    def half() -> list[Path]:
        return [one for one in (tmp_path / "clips").iterdir() if one.name.startswith(".")]

    with client, process(*words) as started:
        line_with(started, "Tesoura is ready")
        press("/clips/send", title="the great one")
        until(lambda: "data-strip" in client.get("/clips").text)
        # Long enough to be killed in the middle of it: the same clip fifty times.
        press("/do/clip.reel", clips=",".join(["1"] * 50), title="Best of all")
        assert "Best of all is being created from 50 clips" in client.get("/clips").text
        until(half)
        makers = until(lambda: children_of(started.pid))
        started.send_signal(signal.SIGKILL)
        started.wait()
        until(lambda: not [one for one in makers if Path(f"/proc/{one}/cmdline").exists()])
        before = {one.name for one in (tmp_path / "clips").iterdir() if not one.name.startswith(".")}
        with process(*words) as started:
            line_with(started, "Tesoura is ready")
            assert {one.name for one in (tmp_path / "clips").iterdir()} == before
            page = client.get("/clips").text
            assert ("the great one" in page, "Best of all" in page) == (True, False)


def children_of(pid: int) -> list[int]:
    """The processes that this one has started, as Linux tells."""
    return [int(one) for one in Path(f"/proc/{pid}/task/{pid}/children").read_text().split()]


def test_the_demo_is_alive_the_moment_it_opens(browser: Browser) -> None:
    with process("demo", "--port", str(free_port()), "--speed", "20") as started:
        address = line_with(started, "The demo is ready").split()[-1]
        context = browser.new_context(base_url=address)
        page = context.new_page()
        page.goto("/overlays/")
        count = page.frame_locator("iframe").first.locator(".name-kite-friends")
        expect(count).to_have_text(re.compile(r"^[\d,]+ kite friends$"))
        before = count.inner_text()
        expect(count).not_to_have_text(before)
        page.goto("/")
        expect(page.locator("#happened li")).to_have_count(12)
        expect(page.locator("#desk-feeds .fresh-live")).to_have_count(18)
        context.close()


def test_a_page_says_since_when_tesoura_does_not_answer_and_nothing_pressed_vanishes(
    browser: Browser, tmp_path: Path
) -> None:
    port = free_port()
    serve = ("serve", "--port", str(port), "--data", str(tmp_path))
    page = browser.new_page(base_url=f"http://127.0.0.1:{port}")
    with process(*serve) as started:
        line_with(started, "Tesoura is ready")
        page.goto("/instruments/new/countdown")
        page.get_by_label("Name", exact=True).fill("Kettle break")
        expect(page.locator("#preview")).to_contain_text("05:00")
    alert = page.locator("#no-answer")
    expect(alert).to_have_text(re.compile(r"No answer from Tesoura since \d\d:\d\d:\d\d\. This page is out of date"))
    page.get_by_role("button", name="Create", exact=True).click()
    expect(alert).to_contain_text("Nothing was sent")
    page.get_by_role("link", name="Signals").click()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Kettle break")
    with process(*serve) as started:
        line_with(started, "Tesoura is ready")
        expect(alert).to_have_count(0)
        page.get_by_role("button", name="Create", exact=True).click()
        expect(page.get_by_role("heading", name="Kettle break").first).to_be_visible()
    page.close()
