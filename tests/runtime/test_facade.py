"""The runtime as a whole: freshness that changes by itself, restarts, and what is saved when."""

from __future__ import annotations

import asyncio
import contextlib
import json
import threading
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from websockets.sync.client import connect

from tesoura.core.values import Scalar
from tesoura.runtime.facade import Runtime
from tesoura.standins.members import MembersService
from tesoura.store import feeds as stored_feeds
from tesoura.store import log as event_log
from tesoura.store import state
from tests.conftest import Running, until


def desk(running: Running) -> Any:
    ticket = running.client.get("/").text.split('name="desk" content="')[1].split('"')[0]
    return connect(f"ws://127.0.0.1:{running.port}/live/desk/{ticket}")


def topics(opened: Any, wanted: str) -> bool:
    """Read the desk's link until this topic is told of."""
    while True:
        if wanted in json.loads(opened.recv(10)).get("topics", []):
            return True


def test_a_script_that_falls_silent_is_late_without_anybody_asking(running: Running) -> None:
    running.client.put("/api/signals/heat", json={"value": 21, "fresh_for_s": 3}, headers=running.auth)
    assert running.signal("script.heat")["freshness"] == "live"
    with desk(running) as opened:
        assert json.loads(opened.recv(5))["kind"] == "hello"
        assert topics(opened, "signals")
    until(lambda: running.signal("script.heat")["freshness"] == "late")


def test_what_is_late_sooner_is_noticed_sooner(running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane", period_s=3600.0)
    until(lambda: running.signal("reach.members").get("value") == 1284)
    running.client.put("/api/signals/heat", json={"value": 21, "fresh_for_s": 3.0}, headers=running.auth)
    token = running.add_overlay("{script.heat} °C", when_late="hide", when_down="hide")
    assert ">21 °C</span>" in running.client.get(f"/o/{token}").text
    until(lambda: "hidden><div" in running.client.get(f"/o/{token}").text)


def test_the_desk_is_told_of_topics_and_not_flooded(running: Running) -> None:
    with desk(running) as opened:
        opened.recv(5)
        for number in range(50):
            running.event(type="kill", data={"n": number})
        assert topics(opened, "log")
        more: list[object] = []
        with contextlib.suppress(TimeoutError):
            while len(more) < 100:
                more.append(opened.recv(1.0))
        assert len(more) <= 8


def test_after_a_restart_a_feeds_value_is_late_until_it_comes_again(running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane")
    until(lambda: running.signal("reach.members").get("value") == 1284)
    members.fail("silence")
    running.stop()
    again = Running(running.folder)
    try:
        signal = again.signal("reach.members")
        assert (signal["value"], signal["unit"], signal["freshness"]) == (1284, "kite friends", "late")
        assert "<path d=" in again.client.get("/signals/").text
        members.fail(None)
    finally:
        again.stop()


def test_a_value_that_a_script_set_is_in_the_log_before_the_answer(tmp_path: Path) -> None:
    running = Running(tmp_path, save_every_s=3600.0)
    given = {"value": "on", "unit": "", "fresh_for_s": 60}
    running.client.put("/api/signals/lamp", json=given, headers=running.auth)
    [one] = running.store.read(lambda session: event_log.latest(session, 1))
    assert (one.event.type, one.event.actor, one.event.data) == (
        "tesoura.signal",
        "key:tests",
        {"signal": "script.lamp", "value": "on", "fresh_for_s": 60.0},
    )
    running.kill()
    again = Running(tmp_path)
    # It was set before the crash; whether it still holds, nobody has said since.
    assert (again.signal("script.lamp")["value"], again.signal("script.lamp")["freshness"]) == ("on", "late")
    again.stop()


def test_a_scene_and_a_value_set_by_hand_survive_a_crash(tmp_path: Path) -> None:
    running = Running(tmp_path, save_every_s=3600.0)
    running.press("/", "/scene", {"scene": "Talk"})
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "start": "3"})
    running.client.put("/api/hand/lives", json={"step": -1}, headers=running.auth)
    running.kill()
    again = Running(tmp_path)
    assert again.signal("scene.present")["value"] == "Talk"
    assert again.signal("lives.value")["value"] == 2
    again.stop()


