"""What is on air: the later version stays, what was deleted stays away, and an event compiles nothing."""

from __future__ import annotations

import asyncio
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from websockets.sync.client import connect

from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.overlays.pieces import kind as piece_kind
from tesoura.runtime.facade import Runtime
from tesoura.settings import wall_clock
from tesoura.store import overlays as stored_overlays
from tesoura.store.overlays import OnAir
from tesoura.studio.drawings import Recent
from tests.conftest import Clock, Running, flat, until
from tests.runtime.test_clips import act


@pytest.fixture
def clock() -> Clock:
    return Clock(datetime(2026, 11, 26, 19, 0, tzinfo=UTC))


def _slowed(runtime: Runtime, first: asyncio.Event) -> None:
    """Let the first version that is put on air wait for its rows until it is told to go on."""
    stage, waiting = runtime.stage, [first]
    recent = stage.recent

    async def slow(overlay: Overlay) -> Recent:
        if waiting:
            await waiting.pop().wait()
        return await recent(overlay)

    stage.recent = slow  # type: ignore[method-assign]


def test_of_two_versions_put_on_air_at_once_the_later_stays(running: Running) -> None:
    token = running.add_overlay("hello")

    async def both(runtime: Runtime) -> int:
        on_air = runtime.stage._on_air[1]
        go_on = asyncio.Event()
        _slowed(runtime, go_on)
        older = asyncio.create_task(runtime.stage.put(replace(on_air, rev=on_air.rev + 1)))
        await asyncio.sleep(0)
        await runtime.stage.put(replace(on_air, rev=on_air.rev + 2))
        go_on.set()
        await older
        return runtime.stage._on_air[1].rev - on_air.rev

    assert running.runtime.call(both) == 2
    assert running.client.get(f"/o/{token}").status_code == 200


def test_an_overlay_that_is_put_away_meanwhile_does_not_come_back(running: Running) -> None:
    running.add_overlay("hello")

    async def away(runtime: Runtime) -> bool:
        on_air = runtime.stage._on_air[1]
        go_on = asyncio.Event()
        _slowed(runtime, go_on)
        later = asyncio.create_task(runtime.stage.put(on_air))
        await asyncio.sleep(0)
        runtime.stage.take_off(1)
        go_on.set()
        await later
        return 1 in runtime.stage._on_air

    assert not running.runtime.call(away)


def test_an_event_compiles_no_wording(running: Running, monkeypatch: pytest.MonkeyPatch) -> None:
    running.add_overlay("a {gift.from_name}", appears="moment", moment_type="gift")

    def never(source: str) -> object:
        raise AssertionError(f"compiled again: {source}")

    monkeypatch.setattr(piece_kind, "compile_wording", never)
    running.event(type="gift", data={"from_name": "teacup_ana"})
    showing = until(lambda: running.runtime.call(lambda self: self.stage.moments.showing()))
    assert [moment.text for moment in showing] == ["a teacup_ana"]


def test_a_moment_reads_the_present_values_and_its_own_event_alone(running: Running) -> None:
    running.event(type="gift", data={"from_name": "bolt_uncle", "amount": 5})
    running.client.put("/api/signals/heat", json={"value": 21}, headers=running.auth)
    running.add_overlay("{coalesce(gift.amount, 0)} {script.heat}", appears="moment", moment_type="gift")
    running.event(type="gift", data={"from_name": "teacup_ana"})
    showing = until(lambda: running.runtime.call(lambda self: self.stage.moments.showing()))
    assert [moment.text for moment in showing] == ["0 21"]


def test_a_hidden_piece_appears_for_nothing(running: Running) -> None:
    assert new_piece("text", "text", hidden="yes")["hidden"] == "yes"
    running.add_overlay("a gift", appears="moment", moment_type="gift", hidden="yes")
    running.event(type="gift", data={})
    assert running.runtime.call(lambda self: (self.stage.moments.waiting(), self.stage.moments.showing())) == ([], [])


def shown_state(running: Running, overlay_id: int) -> str:
    return flat(running.client.get(f"/desk/overlays/{overlay_id}").text)


def test_one_empty_part_does_not_make_a_piece_hidden_and_none_that_has_come_does(running: Running) -> None:
    act(
        running,
        "computed.new",
        kind="window",
        name="gifts",
        choices={"types": ["gift"], "by": "name", "over": "all", "stats": ["count", "top"]},
    )
    ranking = Overlay(pieces=(new_piece("ranking", "r", ranking="gifts"),))
    row = running.store.write(lambda session: stored_overlays.new_overlay(session, "Gifts", ranking, wall_clock()))
    overlay_id = row.id or 0
    assert "Never on air" in shown_state(running, overlay_id)
    running.publish(overlay_id)

    def said() -> tuple[Any, bool]:
        told = running.runtime.call(lambda self: (self.hub.said(overlay_id, "r"), self.stage.troubles()))
        return told[0], told[1][0].hidden

    # Before the first gift there are three places without a name: nothing of it is on screen.
    assert said() == ("", True)
    assert "Ranking</b> is hidden" in shown_state(running, overlay_id)
    running.event(type="gift", data={"name": "teacup_ana", "amount": 3})
    # Two places are empty still; the piece is there.
    assert said() == ("1", False)
    assert "is hidden" not in shown_state(running, overlay_id)


def test_a_link_that_is_open_before_anything_was_published_is_not_on_air(running: Running) -> None:
    row = running.store.write(lambda session: stored_overlays.new_overlay(session, "Draft", Overlay(), wall_clock()))
    running.client.get("/overlays/")
    running.runtime.call(lambda self: self.stage.put(OnAir(row.id or 0, "Draft", row.token, 0, Overlay())))
    with connect(f"ws://127.0.0.1:{running.port}/live/{row.token}"):
        until(lambda: "1 page has the link open and shows nothing" in shown_state(running, row.id or 0))
        assert "On air" not in shown_state(running, row.id or 0)


def test_a_page_is_told_when_a_value_is_old_and_when_it_is_back(tmp_path: Path, clock: Clock) -> None:
    running = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
    try:
        script = {"value": 3, "fresh_for_s": 10}
        running.client.put("/api/signals/lamps", json=script, headers=running.auth)
        token = running.add_overlay("{script.lamps} lamps")

        def said() -> tuple[str, str]:
            frame = running.runtime.call(lambda self: self.stage.frame(token))
            assert frame is not None
            return str(frame.values["text"]), str(frame.values.get("text.@old", ""))

        assert said() == ("3 lamps", "")
        clock.now += timedelta(seconds=49)
        running.runtime.call(lambda self: self._tick())
        assert said() == ("3 lamps", "")
        clock.now += timedelta(seconds=1)
        running.runtime.call(lambda self: self._tick())
        assert said() == ("3 lamps", "1")
        assert " data-old" in running.client.get(f"/o/{token}").text
        running.publish(1)
        assert said() == ("3 lamps", "1"), "another version is marked, too"
        running.client.put("/api/signals/lamps", json=script, headers=running.auth)
        assert said() == ("3 lamps", "")
    finally:
        running.stop()
