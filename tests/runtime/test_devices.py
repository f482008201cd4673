"""Devices on the socket of a Tesoura that runs: paired, pressing exactly once, told the same as the desk, removed."""

from __future__ import annotations

import json
import threading
import uuid
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from typing import Any

import pytest
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import ClientConnection, connect
from websockets.typing import Origin

from tesoura.actions.action import Call, Doing
from tesoura.actions.registry import do
from tesoura.runtime.showing import SHOWN
from tesoura.standins.pad import Pad
from tesoura.store import log as event_log
from tests.conftest import Running, until
from tests.runtime.test_cues import new_cue
from tests.runtime.test_showing import said


def lay(running: Running, **typed: str) -> str:
    """Lay a button on the button page Play, which is made when it is not there; its id."""

    async def job(self: Any) -> str:
        leaves = self.leaves.present.leaves
        if not leaves:
            await do(Doing(self, "desk"), Call("leaf.new", {"name": "Play"}))
        leaf = self.leaves.present.leaves[0].id
        done = await do(Doing(self, "desk"), Call("button.lay", {"leaf": leaf, "choices": typed}))
        return str(done.result["button"])

    return running.runtime.call(job)


class Device:
    """The device's side of the socket."""

    def __init__(self, wire: ClientConnection) -> None:
        self.wire, self.number, self.faces = wire, 0, dict[str, dict[str, Any]]()
        self.told: dict[str, Any] = {}

    def ask(self, method: str, **params: Any) -> dict[str, Any]:
        """Ask, and what is answered; what is told meanwhile is taken in."""
        self.number += 1
        self.wire.send(json.dumps({"jsonrpc": "2.0", "id": self.number, "method": method, "params": params}))
        while (told := self.hear()).get("id") != self.number:
            pass
        return told

    def hear(self) -> dict[str, Any]:
        """The next that is told."""
        told: dict[str, Any] = json.loads(self.wire.recv(timeout=10))
        if told.get("method") == "leaf.shown":
            self.faces = {one["id"]: one for one in told["params"]["buttons"]}
        elif told.get("method") == "buttons.changed":
            self.faces |= {one["id"]: one for one in told["params"]["buttons"]}
        return told

    def press(self, button: str, id: str = "", **more: Any) -> dict[str, Any]:
        """Press a button."""
        return self.ask("button.press", button=button, press=id or uuid.uuid4().hex, **more)

    def until(self, button: str, **wanted: Any) -> None:
        """Hear until a button stands so."""
        while not (button in self.faces and wanted.items() <= self.faces[button].items()):
            self.hear()


@contextmanager
def device(running: Running, **hello: Any) -> Iterator[Device]:
    """A device that says hello."""
    with connect(f"{running.address.replace('http', 'ws')}/device-socket", open_timeout=5) as wire:
        one = Device(wire)
        one.told = one.ask("device.hello", version=1, **{"name": "Pier pad", **hello})
        yield one


def paired(running: Running, *leaves: str) -> str:
    """Pair a device; its token."""
    pairing = running.runtime.call(lambda self: self.devices.begin_pairing(leaves or ("l1",)))
    with device(running, code=pairing.digits) as one:
        return str(one.told["result"]["token"])


def scene(running: Running) -> Any:
    return running.runtime.call(lambda self: self.stage.scene)


def test_a_device_is_paired_once_by_six_digits_and_known_by_its_token_after_a_restart(running: Running) -> None:
    lay(running, does="scene", scene="Talk")
    pairing = running.runtime.call(lambda self: self.devices.begin_pairing(("l1",)))
    assert len(pairing.digits) == 6
    with device(running, code=pairing.digits) as one:
        token = one.told["result"]["token"]
    with device(running, code=pairing.digits) as again:
        assert again.told["error"]["code"] == 1
    running.stop()
    anew = Running(running.folder)
    try:
        with device(anew, token=token) as one:
            one.until("b2", words="Talk")
            assert one.press("b2")["result"] == {"done": True, "words": "The scene is Talk."}
        assert scene(anew) == "Talk"
        event = anew.client.get("/api/signals/scene.present", headers=anew.auth).json()
        assert event["value"] == "Talk"
    finally:
        anew.stop()


