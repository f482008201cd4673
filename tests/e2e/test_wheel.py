"""A wheel on the stream: a spin owed by a gift, spun by its chat word, landing where it was drawn, told in chat."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Page, expect

from tesoura.actions.action import Call, Doing
from tesoura.actions.registry import do
from tesoura.core.instruments.wheel.piece import SIZED
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.settings import wall_clock
from tesoura.standins.chat import ChatServer
from tesoura.store import overlays as stored
from tests.conftest import Running, until
from tests.e2e.test_processes import free_port, line_with, process

KETTLE = ("the cold kettle", "0.3")
TEA = (("one lap backwards", "1"), ("sing the score", "1"), ("a biscuit for the cameraman", "2"), KETTLE)
UNDER = """(wheel) => {
  const { a, b } = new DOMMatrix(getComputedStyle(wheel.querySelector(".t-wheel-turns")).transform);
  const share = ((-Math.atan2(b, a) / (2 * Math.PI)) % 1 + 1) % 1;
  return wheel.fields.find((one) => share < one.edge).words;
}"""
"""Which field lies under the pointer, read back from how the wheel is turned."""


@pytest.fixture
def chat() -> Iterator[ChatServer]:
    server = ChatServer()
    server.start()
    yield server
    server.stop()


def made(running: Running, **choices: Any) -> None:
    given = {"title": "Wheel", "turn_s": "2", "turns": "3", "hold_s": "4", "landing": "none", **choices}
    running.do("instrument.new?kind=wheel", given)
    for words, weight in TEA:
        running.do("instrument.command?instrument=wheel&command=add_item", {"words": words, "weight": weight})


def shown(running: Running, arranged: str = "plate", **choices: Any) -> str:
    """An overlay with the wheel, on air; its link's token."""
    given = {"wheel": "wheel", "arranged": arranged, "x": 20, "y": 20, "exit": "cut", **SIZED[arranged], **choices}
    overlay = Overlay(1920, 1080, (new_piece("wheel", "wheel", **given),))
    row = running.store.write(lambda session: stored.new_overlay(session, "Wheel", overlay, wall_clock()))
    running.publish(row.id)
    return row.token


def connect(running: Running, chat: ChatServer) -> None:
    choices = {
        "host": "127.0.0.1",
        "port": str(chat.port),
        "tls": "no",
        "channel": "windyladder",
        "nick": "mara_helper",
    }
    call = Call("feed.new", {"kind": "irc", "title": "Chat", "choices": choices})
    running.runtime.call(lambda self: do(Doing(self, "desk"), call))
    until(lambda: chat.guests)


def test_a_spin_is_owed_by_a_gift_spun_by_its_chat_word_and_told_in_chat(
    page: Page, running: Running, chat: ChatServer
) -> None:
    connect(running, chat)
    made(running, when_1="gift", amount_1="amount", each_1="50", word="!spin", chat="chat", hold_s="30")
    token = shown(running)
    page.goto(f"/o/{token}")
    wheel = page.locator(".t-wheel")
    expect(wheel).to_be_hidden()
    running.event(type="gift", data={"name": "teacup_ana", "amount": 60})
    until(lambda: running.signal("wheel.owed")["value"] == 1)
    chat.say("bolt_uncle", "!spin")
    until(lambda: any("bolt_uncle, you have no spin" in line for _, line in chat.heard))
    chat.say("teacup_ana", "!spin")
    expect(wheel).to_be_visible()
    until(lambda: running.signal("wheel.state")["value"] == "landed")
    came = running.signal("wheel.field")["value"]
    expect(wheel.locator(".t-wheel-result")).to_have_text(f"teacup_ana: {came}")
    expect(page.locator(".t-wheel.has-come")).to_have_count(1)
    assert wheel.evaluate(UNDER) == came
    until(lambda: [line for _, line in chat.heard][-1] == f"teacup_ana spins the wheel: {came}")
    assert running.signal("wheel.owed")["value"] == 0


def test_a_page_that_opens_in_mid_spin_joins_in_and_lands_with_the_others(page: Page, running: Running) -> None:
    made(running, turn_s="9", hold_s="30")
    token = shown(running)
    page.goto(f"/o/{token}")
    running.press("/", "/instruments/wheel/do/spin")
    expect(page.locator(".t-wheel")).to_be_visible()
    late = page.context.new_page()
    late.goto(f"/o/{token}")
    # Each is as far as the clock said when its last picture was drawn, however late it came.
    behind = """(wheel) => {
      const { progress } = wheel.turning.effect.getComputedTiming();
      const drawn = performance.timeOrigin + document.timeline.currentTime;
      return Math.abs(progress * wheel.told.ms - (drawn - wheel.told.at));
    }"""
    for one in (page, late):
        turning = one.locator(".t-wheel")
        until(lambda: turning.evaluate("(wheel) => wheel.turning?.startTime != null"))  # noqa: B023 - waited for here
        assert one.locator(".t-wheel").evaluate(behind) < 150
    for one in (page, late):
        expect(one.locator(".t-wheel.has-come")).to_have_count(1)
    came = running.signal("wheel.field")["value"]
    assert [one.locator(".t-wheel").evaluate(UNDER) for one in (page, late)] == [came, came]