def test_two_steps_at_once_are_two_steps(running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "start": "0"})

    async def both(runtime: Runtime) -> None:
        def up(present: Scalar | None) -> Scalar:
            return int(present or 0) + 1

        await asyncio.gather(*(runtime.set_by_hand("lives", up) for _ in range(5)))

    running.runtime.call(both)
    assert running.signal("lives.value")["value"] == 5


def test_what_could_not_be_saved_is_saved_the_next_time(running: Running, monkeypatch: pytest.MonkeyPatch) -> None:
    tries: list[object] = []

    def full(*_: object) -> None:
        tries.append(1)
        raise OSError("the disk is full")

    with monkeypatch.context() as patched:
        patched.setattr("tesoura.runtime.facade.state.save", full)
        running.event(type="kill", data={"target": "tuck"})
        until(lambda: len(tries) >= 2)
        assert running.store.read(state.load)[0] == []
    until(lambda: {one.signal.name for one in running.store.read(state.load)[0]} >= {"kill.target"})


def test_events_behind_the_last_saving_are_read_from_the_log_again(tmp_path: Path) -> None:
    running = Running(tmp_path, save_every_s=3600.0)
    for number in range(3):
        running.event(type="kill", data={"target": f"kite {number}"})
    saved, position = running.store.read(state.load)
    assert (saved, position) == ([], 0)
    running.kill()
    again = Running(tmp_path)
    try:
        assert again.signal("kill.target")["value"] == "kite 2"
        assert again.signal("kill.count_this_session")["value"] == 3
    finally:
        again.stop()


def test_a_removed_feeds_signals_do_not_come_back_with_a_restart(running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane")
    until(lambda: running.signal("reach.members").get("value") == 1284)
    running.do("feed.remove?feed=reach")
    running.stop()
    again = Running(running.folder)
    try:
        assert again.client.get("/api/signals", headers=again.auth).json() == []
    finally:
        again.stop()


def test_a_session_that_began_before_counts_only_its_own_events_after_a_restart(running: Running) -> None:
    now = datetime.now(UTC)
    for minutes in (30, 20, 10):
        running.event(type="kill", time=(now - timedelta(minutes=minutes)).isoformat())
    running.store.write(lambda session: state.start_session(session, now - timedelta(minutes=25)))
    running.stop()
    again = Running(running.folder)
    try:
        assert again.signal("kill.count_this_session")["value"] == 2
    finally:
        again.stop()


def test_two_changes_of_one_feed_at_once_leave_one_poller(running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane", period_s=1.0)
    pressing = [
        threading.Thread(target=running.press, args=("/", "/feeds/reach/pause", {"paused": "no"})) for _ in range(6)
    ]
    for thread in pressing:
        thread.start()
    for thread in pressing:
        thread.join()

    def polling(_: Runtime) -> list[str]:
        return [name for task in asyncio.all_tasks() if (name := task.get_name()).startswith("Feed ")]

    assert running.runtime.call(polling) == ["Feed reach"]
    running.do("feed.pause?feed=reach", {"paused": "yes"})
    assert running.runtime.call(polling) == []


def test_a_feed_whose_key_file_was_lost_says_that_a_key_is_wanted(running: Running, members: MembersService) -> None:
    address = f"{members.address}/channels/mara_vane/exact"
    running.add_feed(address, path="exact.members", key_in="header", key_name="X-Key")

    def job(session: Any) -> None:
        row = stored_feeds.by_name(session, "reach")
        assert row is not None
        stored_feeds.keep_secrets(session, row.id or 0, {"key": "paper-kite-4711"}, running.store.secrets)

    running.store.write(job)
    running.do("feed.pause?feed=reach", {"paused": "no"})
    until(lambda: running.signal("reach.members").get("value") == 1284)
    running.stop()
    (running.folder / "secret.key").unlink()
    again = Running(running.folder)
    try:
        until(lambda: "needs a key (401)" in again.client.get("/feeds/table").text)
        assert again.signal("reach.members")["value"] == 1284
    finally:
        again.stop()
