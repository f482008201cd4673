"""The desk's leaves: laid on the page, pressed, and told what a press would do and why it did nothing."""

from __future__ import annotations

from typing import Any

from tests.conftest import Running, flat, until
from tests.runtime.test_cues import new_cue
from tests.runtime.test_showing import said


def send(running: Running, to: str, **data: Any) -> tuple[int, str]:
    answer = running.press("/", f"/desk/leaves/{to}", data)
    return answer.status_code, flat(answer.text)


def test_a_leaf_is_made_buttons_are_laid_pressed_moved_and_taken_off(running: Running) -> None:
    running.add_overlay("a song", name="Song")
    assert "Lay what you press while live" in flat(running.client.get("/desk/leaves/").text)
    running.press("/", "/", {})
    assert send(running, "new", name="Play")[0] == 200
    assert "“Talk” is laid" in send(running, "l1/lay", does="scene", scene="Talk")[1]
    assert "“Song” is laid" in send(running, "l1/lay", does="piece", part="Overlay / Song")[1]
    page = flat(running.client.get("/desk/leaves/").text)
    assert "no scene → Talk" in page
    assert "viewers see it · Hide" in page
    assert "The scene is Talk." in send(running, "press/b2", leaf="l1")[1]
    assert "hidden · Show" in send(running, "press/b3", leaf="l1")[1]
    moved = send(running, "l1/buttons/b3/move", place="0")[1]
    assert moved.index("Song") < moved.index("<b>Talk")
    assert "“Talk” was taken off" in send(running, "l1/buttons/b2/remove")[1]
    assert running.runtime.call(lambda self: [one.id for one in self.leaves.present.leaves[0].buttons]) == ["b3"]


def test_leaves_lie_as_they_did_after_a_restart_and_laying_is_taken_back(running: Running) -> None:
    send(running, "new", name="Play")
    send(running, "l1/lay", does="air")
    send(running, "l1/remove")
    running.press("/", "/desk/undo", {})
    running.stop()
    again = Running(running.folder)
    try:
        assert "Clear the air" in flat(again.client.get("/desk/leaves/").text)
    finally:
        again.stop()


def test_a_button_of_a_cue_that_rests_tells_the_seconds_left(running: Running) -> None:
    name = new_cue(running, do_1="set", signal_1="script.cheers", value_of_1="1", rests="1 h")
    send(running, "new", name="Play")
    send(running, "l1/lay", does="cue", cue=name)
    assert "It fires now." in send(running, "press/b2", leaf="l1")[1]
    until(lambda: running.signal("cheer.state").get("value") == "rests")
    page = flat(running.client.get("/desk/leaves/").text)
    assert "s left" in page
    assert "every 1s" in page


def test_a_press_for_what_is_gone_says_so_and_breaks_nothing(running: Running) -> None:
    send(running, "new", name="Play")
    send(running, "l1/lay", does="cue", cue="nobody")
    assert send(running, "press/b2", leaf="l1")[0] == 422
    status, page = send(running, "press/b77", leaf="l1")
    assert (status, "There is no such button any more." in page) == (422, True)
    status, page = send(running, "l1/lay", does="say", chat="", line="hello")
    assert (status, "Choose a chat." in page) == (422, True)
    assert send(running, "l9/lay", does="air")[0] == 422


def test_a_program_presses_a_button_and_its_act_is_taken_back(running: Running) -> None:
    token = running.add_overlay("a song", name="Song")
    send(running, "new", name="Play")
    send(running, "l1/lay", does="piece", part="Overlay / Song")
    pressed = running.client.post("/api/actions/button.press", json={"button": "b2"}, headers=running.auth)
    assert pressed.json()["done"] == "Overlay / Song is hidden, until told otherwise."
    assert said(running, token) == {"Song": ""}
    running.client.post("/api/actions/desk.undo", json={}, headers=running.auth)
    assert said(running, token) == {"Song": "a song"}
    refused = running.client.post("/api/actions/leaf.new", json={"name": "x"}, headers=running.auth)
    assert refused.status_code == 403
