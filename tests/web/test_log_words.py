"""The log in a person's words: what was done, to what, by whom; and what failed, for how long."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from tesoura.core.values import Event
from tesoura.web.log.words import CalledThings, found_by, told
from tests.conftest import Running, flat, until

CALLED = CalledThings(
    {"tea": ("countdown", "Starting soon"), "final": ("scoreboard", "Break final"), "big": ("cue", "A big gift")},
    {"reach": "Reach", "chat": "Chat"},
)
AT = datetime(2026, 1, 8, 19, 2, tzinfo=UTC)


def test_a_moment_of_an_instrument_is_told_by_its_words_and_the_fields_that_say_something() -> None:
    called = CalledThings({"mile": ("run", "Lantern Mile")}, {}, {"mile.clean_split": "Lantern Mile: clean split"})
    data = {"id": "clean_split:132:1796235", "attempt": 21, "route": "Mile", "split": "Well of Bells", "number": 4}
    event = Event("1", "instrument:mile", "mile.clean_split", AT, data)
    assert told(event, called) == "Lantern Mile: clean split, attempt 21, split Well of Bells, number 4"
    assert found_by("clean", called)[-1] == '("mile" AND "clean_split")'


@pytest.mark.parametrize(
    ("kind", "data", "actor", "words"),
    [
        (
            "tesoura.command.tea",
            {"command": "add", "by_s": 180.0},
            "desk",
            "Starting soon: 3 minutes added by the desk",
        ),
        ("tesoura.command.tea", {"command": "add", "by_s": -90.0}, "desk", "Starting soon: 90 s taken by the desk"),
        ("tesoura.air_cleared", {"cleared": True}, "desk", "everything hidden by the desk"),
        ("tesoura.air_cleared", {"cleared": False}, "desk", "everything shown again by the desk"),
        ("tesoura.skipped", {"text": "rude"}, "desk", "“rude” skipped by the desk"),
        ("tesoura.command.tea", {"command": "pause"}, "key:pads", "Starting soon: paused by a program, key “pads”"),
        ("tesoura.command.final", {"command": "point", "side": "home"}, None, "Break final: point for home"),
        ("tesoura.command.final", {"command": "swap_ends"}, "desk", "Break final: change ends by the desk"),
        ("tesoura.command.gone_one", {"command": "set_it", "to": 4}, None, "gone one: set it, to 4"),
        (
            "tesoura.action",
            {"action": "overlay.new", "words": "“Count” was made."},
            "desk",
            "“Count” was made by the desk",
        ),
        (
            "tesoura.feed",
            {"feed": "reach", "state": "down", "why": "No answer."},
            "feed:reach",
            "Reach failed: No answer.",
        ),
        ("tesoura.feed", {"feed": "reach", "state": "back"}, "feed:reach", "Reach recovered"),
        ("tesoura.cue.big", {"outcome": "fires"}, "instrument:big", "A big gift: ran"),
        (
            "tesoura.effect_ended",
            {"effect": "say", "target": "chat", "line": "hello", "outcome": "done"},
            None,
            "sent to Chat: hello: done",
        ),
        ("tesoura.scene", {"value": "Break"}, "desk", "scene: Break by the desk"),
        ("tesoura.set_by_hand", {"signal": "losses.value", "value": 3}, "desk", "losses.value set to 3 by the desk"),
        ("tesoura.correction", {"field": "amount", "was": 5, "now": 7}, "desk", "amount corrected, 5 → 7 by the desk"),
        ("tesoura.correction", {"seq": 4, "void": True}, "desk", "event voided by the desk"),
        ("tesoura.correction", {"seq": 4, "void": False}, "desk", "voided event restored by the desk"),
        (
            "tesoura.correction",
            {"seq": 4, "was": "2026-11-26T19:02:00Z", "time": "2026-11-26T19:00:00Z"},
            "desk",
            "time corrected, 2026-11-26T19:02:00Z → 2026-11-26T19:00:00Z by the desk",
        ),
        ("tesoura.something_new", {}, None, ""),
    ],
)
def test_what_was_done_is_told_in_words(kind: str, data: dict[str, Any], actor: str | None, words: str) -> None:
    assert told(Event("x", "tesoura", kind, AT, data, actor=actor), CALLED) == words


def test_raw_types_and_exact_times_are_shown_on_demand(running: Running) -> None:
    running.do("session.start")
    running.press("/", "/scene", {"scene": "Break"})
    plain = flat(running.client.get("/log/?type=tesoura.scene").text)
    assert "scene: Break by the desk" in plain
    assert "tesoura.scene 20" not in plain
    raw = flat(running.client.get("/log/?type=tesoura.scene&raw=1").text)
    assert "tesoura.scene 20" in raw


def test_a_feed_that_fails_freezes_its_overlay_and_stands_in_the_report(running: Running, members: Any) -> None:
    members.freeze()
    running.do("session.start")
    running.add_feed(f"{members.address}/channels/mara_vane", period_s=0.5)
    until(lambda: running.signal("reach.members").get("freshness") == "live")
    running.add_overlay("{reach.members:,} kite friends")
    assert "frozen" not in running.client.get("/overlays/").text
    members.fail("500")
    until(lambda: "is frozen since" in flat(running.client.get("/overlays/").text))
    assert "Reach is down." in flat(running.client.get("/overlays/").text)
    members.fail(None)
    until(lambda: "is frozen since" not in flat(running.client.get("/overlays/").text))
    report = until(
        lambda: (page := flat(running.client.get("/reports/1").text)) and "Feeds that failed" in page and page
    )
    assert "a server error (500)" in report
    assert "still down" not in report


def test_a_failure_that_ended_while_tesoura_was_off_is_not_said_to_go_on(tmp_path: Path, members: Any) -> None:
    members.freeze()
    before = Running(tmp_path / "data")
    try:
        before.do("session.start")
        before.add_feed(f"{members.address}/channels/mara_vane", period_s=0.5)
        until(lambda: before.signal("reach.members").get("freshness") == "live")
        members.fail("500")
        until(lambda: "still down" in before.client.get("/reports/1").text)
    finally:
        before.stop()
    members.fail(None)
    after = Running(tmp_path / "data")
    try:
        until(lambda: after.signal("reach.members").get("freshness") == "live")
        report = after.client.get("/reports/1").text
        assert ("unknown" in report, "still down" in report) == (True, False)
    finally:
        after.stop()
