"""A session's report: figures of windows and of the game, records of instruments, and all of it after a clean-up."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from tests.conftest import Clock, Running, flat, until
from tests.runtime.test_clips import act

SEVEN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)


@pytest.fixture
def clock() -> Clock:
    return Clock(SEVEN)


def evening(running: Running, clock: Clock) -> None:
    """A session with gifts, kills, a match and a spin, and another one begun after it."""
    running.do("instrument.new?kind=wheel", {"title": "Wheel of tea", "turn_s": "2", "hold_s": "1", "landing": "none"})
    for words in ("sing", "tea"):
        running.do("instrument.command?instrument=wheel_of_tea&command=add_item", {"words": words, "weight": "1"})
    running.do("instrument.new?kind=statistics", {"title": "Cup", "player": "mara_vane"})
    window = {"types": ["gift"], "amount": "amount", "by": "name", "over": "session", "stats": ["count", "sum", "top"]}
    act(running, "computed.new", kind="window", name="gifts", choices=window)
    act(running, "session.start")
    clock.now += timedelta(minutes=1)
    running.event(type="gift", data={"name": "teacup_ana", "amount": 5})
    running.event(type="gift", data={"name": "bolt_uncle", "amount": 3})
    clock.now += timedelta(minutes=2)
    running.event(type="kill", data={"actor": "mara_vane", "target": "tuck"})
    act(running, "instrument.command", instrument="wheel_of_tea", command="spin")
    clock.now += timedelta(minutes=1)
    running.runtime.call(lambda self: self._tick())
    until(lambda: running.signal("wheel_of_tea.number")["value"] == 1)
    clock.now += timedelta(minutes=26)
    running.event(type="gift", data={"name": "teacup_ana", "amount": 1})
    clock.now += timedelta(minutes=10)
    act(running, "session.start")


def report(running: Running) -> str:
    """The first session's page."""
    return flat(running.client.get("/reports/1").text)


def written(running: Running) -> str:
    """The first session's page, once what the wheel wrote down is in it: that is saved every few seconds."""
    until(lambda: "Wheel of tea: spins" in report(running))
    return report(running)


def figures(page: str) -> dict[str, str]:
    """The figures of a report, by their names."""
    found = re.findall(r"<dt>([^<]+)</dt><dd class=\"figure\"[^>]*>([^<]*)", page)
    return {name: value.strip() for name, value in found}


def test_a_report_has_true_figures_of_windows_games_and_wheels(tmp_path: Path, clock: Clock) -> None:
    running = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
    try:
        evening(running, clock)
        page = written(running)
        told = figures(page)
        assert (told["Length"], told["gift"], told["session kills"], told["sum"]) == ("30:00", "3", "1", "9")
        assert re.search(r"<td dir=\"auto\">1</td>.*?<td dir=\"auto\">(sing|tea)</td><td dir=\"auto\">50", page)
        for raw in ("face", "motion", "state still", "<code>wheel_of_tea</code>"):
            assert raw not in page
        ranking = re.findall(r"<li><b dir=\"auto\">(\w+)</b>", page)
        assert ranking == ["teacup_ana", "bolt_uncle"]
    finally:
        running.stop()


def test_a_report_stays_when_the_log_lets_go_of_the_session(tmp_path: Path, clock: Clock) -> None:
    running = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
    try:
        evening(running, clock)
        before = written(running)
        clock.now += timedelta(days=40)
        running.event(type="gift", data={"name": "seven_socks", "amount": 2})
        act(running, "choose.keep", keep_days="30")
        gone = running.runtime.call(lambda self: self.persistence.let_go())
        assert gone > 5
        after = report(running)
        assert figures(after) == figures(before)
        for part in ("Wheel of tea: spins", "teacup_ana", "bolt_uncle"):
            assert part in after
        assert after.count("<rect") == before.count("<rect") > 0
        assert "30:00" in flat(running.client.get("/reports/").text)
    finally:
        running.stop()
