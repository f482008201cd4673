"""The law of instruments: lived through, gone on after a crash, and read from the log, they come to the same."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.forms.form import fill
from tesoura.core.instruments.base import Choices, Told
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.map import Map
from tesoura.core.instruments.registry import KINDS
from tesoura.core.instruments.runner import Runner, Setup
from tesoura.core.values import Scalar
from tesoura.errors import CommandRefused, Invalid

SEVEN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
SPONSOR = dict(fill(KINDS["campaign"].fields, {"title": "Tea", "sponsor": "Cordel Tea"}).choices)
ALMANAC = Almanac(UTC, 0, SEVEN - timedelta(hours=1), shared={"tea": SPONSOR})
TYPED: Mapping[str, Mapping[str, Any]] = {
    "countdown": {"title": "Kettle", "length": "2 min", "mark_1": "30 s", "end_words": "In we go", "end_s": "10"},
    "countdown of an event": {"counts": "event", "signal": "shows.starts_at", "mark_1": "30 s", "end_s": "10"},
    "statistics": {"player": "mara_vane", "without_tags": "gust bonus"},
    "map": {"trail": "5"},
    "campaign": {"sponsor": "Cordel Tea", "points": "warm\nfresh"},
    "rotation": {"campaigns": "tea", "scenes": "Break", "hidden_s": "20", "shown_s": "15"},
    "cue": {"trigger": "event", "event": "kill", "rests": "20 s"},
    "cue of a signal": {"trigger": "value", "signal": "shows.starts_at", "value": "5"},
}
"""What is typed to set up a kind, or another of the same; the others take what their form offers."""
COMMANDS: Mapping[str, Sequence[tuple[str, Mapping[str, Any]]]] = {
    "countdown": [("add", {"by": "20 s"}), ("add", {"by": "-50 s"}), ("set", {"length": "40 s"})],
    "statistics": [("correct", {"what": "kills", "by": "1"}), ("reset", {"what": "all"})],
    "map": [("clear", {})],
    "scoreboard": [
        ("point", {"side": "home"}),
        ("point", {"side": "away"}),
        ("set", {"figure": "points", "side": "home", "value": "7"}),
    ],
    "wheel": [
        ("add_item", {"words": "Tea"}),
        ("add_item", {"words": "Song"}),
        ("set_items", {"items": [{"words": "Lap"}, {"words": "Tea", "weight": "2"}]}),
        ("spin", {"who": "tuck", "free": "yes"}),
    ],
    "run": [("add_splits", {"names": "Gate\nTower"}), ("begin", {}), ("hit", {}), ("next", {})],
    "cue": [("press", {"person": "tuck"})],
}
"""Commands beside those that a kind offers as they stand, or with what their fields give as an example."""
ITEMS = [
    {"id": f"tea:i{at}", "words": "Tea", "picture": "", "video": "", "text": "Tea", "seconds": 5 + at} for at in (0, 1)
]
VALUES: Sequence[Mapping[str, Scalar]] = [
    {},
    {"scene.present": "Game", "shows.starts_at": (SEVEN + timedelta(minutes=3)).timestamp()},
    {"scene.present": "Break", "tea.items": json.dumps(ITEMS)},
    {"scene.present": "Break", "tea.items": json.dumps(ITEMS[:1]), "shows.starts_at": SEVEN.timestamp() + 400},
]
EVENTS: Sequence[tuple[str, Mapping[str, Any]]] = [
    ("kill", {"actor": "mara_vane"}),
    ("kill", {"actor": "mara_vane", "tags": ["gust bonus"]}),
    ("kill", {"actor": "tuck", "target": "mara_vane"}),
    ("death", {"target": "mara_vane"}),
    ("match.start", {"match": "m1"}),
    ("match.end", {"match": "m1", "result": "won"}),
    ("match.start", {}),
    ("match.end", {"result": "lost"}),
    ("position", {"x": 10, "y": 20}),
    ("position", {"x": 700, "y": 300}),
    ("vitals", {"health": 40}),
    ("track.start", {"title": "Paper Weather", "artists": "The Slow Kettles", "length_s": 220}),
    ("track.start", {"title": "Salt", "artists": "Wren Bobbin", "length_s": 40}),
    ("track.pause", {}),
    ("track.resume", {}),
    ("track.stop", {}),
    ("tesoura.page_trouble", {"of": "tea:i1", "why": "gone"}),
]
STEP = st.tuples(st.integers(0, 90_000), st.booleans(), st.integers(0, 10**6), st.integers(0, 3))
"""How many milliseconds later, whether a command or an event, which, and the values of signals then."""


def _setup(which: str) -> Setup:
    kind = which.split(" of ")[0]
    filled = fill(KINDS[kind].fields, {"title": "It", **TYPED.get(which, {})})
    assert filled.wrong == {}
    return Setup(kind, "it", filled.choices)


def _commands(setup: Setup) -> list[tuple[str, Mapping[str, Any]]]:
    """The commands of a kind, each with what its fields have as an example."""
    return [
        *COMMANDS.get(setup.kind, ()),
        *(
            (
                one.name,
                {
                    name: given
                    for name, field in one.fields.items()
                    if (given := field.placeholder or (field.options[0][0] if field.options else ""))
                },
            )
            for one in setup.kind_of.commands
        ),
    ]


@dataclass(slots=True)
class Evening:
    """An evening lived through: what the log has of it, the instrument at its end, and the signals then."""

    live: Runner
    log: list[Occurrence]
    now: datetime
    values: Mapping[str, Scalar]

    def happens(self, at: datetime, type: str, data: Mapping[str, Any], source: str = "") -> None:
        """Something is logged, and heard by whom it concerns."""
        self.log.append(Occurrence(micros(at), len(self.log) + 1, type, data, source))
        if type in self.live.types:
            self.live.take(self.log[-1], self.now)

    def settle(self) -> None:
        """What time and the signals bring about: asked for, and what was fired put into the log."""
        for _ in range(20):
            self.live.read(self.now, self.values)
            fired = self.live.fires(self.now)
            for one in fired:
                self.happens(one.at, one.type, json.loads(json.dumps(dict(one.data))), "instrument:it")
            if not fired:
                return
        raise AssertionError("it goes on telling")


def _evening(setup: Setup, steps: Sequence[tuple[int, bool, int, int]]) -> Evening:
    it = Evening(Runner(setup, ALMANAC, SEVEN), [], SEVEN, {})
    commands = _commands(setup)
    for later_ms, commanded, which, values in steps:
        it.now, it.values = it.now + timedelta(milliseconds=later_ms), VALUES[values]
        it.settle()
        if not commanded:
            it.happens(it.now, *EVENTS[which % len(EVENTS)])
            continue
        name, typed = commands[which % len(commands)]
        drawn = {"chance": which % 1_000 / 1_000, "secret": "ab" * 32}
        try:
            step = it.live.attempt(Command(name, typed), it.now)
        except Invalid:
            continue
        it.happens(it.now, "tesoura.command.it", json.loads(json.dumps({"command": name, **step.given, **drawn})))
    it.settle()
    return it


def _same_from_the_log(setup: Setup, steps: Sequence[tuple[int, bool, int, int]], crash_after: int) -> None:
    """The law: lived through, gone on after a crash, and read from the log, an instrument comes to the same."""
    evening = _evening(setup, steps)
    end, live = evening.now, evening.live
    replayed, crashed = (Runner(setup, ALMANAC, SEVEN) for _ in range(2))
    for number, event in enumerate(evening.log):
        if number == crash_after:
            saved = json.loads(json.dumps(crashed.saved()))
            crashed = Runner(setup, ALMANAC, end)
            crashed.restore(saved)
        for runner in (replayed, crashed):
            if event.type in runner.types:
                # However late it is read, the log alone says when it was.
                runner.take(event, end + timedelta(days=1))
    for after_s in (0, 0.4, 7, 65, 4_000):
        at = end + timedelta(seconds=after_s)
        told = [_told(runner, at, evening.values) for runner in (live, replayed, crashed)]
        assert told[1] == told[0], after_s
        assert told[2] == told[0], after_s


def _told(runner: Runner, at: datetime, values: Mapping[str, Scalar]) -> Mapping[str, Any]:
    if not runner.definition.kind_of.remembers:
        runner.read(at, values)
    return dict(runner.instrument.read(at))


@pytest.mark.parametrize("which", sorted({*KINDS, *TYPED}))
@settings(max_examples=60, deadline=None)
@given(st.lists(STEP, min_size=1, max_size=25), st.integers(0, 25))
def test_live_after_a_crash_and_from_the_log_are_the_same(
    which: str, steps: list[tuple[int, bool, int, int]], crash_after: int
) -> None:
    _same_from_the_log(_setup(which), steps, crash_after)


@dataclass(frozen=True, slots=True)
class Tally(Map):
    """A map that counts how often it was shown another value: the mistake that the log cannot repeat."""

    looks: int = 0

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Tally:
        return replace(self, looks=self.looks + 1)

    def read(self, now: datetime) -> Told:
        return {"looks": self.looks}


class ForgetfulTally(Tally):
    """The same, which changes itself instead of giving another."""

    __slots__ = ()

    def see(self, values: Mapping[str, Scalar], now: datetime) -> ForgetfulTally:
        object.__setattr__(self, "looks", self.looks + 1)
        return self


def _tally(monkeypatch: pytest.MonkeyPatch, toy: type[Tally]) -> Setup:
    def begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> Tally:
        it = KINDS["map"].begin(name, choices, almanac, now)
        return toy(*(getattr(it, one.name) for one in fields(Map)))

    def restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> Tally:
        return begin(name, choices, almanac, SEVEN)

    kind = replace(
        KINDS["map"],
        begin=begin,
        restore=restore,
        outputs=lambda choices: {"looks": ""},
        reads=lambda choices, almanac: ("scene.present",),
    )
    monkeypatch.setitem(KINDS, "tally", kind)
    return Setup("tally", "it", _setup("map").choices)


THREE_LOOKS = [(1_000, False, 8, 1), (1_000, False, 8, 2), (1_000, False, 9, 1)]


def test_what_an_instrument_makes_of_signals_cannot_stay_with_it(monkeypatch: pytest.MonkeyPatch) -> None:
    setup = _tally(monkeypatch, Tally)
    _same_from_the_log(setup, THREE_LOOKS, 1)
    assert _told(_evening(setup, THREE_LOOKS).live, SEVEN, {}) == {"looks": 1}


def test_one_that_keeps_it_all_the_same_breaks_the_law(monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(AssertionError):
        _same_from_the_log(_tally(monkeypatch, ForgetfulTally), THREE_LOOKS, 1)


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_a_kind_takes_its_own_commands_and_parameters_alone(kind: str) -> None:
    it = Runner(_setup(kind), ALMANAC, SEVEN)
    with pytest.raises(CommandRefused, match=r"no command “fly” here\. Choose one of these: "):
        it.attempt(Command("fly"), SEVEN)
    for one in KINDS[kind].commands:
        with pytest.raises(CommandRefused, match=f"“{one.name}” doesn't take “wings”"):
            it.attempt(Command(one.name, {"wings": "2"}), SEVEN)


def test_a_command_of_the_log_that_is_gone_changes_nothing() -> None:
    it = Runner(_setup("map"), ALMANAC, SEVEN)
    assert not it.take(Occurrence(micros(SEVEN), 1, "tesoura.command.it", {"command": "fly"}), SEVEN)
    assert it.refusal_of(1) == "There is no command “fly” here. Choose one of these: clear, try_it."
