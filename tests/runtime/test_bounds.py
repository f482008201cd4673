"""What comes from outside stops nothing: a feed that goes beyond all bounds is paused, told, and can be removed."""

from __future__ import annotations

import time
from pathlib import Path

import pytest

from tesoura.actions.action import Call, Doing, Done
from tesoura.actions.registry import do
from tesoura.standins.members import MembersService
from tesoura.workers import Worker
from tests.conftest import Running, until

BOMB = "|".join(["[@,@][]"] * 34)
"""A path that doubles a list with each of its 34 steps."""


def act(running: Running, action: str, **given: object) -> Done:
    return running.runtime.call(lambda self: do(Doing(self, "desk"), Call(action, given)))


@pytest.fixture
def reach(running: Running, members: MembersService, monkeypatch: pytest.MonkeyPatch) -> Running:
    monkeypatch.setattr(Worker.__init__, "__defaults__", (1.0,))
    running.runtime.feeds._worker.limit_s = 1.0
    running.add_feed(f"{members.address}/channels/mara_vane", period_s=1.0)
    until(lambda: running.signal("reach.members").get("value") == 1284)
    return running


def test_a_path_without_end_pauses_its_feed_and_everything_else_goes_on(reach: Running) -> None:
    act(reach, "feed.pick", feed="reach", field="bomb", path=BOMB, replace="yes")
    until(lambda: "it was paused" in reach.client.get("/feeds/reach").text)
    began = time.monotonic()
    assert reach.event(type="kill", data={}).status_code == 202
    assert reach.client.get("/signals/").status_code == 200
    assert time.monotonic() - began < 2
    assert "choose a simpler path" in reach.client.get("/feeds/reach").text
    assert reach.signal("reach.members") | {"observed_at": None} == {
        "name": "reach.members",
        "value": 1284,
        "unit": "kite friends",
        "freshness": "held",
        "observed_at": None,
    }
    act(reach, "feed.unpick", feed="reach", field="bomb")
    act(reach, "feed.pause", feed="reach", paused="no")
    until(lambda: reach.signal("reach.members")["freshness"] == "live")


def test_a_paused_feed_stays_paused_over_a_restart_and_can_be_removed(reach: Running, tmp_path: Path) -> None:
    act(reach, "feed.pick", feed="reach", field="bomb", path=BOMB, replace="yes")
    until(lambda: "it was paused" in reach.client.get("/feeds/reach").text)
    reach.stop()
    again = Running(reach.folder)
    try:
        assert again.signal("reach.members")["freshness"] == "held"
        act(again, "feed.remove", feed="reach")
        assert again.client.get("/feeds/reach").status_code == 404
    finally:
        again.stop()


def test_trying_such_a_path_or_rule_says_so_and_keeps_nothing(reach: Running) -> None:
    tried = reach.press("/feeds/reach", "/feeds/reach/pick", {"path": BOMB}).text
    assert "Request less or choose a simpler path, then resume it" in tried
    rule = {"type": "follow", "items": BOMB}
    assert (
        "Request less or choose a simpler path, then resume it"
        in reach.press("/feeds/reach", "/feeds/reach/rules/try", rule).text
    )
    assert reach.signal("reach.members")["value"] == 1284