def test_a_code_is_withdrawn_after_five_wrong_guesses_from_anywhere(running: Running) -> None:
    lay(running, does="air")
    pairing = running.runtime.call(lambda self: self.devices.begin_pairing(("l1",)))
    wrong = f"{(int(pairing.digits) + 1) % 1_000_000:06}"
    for _ in range(5):
        with device(running, code=wrong) as one:
            assert "wrong or has expired" in one.told["error"]["message"]
    with device(running, code=pairing.digits) as one:
        assert "error" in one.told
    why = running.runtime.call(lambda self: self.devices.pairings.why_closed)
    assert why == "Wrong digits were entered 5 times, so the code expired. Show a new one."


def test_the_same_press_sent_again_has_one_effect_also_after_a_crash(running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "low": "0", "high": "9"})
    button = lay(running, does="step", hand="lives", by="1")
    token = paired(running)
    with device(running, token=token) as one:
        first = one.press(button, "p1")
        assert one.press(button, "p1") == {**first, "id": 3}
    with device(running, token=token) as one:
        assert one.press(button, "p1")["result"] == first["result"]
    assert running.signal("lives.value")["value"] == 1
    running.kill()
    anew = Running(running.folder)
    try:
        with device(anew, token=token) as one:
            said = one.press(button, "p1")["result"]
            assert said == {"done": True, "words": "This press was already handled."}
            one.press(button, "p2")
        assert anew.signal("lives.value")["value"] == 2
    finally:
        anew.stop()


def test_two_who_hide_the_same_at_once_do_not_show_it_again(running: Running) -> None:
    running.add_overlay("a song", name="Song")
    button = lay(running, does="piece", part="Overlay / Song")
    token = paired(running)
    with device(running, token=token) as one, device(running, token=token) as other:
        assert one.press(button, on=True)["result"]["done"] is True
        late = other.press(button, on=True)["result"]
        assert late == {"done": False, "words": "Somebody was faster: no change."}
        other.until(button, on=False, state="hidden · Show")
        assert other.press(button, on=False)["result"]["done"] is True
        one.until(button, on=True)


def test_desk_and_device_are_told_the_same_of_a_button(running: Running) -> None:
    button = lay(running, does="scene", scene="Talk")
    token = paired(running)
    ticket = running.ticket
    with device(running, token=token) as one, device(running, ticket=ticket) as desk:
        one.until(button, state="no scene → Talk")
        desk.press(button)
        for each in (one, desk):
            each.until(button, on=True, state="now", answer="The scene is Talk.")
        assert one.faces[button] == desk.faces[button]


def test_a_device_has_its_leaves_and_no_others(running: Running) -> None:
    lay(running, does="air")
    running.press("/", "/desk/leaves/new", {"name": "Secret"})
    token = paired(running)
    hidden = running.runtime.call(
        lambda self: do(Doing(self, "desk"), Call("button.lay", {"leaf": "l3", "choices": {"does": "undo"}}))
    )
    with device(running, token=token) as one:
        assert one.ask("leaf.show", leaf="l3")["error"]["code"] == 3
        assert one.press(hidden.result["button"])["error"]["code"] == 3


def test_a_device_that_is_removed_is_cut_off_at_once(running: Running) -> None:
    lay(running, does="air")
    token = paired(running)
    with device(running, token=token) as one:
        running.runtime.call(lambda self: do(Doing(self, "desk"), Call("device.remove", {"device": 1})))
        with pytest.raises(ConnectionClosed) as closed:
            one.until("nothing")
        assert closed.value.rcvd is not None
        assert closed.value.rcvd.reason == "This device was removed and can't press anything."
    with device(running, token=token) as one:
        assert one.told["error"]["message"].startswith("This device is not paired")


def test_a_dial_sets_a_value_between_its_bounds_and_the_last_turn_counts(running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "low": "0", "high": "8"})
    button = lay(running, does="level", hand="lives")
    with device(running, token=paired(running), dials=1) as one:
        one.until(button, level=0.0)
        for number in range(1, 11):
            one.number += 1
            asked = {"button": button, "level": number / 10}
            one.wire.send(json.dumps({"jsonrpc": "2.0", "id": one.number, "method": "dial.turn", "params": asked}))
        one.until(button, level=1.0, value="8")
        assert one.ask("dial.turn", button=button, by=-3)["result"] == {"words": "lives.value is 5."}
    with device(running, token=paired(running)) as one:
        air = lay(running, does="air")
        assert "This button can't be turned" in one.ask("dial.turn", button=air, by=1)["error"]["message"]
    assert running.signal("lives.value")["value"] == 5


