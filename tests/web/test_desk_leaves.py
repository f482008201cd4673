"""The desk's leaves: laid on the page, pressed, and told what a press would do and why it did nothing."""

from __future__ import annotations

import json
from typing import Any

from websockets.sync.client import connect

from tesoura.feeds.channel import ends
from tests.conftest import Running, flat, until
from tests.runtime.test_cues import new_cue
from tests.runtime.test_showing import said


def send(running: Running, to: str, **data: Any) -> tuple[int, str]:
    answer = running.press("/", f"/desk/leaves/{to}", data)
    return answer.status_code, flat(answer.text)


def pressed(running: Running, button: str) -> str:
    """What a press says where no script runs."""
    running.press("/", f"/desk/leaves/press/{button}", {})
    return flat(running.client.get("/").text)


def test_a_leaf_is_made_buttons_are_laid_pressed_moved_and_taken_off(running: Running) -> None:
    running.add_overlay("a song", name="Song")
    assert "Put what you press while live on button pages:" in flat(running.client.get("/desk/leaves/").text)
    running.press("/", "/", {})
    assert send(running, "new", name="Play")[0] == 200
    assert "“Talk” was added" in send(running, "l1/lay", does="scene", scene="Talk")[1]
    assert "“Song” was added" in send(running, "l1/lay", does="piece", part="Overlay / Song")[1]
    page = flat(running.client.get("/desk/leaves/").text)
    assert "no scene → Talk" in page
    assert "on screen · Hide" in page
    assert "The scene is Talk." in pressed(running, "b2")
    assert "is hidden until changed." in pressed(running, "b3")
    assert "hidden · Show" in flat(running.client.get("/desk/leaves/").text)
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
        assert "Hide everything" in flat(again.client.get("/desk/leaves/").text)
    finally:
        again.stop()


def test_a_button_of_a_cue_that_rests_tells_the_seconds_left(running: Running) -> None:
    name = new_cue(running, do_1="set", signal_1="script.cheers", value_of_1="1", rests="1 h")
    send(running, "new", name="Play")
    send(running, "l1/lay", does="cue", cue=name)
    assert "Running now." in pressed(running, "b2")
    until(lambda: running.signal("cheer.state").get("value") == "rests")
    (face,) = running.runtime.call(lambda self: self.devices.operator.faces("l1", "desk"))
    assert (face.state, face.blocked, 3_590 < face.of_s <= 3_600) == ("not now", True, True)


def test_a_press_for_what_is_gone_says_so_and_breaks_nothing(running: Running) -> None:
    send(running, "new", name="Play")
    send(running, "l1/lay", does="cue", cue="nobody")
    assert "There is no instrument nobody" in pressed(running, "b2")
    assert "This button no longer exists." in pressed(running, "b77")
    status, page = send(running, "l1/lay", does="say", chat="", line="hello")
    assert (status, "Choose a chat." in page) == (422, True)
    assert send(running, "l9/lay", does="air")[0] == 422


def test_a_program_presses_a_button_and_its_act_is_taken_back(running: Running) -> None:
    token = running.add_overlay("a song", name="Song")
    send(running, "new", name="Play")
    send(running, "l1/lay", does="piece", part="Overlay / Song")
    pressed = running.client.post("/api/actions/button.press", json={"button": "b2"}, headers=running.auth)
    assert pressed.json()["done"] == "Overlay / Song is hidden until changed."
    assert said(running, token) == {"Song": ""}
    running.client.post("/api/actions/desk.undo", json={}, headers=running.auth)
    assert said(running, token) == {"Song": "a song"}
    refused = running.client.post("/api/actions/leaf.new", json={"name": "x"}, headers=running.auth)
    assert refused.status_code == 403


def test_a_button_is_changed_a_leaf_renamed_and_a_ready_set_laid(running: Running) -> None:
    running.do("instrument.new?kind=countdown", {"title": "Kettle", "length": "9 min"})
    send(running, "new", name="Play")
    send(running, "l1/lay", does="scene", scene="Talk")
    assert "Edit “Talk”" in flat(running.client.get("/desk/leaves/?leaf=l1&laying=yes&change=b2").text)
    assert (
        "“Off to talk” was saved"
        in send(running, "l1/buttons/b2/change", does="scene", scene="Talk", words="Off to talk", key="Shift+t")[1]
    )
    assert "<kbd>Shift+T</kbd>" in flat(running.client.get("/desk/leaves/").text)
    assert "The button page is now called Breaks." in send(running, "l1/rename", name="Breaks")[1]
    page = send(running, "l1/set", instrument="kettle")[1]
    assert "The buttons of “Kettle” were added." in page
    assert "<b>Kettle: Add 3 min</b>" in page
    assert "There is no instrument pot" in send(running, "l1/set", instrument="pot")[1]


def test_a_key_that_has_a_use_already_is_named_with_what_has_it(running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Deaths", "what": "number", "key_up": "u", "low": "0", "high": "9"})
    send(running, "new", name="Play")
    send(running, "l1/lay", does="air", key="F13")
    for key, words in {
        "F13": "F13 presses “Hide everything” already.",
        "u": "u is a key of Deaths, which is set by hand.",
        "g": "“g” is used by Tesoura's pages.",
        "ctrl+w": "Ctrl+W closes the page in the browser.",
        "Hyper": "This key can't be used.",
    }.items():
        status, page = send(running, "l1/lay", does="undo", key=key)
        assert (status, words in page) == (422, True), key


def test_what_is_away_is_told_in_its_own_words_and_what_fails_on_air_while_somebody_sees_it(running: Running) -> None:
    for kind, typed in {
        "irc": {"title": "Pier", "host": "127.0.0.1", "port": "9", "tls": "no", "channel": "pier", "nick": "mara"},
        "scene": {"title": "Picture", "address": "ws://127.0.0.1:9/link"},
    }.items():
        running.press("/", f"/feeds/new/{kind}", {**typed, "keep_anyway": "yes"})
    token = running.add_overlay("{nothing.there}", name="Gone", nothing_yet="")

    def needs() -> str:
        return flat(running.client.get("/desk/needs").text)

    until(lambda: "The chat Pier is not joined: " in needs() and "The scene link Picture is away: " in needs())
    assert "Gone on Overlay" not in needs()
    with connect(f"{running.address.replace('http', 'ws')}/live/{token}"):
        until(lambda: "Gone on Overlay: nothing.there has no value yet." in needs())


def test_a_sign_in_that_ends_soon_and_is_not_renewed_by_itself_needs_somebody() -> None:
    at = 1_800_000_000.0
    assert ends({"tokens": json.dumps({"access": "a", "refresh": None, "until": at})}) == at
    assert ends({"tokens": json.dumps({"access": "a", "refresh": "b", "until": at})}) is None
    assert ends({"tokens": ""}) is None
    assert ends({}) is None
