"""The law of instruments: lived through, gone on after a crash, and read from the log, they come to the same."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.forms.form import fill
from tesoura.core.instruments.base import Command
from tesoura.core.instruments.registry import KINDS
from tesoura.core.instruments.runner import Runner, Setup
from tesoura.errors import InvalidField

SEVEN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
ALMANAC = Almanac(UTC, 0, SEVEN - timedelta(hours=1))
TYPED: Mapping[str, Mapping[str, Any]] = {
    "countdown": {"title": "Kettle", "length": "2 min", "mark_1": "30 s", "end_words": "In we go", "end_s": "10"},
    "statistics": {"title": "Game", "player": "mara_vane", "without_tags": "gust bonus"},
    "map": {"title": "Map", "trail": "5"},
}
COMMANDS: Mapping[str, Sequence[tuple[str, Mapping[str, Any]]]] = {
    "countdown": [("start", {}), ("pause", {}), ("go_on", {}), ("add", {"by": "20 s"}), ("add", {"by": "-50 s"}),
                  ("stop", {}), ("restart", {}), ("set", {"length": "40 s"}), ("undo", {}), ("dismiss", {})],
    "statistics": [("correct", {"what": "kills", "by": "1"}), ("reset", {"what": "all"}), ("undo", {})],
    "map": [("clear", {})],
}  # fmt: skip
EVENTS: Sequence[tuple[str, Mapping[str, Any]]] = [
    ("kill", {"actor": "mara_vane"}), ("kill", {"actor": "mara_vane", "tags": ["gust bonus"]}),
    ("kill", {"actor": "tuck", "target": "mara_vane"}), ("death", {"target": "mara_vane"}),
    ("match.start", {"match": "m1"}), ("match.end", {"match": "m1", "result": "won"}), ("match.start", {}),
    ("match.end", {"result": "lost"}), ("position", {"x": 10, "y": 20}), ("position", {"x": 700, "y": 300}),
    ("vitals", {"health": 40}),
]  # fmt: skip
STEP = st.tuples(st.integers(0, 90_000), st.booleans(), st.integers(0, 10**6))
"""How many milliseconds later, whether a command or an event, and which."""


def _setup(kind: str) -> Setup:
    filled = fill(KINDS[kind].fields, TYPED[kind])
    assert filled.wrong == {}
    return Setup(kind, "it", filled.choices)


def _logged(kind: str, steps: Sequence[tuple[int, bool, int]]) -> tuple[list[Occurrence], Runner, list[datetime]]:
    """An evening lived through: what the log had of it, the instrument then, and the instants in between."""
    live, now = Runner(_setup(kind), ALMANAC, SEVEN), SEVEN
    log: list[Occurrence] = []
    instants = []
    for later_ms, commanded, which in steps:
        now += timedelta(milliseconds=later_ms)
        instants.append(now)
        # What time alone brings about: asked for, and what was fired put into the log.
        live.read(now, {})
        live.next_change(now)
        for fired in live.fires(now):
            log.append(Occurrence(micros(fired.at), len(log) + 1, fired.type, fired.data))
            live.take(log[-1], now)
        if commanded:
            name, given_with = COMMANDS[kind][which % len(COMMANDS[kind])]
            try:
                step = live.attempt(Command(name, given_with), now)
            except InvalidField:
                continue
            told = Occurrence(micros(now), len(log) + 1, "tesoura.command.it", {"command": name, **step.given})
        else:
            event_type, data = EVENTS[which % len(EVENTS)]
            told = Occurrence(micros(now), len(log) + 1, event_type, data)
        log.append(told)
        if told.type in live.types:
            live.take(told, now)
    return log, live, instants


def _read(runner: Runner, at: datetime) -> Mapping[str, Any]:
    return dict(runner.instrument.read(at))


@pytest.mark.parametrize("kind", sorted(TYPED))
@settings(max_examples=60, deadline=None)
@given(st.lists(STEP, min_size=1, max_size=25), st.integers(0, 25))
def test_live_after_a_crash_and_from_the_log_are_the_same(
    kind: str, steps: list[tuple[int, bool, int]], crash_after: int
) -> None:
    log, live, instants = _logged(kind, steps)
    end = instants[-1]
    replayed = Runner(_setup(kind), ALMANAC, SEVEN)
    crashed = Runner(_setup(kind), ALMANAC, SEVEN)
    for number, told in enumerate(log):
        if number == crash_after:
            saved = json.loads(json.dumps(crashed.saved()))
            crashed = Runner(_setup(kind), ALMANAC, end)
            crashed.restore(saved)
        for runner in (replayed, crashed):
            if told.type in runner.types:
                # However late it is read, the log alone says when it was.
                runner.take(told, end + timedelta(days=1))
    for after_s in (0, 0.4, 7, 65, 4_000):
        at = end + timedelta(seconds=after_s)
        assert _read(replayed, at) == _read(live, at), after_s
        assert _read(crashed, at) == _read(live, at), after_s
