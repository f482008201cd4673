"""A run on the stream: its route typed, run by keys alone, its best set, seen by viewers; killed in the middle."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
from pathlib import Path

import httpx
import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from tesoura.core.instruments.run.piece import SIZED
from tesoura.store import overlays
from tests.conftest import Running, until
from tests.e2e.test_processes import free_port, line_with, process
from tests.runtime.test_clips import act
from tests.runtime.test_devices import lay

MILE = ("Gatekeeper", "The Twins of Salt", "Well of Bells")


def link(running: Running) -> str:
    """Where the first overlay is."""
    return "/o/" + running.store.read(lambda session: overlays.all_overlays(session)[0].token)


def test_a_route_is_typed_run_by_keys_alone_and_its_best_set(page: Page, running: Running) -> None:
    page.goto("/instruments/new/run")
    page.get_by_label("Name", exact=True).fill("Mile")
    page.keyboard.press("Enter")
    page.get_by_role("link", name="Type the route").click()
    page.locator("#route-new").focus()
    for at, name in enumerate(MILE, 1):
        page.keyboard.type(name)
        page.keyboard.press("Enter")
        expect(page.locator(".route-split")).to_have_count(at)
        expect(page.locator("#route-new")).to_be_focused()
    # Moved by an arrow key, and taken back.
    page.locator(".route-grip").nth(2).focus()
    page.keyboard.press("ArrowUp")
    expect(page.locator("#route-said")).to_contain_text("Place 3 → 2")
    expect(page.locator('.route-split [name="name"]').nth(1)).to_have_value("Well of Bells")
    page.locator("#route-undo").focus()
    page.keyboard.press("Enter")
    expect(page.locator('.route-split [name="name"]').nth(1)).to_have_value("The Twins of Salt")
    expect(page.locator("#route-new")).to_be_focused()
    page.get_by_role("link", name="Use", exact=True).click()
    page.get_by_role("button", name="Add to overlay").focus()
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/overlays/1"))
    running.publish(1)

    keys = {"b": "best", "h": "hit", "n": "next", "x": "start_over", "u": "undo", "w": "way_hit"}
    for key, command in keys.items():
        lay(running, does="command", instrument="mile", command=command, key=key)
    viewers = page.context.new_page()
    viewers.goto(link(running))
    rows = viewers.locator(".t-splits-rows > li")
    expect(rows).to_have_count(3)
    page.bring_to_front()
    page.goto("/")
    expect(page.locator("#desk-leaves:not(.is-away) .desk-button")).to_have_count(len(keys))

    def press(key: str, words: str) -> None:
        page.keyboard.press(key)
        expect(page.locator(".desk-button").nth(list(keys).index(key)).locator(".answer")).to_contain_text(words)

    press("n", "Attempt 1 begins in Gatekeeper")
    press("n", "Gatekeeper → The Twins of Salt")
    press("h", "hits 0 → 1")
    press("h", "hits 1 → 2")
    press("u", "Undone: The Twins of Salt: hits 1 → 2")
    expect(rows.nth(0)).to_have_text("Gatekeeperclean")
    expect(rows.nth(1)).to_have_class("is-now")
    expect(viewers.locator(".t-splits-foot b")).to_have_text("1 hit")
    press("n", "Well of Bells")
    press("n", "run complete")
    press("b", "The best: none → 1 of attempt 1")
    press("x", "attempt 2 is ready")
    press("n", "Attempt 2 begins")
    press("w", "hits on the way 0 → 1")
    expect(rows.nth(0)).to_have_text("Gatekeeper10+1")
    page.goto("/instruments/mile/history")
    expect(page.locator("#attempts")).to_contain_text("Attempt 1: 1 hit")
    expect(page.locator("#attempts")).to_contain_text("✕ The Twins of Salt")
    found = Axe().run(page).response["violations"]
    assert [one["id"] for one in found if one["impact"] in ("serious", "critical")] == []


def test_a_route_is_pasted_dragged_and_changed_while_the_run_goes_on(page: Page, running: Running) -> None:
    act(running, "instrument.new", kind="run", choices={"title": "Mile"})
    page.goto("/instruments/mile/setup")
    page.locator("#route-new").focus()
    page.evaluate("navigator.clipboard.writeText('Low:\\nGatekeeper\\nThe Twins\\n\\nThe Well')")
    page.keyboard.press("Control+V")
    expect(page.locator(".route-split")).to_have_count(3)
    page.get_by_role("heading", name="Settings").click()
    for command in ("next", "hit"):
        act(running, "instrument.command", instrument="mile", command=command)
    expect(page.locator(".route-split").first).to_contain_text("1 hit")
    page.locator(".route-grip").nth(0).drag_to(page.locator(".route-grip").nth(2))
    expect(page.locator('.route-split [name="name"]').nth(2)).to_have_value("Gatekeeper")
    expect(page.locator(".route-split").nth(2)).to_contain_text("1 hit")
    page.locator('.route-split [name="name"]').nth(0).fill("The Pair")
    page.keyboard.press("Enter")
    expect(page.locator("#route-said")).to_contain_text("The Twins → The Pair")
    page.locator("[data-take-out]").nth(2).click()
    expect(page.locator("#route-said")).to_contain_text("Gatekeeper was removed; 1 hit in it counts no more")
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.locator(".route-split").nth(2)).to_contain_text("1 hit")


def test_each_arrangement_shows_where_the_run_stands(page: Page, running: Running) -> None:
    act(running, "instrument.new", kind="run", choices={"title": "Mile"})
    act(running, "instrument.command", instrument="mile", command="add_splits", names="\n".join(MILE))
    running.add_overlay("hello")
    running.edit(
        1,
        *(
            {
                "do": "add",
                "kind": "run",
                "set": {"run": "mile", "arranged": one, "name": one, "x": 9, "y": 9, **SIZED[one]},
            }
            for one in SIZED
        ),
    )
    running.publish(1)
    for command in ("next", "hit", "next"):
        act(running, "instrument.command", instrument="mile", command=command)
    page.goto(link(running))
    expect(page.locator(".name-list .is-now .t-splits-name")).to_have_text("The Twins of Salt")
    expect(page.locator(".name-track .t-splits-mark").nth(0)).to_have_attribute("aria-label", "hit")
    expect(page.locator(".name-track .t-splits-mark")).to_have_count(3)
    expect(page.locator(".name-hand .t-splits-now")).to_have_text("The Twins of Salt")
    expect(page.locator(".name-hand .t-splits-then .t-run")).to_have_text("Well of Bells")
    expect(page.locator(".name-line")).to_contain_text("attempt 1")
    expect(page.locator(".name-count b")).to_have_text("1 hit")
    act(running, "instrument.command", instrument="mile", command="next")
    expect(page.locator(".name-track .t-splits-mark").nth(1)).to_have_attribute("aria-label", "clean")


@pytest.mark.skipif(os.name != "posix", reason="kill -9 is for POSIX")
def test_killed_in_the_middle_of_a_run_it_goes_on_with_every_hit_and_its_time(tmp_path: Path) -> None:
    port = free_port()
    serve = ("serve", "--port", str(port), "--data", str(tmp_path))
    key = subprocess.run(
        [sys.executable, "-m", "tesoura", "key", "new", "test", "--data", str(tmp_path)],
        capture_output=True,
        text=True,
        check=True,
    ).stdout.split()[-1]
    with httpx.Client(
        base_url=f"http://127.0.0.1:{port}", headers={"Authorization": f"Bearer {key}"}, timeout=60
    ) as client:

        def told(name: str) -> object:
            return client.get(f"/api/signals/mile.{name}").json().get("value")

        with process(*serve) as started:
            line_with(started, "Tesoura is ready")
            made(client)
            for command in ("next", "hit", "next", "way_hit"):
                assert client.post(f"/api/instruments/mile/{command}").status_code == 200
            started.send_signal(signal.SIGKILL)
            started.wait()
        with process(*serve) as started:
            line_with(started, "Tesoura is ready")
            until(lambda: told("all_hits") == 2)
            assert (told("split"), told("state"), told("attempt")) == ("The Twins of Salt", "running", 1)
            # The time that Tesoura was away belongs to the run.
            before = told("seconds")
            assert isinstance(before, int | float)
            until(lambda: float(str(told("seconds"))) > before)
            assert client.post("/api/instruments/mile/undo").status_code == 200
            until(lambda: told("all_hits") == 1)


def made(client: httpx.Client) -> None:
    """A run with its route, by the page's own form."""
    page = client.get("/").text
    token = page.split('<meta name="csrf" content="')[1].split('"')[0]
    client.post("/do/instrument.new?kind=run&_then=result", data={"csrf_token": token, "title": "Mile"})
    answer = client.post("/api/instruments/mile/add_splits", json={"names": "\n".join(MILE)})
    assert answer.status_code == 200, answer.text