def test_a_page_of_another_site_cannot_open_the_socket(running: Running) -> None:
    address = f"{running.address.replace('http', 'ws')}/device-socket"
    with pytest.raises(InvalidStatus), connect(address, origin=Origin("http://example.org")):
        pass


def test_a_cue_pressed_on_a_device_tells_the_wait_that_is_left(running: Running) -> None:
    name = new_cue(running, do_1="set", signal_1="script.cheers", value_of_1="1", rests="1 h")
    button = lay(running, does="cue", cue=name)
    with device(running, token=paired(running)) as one:
        assert one.press(button)["result"]["done"] is True
        one.until(button, state="not now", blocked=True)
        assert 3_590 < one.faces[button]["wait_s"] <= 3_600
        assert 3_590 < one.faces[button]["of_s"] <= 3_600
    until(lambda: running.signal("script.cheers").get("value") == 1)


def test_the_pad_for_the_command_line_shows_presses_holds_turns_and_changes_the_leaf(running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "start": "3", "low": "0", "high": "9"})
    lay(running, does="scene", scene="Talk")
    lay(running, does="step", hand="lives", by="1", words="One up")
    running.press("/", "/desk/leaves/new", {"name": "Breaks"})
    pairing = running.runtime.call(lambda self: self.devices.begin_pairing(("l1", "l4")))
    lines: list[str] = []
    pad = Pad(f"{running.address.replace('http', 'ws')}/device-socket", lines.append, pairing.digits)
    thread = threading.Thread(target=pad.run)
    thread.start()
    try:
        until(lambda: lines[:3] == ["— Play · Breaks —", " 1 ○ Talk: no scene → Talk", " 2 ○ One up [3]: 3 → 4"])
        pad.typed("1")
        until(lambda: " 1 ● Talk: now" in lines)
        pad.typed("h 2")
        until(lambda: any(" 2 ○ One up [2]" in one for one in lines))
        pad.typed("t 2 4")
        until(lambda: any(" 2 ○ One up [6]" in one for one in lines))
        pad.typed("l 2")
        until(lambda: pad.buttons == [])
        pad.typed("what")
        assert lines[-1].startswith("Type a button's number")
    finally:
        pad.close()
        thread.join(5)
    assert pad.token.startswith("dev_")
    with pytest.raises(PermissionError, match="not paired"):
        Pad(f"{running.address.replace('http', 'ws')}/device-socket", lines.append, token="dev_no")


def test_a_press_whose_link_breaks_in_between_is_done_whole(running: Running) -> None:
    link = running.add_overlay("a song", name="Song")
    button = lay(running, does="piece", part="Overlay / Song")
    token = paired(running)
    for _ in range(20):
        with device(running, token=token) as one:
            asked = {"button": button, "press": uuid.uuid4().hex}
            one.wire.send(json.dumps({"jsonrpc": "2.0", "id": 9, "method": "button.press", "params": asked}))
    told = until(lambda: len(found := _shown(running)) == 20 and found)
    # What the log says last is what viewers see.
    until(lambda: said(running, link) == {"Song": "a song" if told[-1] else ""})


def _shown(running: Running) -> list[bool]:
    """What the log says of pieces that were shown and hidden, in order."""
    found = running.store.read(lambda session: event_log.newest_before(session, SHOWN, 2**53, 100))
    return [one.event.data["shown"] is True for one in found]


def test_strangers_who_say_nothing_keep_nobody_out(running: Running) -> None:
    lay(running, does="air")
    token = paired(running)
    address = f"{running.address.replace('http', 'ws')}/device-socket"
    with device(running, token=token) as one, ExitStack() as silent:
        for _ in range(4):
            silent.enter_context(connect(address))
        with pytest.raises(InvalidStatus):
            silent.enter_context(connect(address))
        assert one.ask("device.ping")["result"] == {}
    with device(running, token=token) as one:
        assert "result" in one.told
