"""The computer's clock is set: every count, clock and order goes on as if it had not been, live and after a restart."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from tesoura.core.instruments.registry import KINDS
from tesoura.core.values import INSTANT
from tesoura.runtime.facade import Runtime
from tesoura.store import log as event_log
from tests.conftest import Running, until
from tests.runtime.test_clips import act

NOON = datetime(2026, 11, 26, 12, 0, tzinfo=UTC)
JUMPS = [timedelta(minutes=10), timedelta(minutes=-10), timedelta(hours=1), timedelta(hours=-1)]
WITH: Mapping[str, Mapping[str, str]] = {
    "countdown": {"length": "40 min"},
    "statistics": {"player": "mara_vane"},
    "scoreboard": {"sport": "basketball"},
    "replay": {"counted_by": "", "kills": "2", "within_s": "30"},
    "campaign": {"sponsor": "Cordel Tea", "text_1": "Cordel Tea", "minutes": "5"},
    "cue": {
        "when": "event",
        "event": "gift",
        "do_1": "set",
        "signal_1": "script.n",
        "value_of_1": "1",
        "rests": "30 min",
    },
    "run": {"splits": "Gatekeeper\nWell of Bells"},
}
"""The choices with which one of each kind is made, beside its defaults."""
OTHERWISE = ("wheel.hash", "wheel.opened", "wheel_sealed.hash")
"""Values that differ from evening to evening."""


class SetClock:
    """A clock that can be set: what passes is counted by another one that nobody sets."""

    def __init__(self) -> None:
        self.set_by, self.passed_s = timedelta(), 0.0

    def __call__(self) -> datetime:
        return NOON + self.set_by + timedelta(seconds=self.passed_s)

    def lasting_s(self) -> float:
        return self.passed_s

    def pass_on(self, minutes: float) -> None:
        self.passed_s += 60 * minutes


class Evening:
    """A Tesoura with one instrument of every kind and one computation of every span, on a clock that can be set."""

    def __init__(self, folder: Path) -> None:
        self.clock = SetClock()
        self.running = self._started(folder)
        self.made = self._made()

    def _started(self, folder: Path) -> Running:
        return Running(folder, clock=self.clock, lasting_s=self.clock.lasting_s, save_every_s=3_600.0)

    def _made(self) -> list[str]:
        for kind, found in KINDS.items():
            usual = {name: field.default for name, field in found.fields.items()}
            choices = {**usual, "title": kind.replace("_", " "), **WITH.get(kind, {})}
            act(self.running, "instrument.new", kind=kind, choices=choices)
        gift = {"types": ["gift"], "amount": "amount", "by": "name", "stats": ["count", "sum", "top"]}
        for name, over in (("in_session", "session"), ("in_all", "all"), ("today", "today")):
            act(self.running, "computed.new", kind="window", name=name, choices={**gift, "over": over})
        act(
            self.running,
            "computed.new",
            kind="window",
            name="lately",
            choices={**gift, "over": "minutes", "length": "20"},
        )
        act(self.running, "computed.new", kind="window", name="last", choices={**gift, "over": "events", "length": "3"})
        act(self.running, "computed.new", kind="chain", name="chain", choices={"types": ["gift"], "within_s": "300"})
        act(
            self.running,
            "computed.new",
            kind="change",
            name="grown",
            choices={"signal": "script.lamps", "over": "session"},
        )
        return [str(one.setup.name) for one in self.running.runtime.call(lambda self: self.instruments.all())]

    def pass_on(self, minutes: float) -> None:
        self.clock.pass_on(minutes)
        self.step()

    def step(self) -> None:
        self.running.runtime.call(lambda self: self._tick())

    def set_clock(self, by: timedelta) -> None:
        self.clock.set_by += by
        self.step()
        until(
            lambda: (
                not self.running.runtime.call(
                    lambda self: [one for one in self._tasks._tasks if "clock" in one.get_name()]
                )
            )
        )

    def tell(self, kind: str, **data: Any) -> None:
        assert self.running.event(type=kind, source="game", data=data).status_code == 202
        self.step()

    def do(self, name: str, command: str, **given: Any) -> None:
        act(self.running, "instrument.command", instrument=name, command=command, **given)
        self.step()

    def again(self, killed: bool) -> None:
        (self.running.kill if killed else self.running.stop)()
        self.running = self._started(self.running.folder)
        self.step()

    def first_half(self) -> None:
        act(self.running, "session.start")
        self.running.client.put("/api/signals/lamps", json={"value": 10}, headers=self.running.auth)
        self.do("countdown", "start")
        self.tell("match.start", match="m1")
        self.tell("kill", actor="mara_vane", target="tuck", match="m1")
        self.tell("gift", name="teacup_ana", amount=5)
        self.tell("track.start", title="Paper Weather", artist="The Slow Kettles", length_s=3_000)
        self.pass_on(3)
        self.tell("kill", actor="mara_vane", target="otto_knot", match="m1")
        self.tell("position", actor="mara_vane", x=10, y=20)
        self.tell("gift", name="bolt_uncle", amount=2)
        self.pass_on(4)

    def second_half(self) -> None:
        self.tell("gift", name="teacup_ana", amount=1)
        self.tell("kill", actor="mara_vane", target="pip_gale", match="m1")
        self.tell("death", target="mara_vane", actor="wren_bobbin", match="m1")
        self.running.client.put("/api/signals/lamps", json={"value": 14}, headers=self.running.auth)
        self.pass_on(2)
        self.do("countdown", "add", by="3 min")
        self.tell("gift", name="seven_socks", amount=9)
        self.pass_on(1)

    def values(self, moved: timedelta) -> dict[str, Any]:
        """All that is told now, instants as the clock told them before it was set."""
        found = {}
        for one in self.running.runtime.call(Runtime.signals):
            if one.name in OTHERWISE or one.name.startswith(("air.", "seen.")) or one.name.endswith(".began"):
                continue
            value: Any = one.value
            if one.unit == INSTANT and isinstance(value, int | float):
                value = round(value - moved.total_seconds(), 3)
            elif isinstance(value, str) and value.startswith("2026-"):
                value = (datetime.fromisoformat(value) - moved).isoformat()
            elif one.name.endswith(".id") and str(value).isdecimal():
                # A place in the log, which the clock that was set has one of, too.
                value = "a place"
            found[one.name] = value
        return found

    def minutes_of_session(self) -> float:
        began = self.running.runtime.session_started_at
        assert began is not None
        return (self.clock() - began) / timedelta(minutes=1)


@pytest.fixture(scope="module")
def undisturbed(tmp_path_factory: pytest.TempPathFactory) -> Iterator[dict[str, Any]]:
    """What an evening comes to whose clock nobody set."""
    evening = Evening(tmp_path_factory.mktemp("undisturbed") / "data")
    evening.first_half()
    evening.second_half()
    yield evening.values(timedelta())
    evening.running.stop()


@pytest.mark.parametrize("by", JUMPS, ids=[str(one.total_seconds() / 60) for one in JUMPS])
def test_one_of_every_kind_comes_to_the_same_with_the_clock_set(
    by: timedelta, undisturbed: Mapping[str, Any], tmp_path: Path
) -> None:
    evening = Evening(tmp_path / "data")
    assert set(evening.made) >= set(KINDS) - {"cue", "campaign", "rotation"}
    evening.first_half()
    evening.set_clock(by)
    assert evening.minutes_of_session() == 7
    evening.second_half()
    try:
        assert evening.values(by) == undisturbed
        assert evening.minutes_of_session() == 10
        for killed in (False, True):
            evening.again(killed)
            # Nobody knows whether a track is still played that was told before a restart.
            paused = {"now_playing.there": False, "now_playing.state": "paused"}
            assert evening.values(by) == {**undisturbed, **paused}
    finally:
        evening.running.stop()


@pytest.mark.parametrize("by", JUMPS[2:])
def test_a_session_is_started_right_after_and_counts(by: timedelta, tmp_path: Path) -> None:
    evening = Evening(tmp_path / "data")
    try:
        evening.first_half()
        evening.set_clock(by)
        act(evening.running, "session.start")
        evening.tell("gift", name="teacup_ana", amount=4)
        assert evening.running.signal("in_session.sum")["value"] == 4
        assert evening.running.signal("gift.count_this_session")["value"] == 1
        evening.set_clock(-by)
        evening.tell("gift", name="teacup_ana", amount=3)
        assert evening.running.signal("in_session.sum")["value"] == 7
        assert evening.running.signal("gift.count_this_session")["value"] == 2
        assert evening.minutes_of_session() == 0
    finally:
        evening.running.stop()


def test_a_clock_that_was_set_back_while_it_did_not_run_is_noticed_at_the_start(tmp_path: Path) -> None:
    evening = Evening(tmp_path / "data")
    try:
        evening.first_half()
        evening.running.stop()
        evening.clock.set_by -= timedelta(hours=1)
        evening.running = evening._started(tmp_path / "data")
        evening.tell("gift", name="teacup_ana", amount=4)
        assert evening.running.signal("in_session.sum")["value"] == 11
        assert evening.running.signal("gift.count_this_session")["value"] == 3
        assert evening.minutes_of_session() == 7
    finally:
        evening.running.stop()


@pytest.mark.parametrize(("by", "words"), [(JUMPS[2], "forward by 1 h"), (JUMPS[1], "back by 10 min")])
def test_the_desk_and_the_log_tell_of_it_in_both_directions(by: timedelta, words: str, tmp_path: Path) -> None:
    evening = Evening(tmp_path / "data")
    try:
        evening.set_clock(by)
        assert f"clock was set {words}" in evening.running.client.get("/").text
        assert f"clock was set {words}" in evening.running.client.get("/log/").text
        assert evening.running.store.read(event_log.clock_sets).sets[0].by == by // timedelta(microseconds=1)
        evening.pass_on(20)
        assert "clock was set" not in evening.running.client.get("/desk/needs").text
    finally:
        evening.running.stop()