@pytest.mark.parametrize("arranged", ["ring", "drop"])
def test_the_other_looks_land_on_what_came(page: Page, running: Running, arranged: str) -> None:
    made(running, hold_s="30")
    token = shown(running, arranged)
    page.goto(f"/o/{token}")
    running.press("/", "/instruments/wheel/do/spin")
    expect(page.locator(".t-wheel.has-come")).to_have_count(1)
    came = running.signal("wheel.field")["value"]
    if arranged == "ring":
        assert page.locator(".t-wheel").evaluate(UNDER) == came
        expect(page.locator(".t-wheel-inside")).to_contain_text(came)
        return
    middle = """(wheel) => {
      const { left, top, width, height } = wheel.querySelector(".t-wheel-window").getBoundingClientRect();
      const there = document.elementsFromPoint(left + width / 2, top + height / 2);
      return there.find((one) => one.matches("li, li *")).textContent;
    }"""
    assert page.locator(".t-wheel").evaluate(middle) == came


def test_a_try_says_so_on_the_picture_and_a_wish_for_less_motion_crosses_over(page: Page, running: Running) -> None:
    made(running)
    token = shown(running)
    page.emulate_media(reduced_motion="reduce")
    page.goto(f"/o/{token}")
    running.press("/", "/instruments/wheel/do/try_it")
    expect(page.locator(".t-wheel-note")).to_have_text("test, not counted")
    assert page.locator(".t-wheel").evaluate("(wheel) => wheel.turning ?? null") is None
    expect(page.locator(".t-wheel.has-come")).to_have_count(1)
    expect(page.locator(".t-wheel")).to_be_hidden()
    assert running.signal("wheel.number")["value"] == 0


def test_from_an_empty_folder_to_a_spin_by_the_keyboard_and_a_check_without_tesoura(
    page: Page, running: Running, tmp_path: Path
) -> None:
    page.goto("/instruments/new/wheel")
    page.get_by_label("Name", exact=True).fill("Wheel")
    page.get_by_label("Spin time").fill("2")
    page.keyboard.press("Enter")
    for words in ("sing the score", "tea for everybody"):
        page.locator(".item-row").last.get_by_label("Text", exact=True).fill(words)
    page.get_by_role("button", name="Save fields").press("Enter")
    expect(page.locator(".said")).to_contain_text("Fields: 2 added")
    page.get_by_role("link", name="History", exact=True).click()
    sealed = page.locator(".sealed").inner_text()
    page.get_by_role("link", name="Now", exact=True).click()
    expect(page.locator("#wheel-live")).to_contain_text("50.0 %")
    page.locator("#panel-wheel").get_by_role("button", name="Spin", exact=True).press("Enter")
    expect(page.locator("#panel-wheel")).to_contain_text("spinning")
    page.get_by_role("link", name="History", exact=True).click()
    expect(page.locator("#seal-live")).to_contain_text("Spin 1, “")
    page.get_by_role("link", name="Check a spin").press("Enter")
    expect(page.locator("#checked")).to_contain_text("● Spin 1 is as it should be")
    with page.expect_download() as taken:
        page.get_by_role("link", name="Download page").click()
    alone = tmp_path / "check.html"
    taken.value.save_as(alone)
    running.stop()
    other = page.context.new_page()
    other.goto(alone.as_uri())
    expect(other.locator("#checked")).to_contain_text("● Spin 1 is as it should be")
    told = json.loads(other.locator("#spins").input_value())
    assert told[0]["hash"] == sealed
    told[0]["came"] = 3 - told[0]["came"]
    other.locator("#spins").fill(json.dumps(told))
    other.get_by_role("button", name="Check spins").click()
    expect(other.locator("#checked")).to_contain_text("had to come, and not field")


@pytest.mark.skipif(os.name != "posix", reason="kill -9 is for POSIX")
def test_killed_in_mid_spin_the_result_stands_and_chat_is_told_once(tmp_path: Path, chat: ChatServer) -> None:
    folder, port = tmp_path / "data", free_port()
    before = Running(folder)
    connect(before, chat)
    made(before, chat="chat", turn_s="4")
    before.stop()
    words = [sys.executable, "-m", "tesoura", "key", "new", "test", "--data", str(folder)]
    key = subprocess.run(words, capture_output=True, text=True, check=True).stdout.strip()
    serve = ("serve", "--port", str(port), "--data", str(folder))
    to, headers = f"http://127.0.0.1:{port}", {"Authorization": f"Bearer {key}"}
    with httpx.Client(base_url=to, headers=headers, trust_env=False) as client:

        def told(name: str) -> object:
            return client.get(f"/api/signals/wheel.{name}").json().get("value")

        with process(*serve) as started:
            line_with(started, "Tesoura is ready")
            sealed = told("hash")
            assert client.post("/api/instruments/wheel/spin").status_code == 200
            assert told("state") == "turning"
            started.send_signal(signal.SIGKILL)
            started.wait()
        chat.heard.clear()
        with process(*serve) as started:
            line_with(started, "Tesoura is ready")
            until(lambda: told("field"))
            until(lambda: chat.heard)
            (spin,) = client.get("/instruments/wheel/spins.json").json()
            assert (spin["hash"], spin["field"]) == (sealed, told("field"))
            assert client.post("/api/instruments/wheel/owe", json={"who": "teacup_ana"}).status_code == 200
        with process(*serve) as started:
            line_with(started, "Tesoura is ready")
            until(lambda: told("owed") == 1)
            until(lambda: told("state") == "still")
            until(lambda: len(chat.guests) == 1)
    assert [line for _, line in chat.heard] == [f"The wheel spins the wheel: {spin['field']}"]
