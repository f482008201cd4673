"""A scene link that runs: the present scene is the program's, cues switch it there, and its scenes are offered."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

import pytest
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from tesoura.actions.action import Call, Doing
from tesoura.actions.registry import do
from tesoura.errors import Gone, SourceUnavailable
from tesoura.links.scene import protocol
from tesoura.links.scene.protocol import Challenge
from tesoura.standins.compositor import Compositor
from tests.conftest import Running, flat, until
from tests.runtime.test_cues import GIFT, new_cue, scene, told

WORD = "kites-in-the-wind"


@pytest.fixture
def program() -> Iterator[Compositor]:
    made = Compositor(password=WORD)
    made.start()
    yield made
    made.stop()


def link(running: Running, program: Compositor | None, **more: Any) -> None:
    """Connect the scene link, and wait until it is open."""
    choices = {"way": "connect", "address": program.link_address} if program else {"way": "listen"}
    given = {"kind": "scene", "title": "Picture", "choices": {**choices, **more}, "secrets": {"password": WORD}}
    running.runtime.call(lambda self: do(Doing(self, "desk"), Call("feed.new", given)))
    if program:
        until(lambda: running.runtime.call(lambda self: self.links.link("picture")))


def test_the_present_scene_is_the_programs_and_looks_follow(running: Running, program: Compositor) -> None:
    token = running.add_overlay("hello")
    link(running, program)
    until(lambda: scene(running) == "Play")
    with connect(f"{running.address.replace('http', 'ws')}/live/{token}") as page:
        page.recv(timeout=5)
        program.switch("Talk")
        assert json.loads(page.recv(timeout=5))["values"] == {"@scene": "Talk"}
    assert [(one.event.data["value"], one.event.actor) for one in events(running, "tesoura.scene")] == [
        ("Play", "feed:picture"),
        ("Talk", "feed:picture"),
    ]


def events(running: Running, kind: str) -> list[Any]:
    from tesoura.store import log as event_log

    newest = running.store.read(lambda session: event_log.latest(session, 80))
    return [one for one in reversed(newest) if one.event.type == kind]


def test_a_cue_switches_the_program_and_back_and_its_cause_stands_in_the_log(
    running: Running, program: Compositor
) -> None:
    link(running, program)
    new_cue(running, **GIFT, do_1="scene", scene_1="talk", for_1="1")
    running.event(type="gift", data={"amount": 5})
    until(lambda: program.current == "Talk")
    until(lambda: program.current == "Play")
    until(lambda: scene(running) == "Play")
    assert [one.event.actor for one in events(running, "tesoura.scene")] == ["feed:picture", "effect", "effect"]
    assert all(one.event.cause for one in events(running, "tesoura.scene")[1:])


def test_a_switch_while_the_link_is_away_is_not_done_and_not_shown_as_done(
    running: Running, program: Compositor
) -> None:
    link(running, program)
    until(lambda: scene(running) == "Play")
    program.stop()
    until(lambda: running.runtime.call(lambda self: self.links.link("picture")) is None)
    with pytest.raises(SourceUnavailable, match="The scene link is disconnected, so the scene was not switched"):
        running.runtime.call(lambda self: self.set_scene("Talk"))
    new_cue(running, **GIFT, do_1="scene", scene_1="Talk")
    running.event(type="gift", data={"amount": 5})
    ended = until(lambda: told(running, "tesoura.effect_ended"))
    assert (ended[0]["outcome"], ended[0]["why"]) == (
        "failed",
        "The scene link is disconnected, so the scene was not switched.",
    )
    assert scene(running) == "Play"
    page = running.press("/", "/scene", {"scene": "Talk"})
    assert "The scene link is disconnected, so the scene was not switched" in flat(
        running.client.get("/").text
    ) or "the scene was not switched" in flat(page.text)


def test_a_scene_that_is_not_there_is_refused_with_the_nearest(running: Running, program: Compositor) -> None:
    link(running, program)
    with pytest.raises(Gone, match="The nearest is Break"):
        running.runtime.call(lambda self: self.set_scene("Brake"))


def test_its_scenes_are_offered_everywhere_also_while_it_is_away_and_after_a_restart(
    running: Running, program: Compositor
) -> None:
    link(running, program)
    until(lambda: "Wheel" in running.client.get("/desk/scene").text)
    program.stop()
    running.stop()
    again = Running(running.folder)
    try:
        until(lambda: "Wheel" in again.client.get("/desk/scene").text)
        offered = again.client.get("/cues/new?do_1=scene&scene_1=Plya").text
        assert ">Starting<" in offered
        assert "There is no scene “Plya” there. The nearest is Play." in flat(offered)
    finally:
        again.stop()


def test_its_page_shows_the_scenes_and_calls_them_as_its_user_says(running: Running, program: Compositor) -> None:
    link(running, program)
    page = until(lambda: "Connected." in (text := flat(running.client.get("/feeds/picture").text)) and text)
    assert page.count("Rename here") == 5
    assert WORD not in page
    running.press("/feeds/picture", "/feeds/picture/call", {"there": "Wheel", "here": "Tea wheel"})
    until(lambda: "Tea wheel" in running.client.get("/desk/scene").text)
    until(lambda: running.runtime.call(lambda self: self.scenes())[-1] == "Tea wheel")


def test_streaming_offers_to_start_the_session_at_that_very_time(running: Running, program: Compositor) -> None:
    link(running, program)
    assert "Start the session" not in running.client.get("/").text
    program.stream(True, "2026-03-05T19:02:00+00:00")
    until(lambda: told(running, "stream.started"))
    page = until(lambda: "Your stream started at" in (text := running.client.get("/").text) and text)
    assert "Start the session" in flat(page)
    running.do("session.start", {"began": "2026-03-05T19:02:00+00:00"})
    began = running.runtime.call(lambda self: self.session_started_at)
    assert began is not None
    assert began.isoformat() == "2026-03-05T19:02:00+00:00"
    until(lambda: "streaming began" not in running.client.get("/").text)


def prove(socket: Any, password: str) -> Any:
    asked = json.loads(socket.recv(timeout=5))["params"]
    shown = protocol.proof(password, Challenge(asked["salt"], asked["nonce"]), "opener")
    params = {"version": 1, "proof": shown, "salt": "s", "nonce": "a nonce of mine"}
    socket.send(json.dumps({"jsonrpc": "2.0", "id": 1, "method": "link.prove", "params": params}))
    return json.loads(socket.recv(timeout=5))


def _let_in_again(running: Running) -> bool:
    poller = running.runtime.call(lambda self: self.feeds.running("picture").poller)
    return poller is not None and poller.next_try_in_s is None


def test_a_program_connects_to_us_and_only_one_and_only_with_the_password(running: Running) -> None:
    link(running, None)
    address = f"{running.address.replace('http', 'ws')}/scene-link/picture"
    with connect(address) as wrong:
        assert prove(wrong, "another-password")["error"]["message"] == "Wrong password."
        with pytest.raises(ConnectionClosed):
            wrong.recv(timeout=5)
    with connect(address) as at_once, pytest.raises(ConnectionClosed, match="Wrong password before"):
        at_once.recv(timeout=5)
    until(lambda: _let_in_again(running))
    with connect(address) as socket:
        assert "proof" in prove(socket, WORD)["result"]
        asked = json.loads(socket.recv(timeout=5))
        assert asked["method"] == "scene.list"
        result = {"scenes": ["Play", "Talk"], "current": "Talk"}
        socket.send(json.dumps({"jsonrpc": "2.0", "id": asked["id"], "result": result}))
        until(lambda: scene(running) == "Talk")
        with connect(address) as second, pytest.raises(ConnectionClosed, match="Another program is already connected"):
            second.recv(timeout=5)
    until(lambda: running.runtime.call(lambda self: self.links.link("picture")) is None)
    with connect(address) as socket:
        assert "proof" in prove(socket, WORD)["result"]


def test_nobody_is_waited_for_where_no_link_is_and_no_page_of_another_site_comes_in(running: Running) -> None:
    address = f"{running.address.replace('http', 'ws')}/scene-link/picture"
    with connect(address) as socket, pytest.raises(ConnectionClosed, match="No scene link expects a connection here"):
        socket.recv(timeout=5)
    with pytest.raises(InvalidStatus, match="403"):
        connect(address, additional_headers={"Origin": "http://pier.example"})
