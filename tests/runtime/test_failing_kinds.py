"""A kind of instrument with a fault in any of its methods: it stands still and is named, and all else goes on."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from tesoura.core.instruments import registry
from tesoura.errors import CommandRefused
from tesoura.runtime.tasks import Tasks
from tesoura.store import computed, log
from tests.conftest import Running, soon, until
from tests.runtime.test_clips import act
from tests.web.test_instrument_shape import KIND, TEMPLATES, Lamps

FAULT = "a fault of our own making"
METHODS = (
    "handle",
    "advance",
    "on_event",
    "see",
    "read",
    "next_change",
    "fires",
    "view",
    "extremes",
    "saved",
    "recorded",
)
failing: set[str] = set()


class Faulty(Lamps):
    """Lamps of which one method raises, once it is told to."""

    def __getattribute__(self, name: str) -> Any:
        if name in failing:
            raise ZeroDivisionError(FAULT)
        return super().__getattribute__(name)


@pytest.fixture
def kinds(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    kind = replace(
        KIND,
        begin=lambda name, choices, almanac, now: Faulty(name, choices["of"]),
        restore=lambda name, choices, almanac, saved: Faulty(name, choices["of"], saved["lit"]),
        reads=lambda choices, almanac: ("count.value",),
    )
    monkeypatch.setitem(registry.KINDS, "lamps", kind)
    yield
    failing.clear()


def lamps(running: Running) -> None:
    from jinja2 import ChoiceLoader, DictLoader

    loader = running.flask.jinja_env.loader
    running.flask.jinja_env.loader = ChoiceLoader([DictLoader(TEMPLATES), loader])  # type: ignore[list-item]


@pytest.mark.parametrize("method", METHODS)
def test_a_fault_in_one_method_stops_that_instrument_and_nothing_else(tmp_path: Path, kinds: None, method: str) -> None:
    running = Running(tmp_path)
    lamps(running)
    try:
        running.press(
            "/",
            "/feeds/new/hand",
            {"title": "Count", "what": "number", "start": "0", "step": "1", "low": "0", "high": "999"},
        )
        act(running, "instrument.new", kind="lamps", choices={"title": "Pier", "of": 3})
        act(running, "instrument.new", kind="scoreboard", choices={"title": "Match", "sport": "basketball"})
        failing.add(method)
        with suppress(CommandRefused):
            act(running, "instrument.command", instrument="pier", command="light")
        assert running.event(type="wind", data={}).status_code == 202
        act(running, "hand.set", name="Count", value="7")
        act(running, "instrument.command", instrument="match", command="point", side="home")
        for path in ("/", "/instruments/", "/instruments/pier", "/signals/", "/overlays/", "/log/", "/cues/"):
            assert running.client.get(path).status_code == 200, path
        for path in ("/api/signals", "/api/signals/pier.lit"):
            assert running.client.get(path, headers=running.auth).status_code == 200, path
        until(lambda: running.signal("match.home_points")["value"] == "1")
        if method != "extremes":
            until(lambda: running.client.get("/healthz").json()["failed"])
            assert running.client.get("/healthz").json()["status"] == "failing"
            assert f"pier stopped by an error in Tesoura: ZeroDivisionError: {FAULT}" in (
                running.client.get("/desk/needs").text
            )
            until(lambda: running.signal("pier.lit")["freshness"] == "down")
        until(lambda: _saved(running, "match") >= running.store.read(log.last_seq))
    finally:
        running.stop()
        failing.clear()
    again = Running(tmp_path)
    try:
        assert again.signal("count.value")["value"] == 7
        assert again.client.get("/healthz").json()["status"] == "ok"
    finally:
        again.stop()


def _saved(running: Running, key: str) -> int:
    """Up to which place in the log a computation was saved."""
    standing = running.store.read(computed.standings).get(key)
    return standing.seq if standing is not None else 0


def test_a_loop_that_fails_is_named_run_again_and_well_after_a_while(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tesoura.runtime.tasks.AGAIN_S", 0.01)
    monkeypatch.setattr("tesoura.runtime.tasks.WELL_S", 0.05)

    async def go() -> None:
        tasks, told, runs = Tasks(), list[str](), 0
        well = asyncio.Event()

        async def loop() -> None:
            nonlocal runs
            runs += 1
            if runs <= 2:
                raise ZeroDivisionError(FAULT)
            await well.wait()

        task = tasks.keep_going(loop, "Saving", lambda error: told.append(str(error)))
        await soon(lambda: runs == 3)
        assert told == [FAULT, FAULT]
        assert tasks.failing == {"Saving": f"ZeroDivisionError: {FAULT}"}
        await soon(lambda: not tasks.failing)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)

    asyncio.run(go())
