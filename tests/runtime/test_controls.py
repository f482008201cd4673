"""A panel over OSC on a Tesoura that runs: it presses once, sets a value, is learnt, and is shown how buttons stand."""

from __future__ import annotations

import re
import socket
from collections.abc import Iterator

import pytest

from tesoura.links.osc.messages import controls_in, packet
from tests.conftest import Running, until
from tests.runtime.test_devices import lay, scene


def free_port() -> int:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


class Panel:
    """A panel that sends to one port, and what it was shown."""

    def __init__(self, port: int) -> None:
        self.wire = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.wire.bind(("127.0.0.1", 0))
        self.wire.settimeout(10)
        self.port = port

    def move(self, sign: str, value: float) -> None:
        self.wire.sendto(packet(sign, value), ("127.0.0.1", self.port))

    def shown(self, sign: str, value: float) -> None:
        """Wait until it is shown this."""
        while True:
            for one in controls_in(self.wire.recv(2_000)) or ():
                if one.sign == sign and abs(one.value - value) < 1e-6:
                    return


@pytest.fixture
def panel(running: Running) -> Iterator[Panel]:
    made = Panel(free_port())
    running.press("/", "/feeds/new/osc", {"title": "Panel", "port": str(made.port), "keep_anyway": "yes"})
    until(lambda: running.runtime.call(lambda self: self.links.link("panel")))
    yield made
    made.wire.close()


def test_a_push_presses_once_as_it_goes_down_and_its_lamp_follows(running: Running, panel: Panel) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "low": "0", "high": "9"})
    lay(running, does="step", hand="lives", by="1", control="/desk/1")
    lay(running, does="scene", scene="Talk", control="/desk/2")
    for value in (1.0, 1.0, 0.9, 0.0):
        panel.move("/desk/1", value)
    until(lambda: running.signal("lives.value").get("value") == 1)
    panel.move("/desk/2", 1.0)
    panel.shown("/desk/2", 1.0)
    assert scene(running) == "Talk"
    assert running.signal("lives.value")["value"] == 1


def test_a_fader_sets_a_value_and_the_last_place_counts(running: Running, panel: Panel) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Lamp", "what": "number", "low": "0", "high": "8"})
    lay(running, does="level", hand="lamp", control="/fader")
    for step in range(101):
        panel.move("/fader", step / 100)
    panel.shown("/fader", 1.0)
    assert running.signal("lamp.value")["value"] == 8
    panel.move("/fader", 0.25)
    panel.shown("/fader", 0.25)
    assert running.signal("lamp.value")["value"] == 2


def test_the_next_control_that_is_moved_is_learnt(running: Running, panel: Panel) -> None:
    mark = running.client.get("/desk/leaves/heard").json()["mark"]
    assert running.client.get(f"/desk/leaves/heard?since={mark}").json() == {"sign": None}
    panel.move("/knob/3", 0.2)
    until(lambda: running.client.get(f"/desk/leaves/heard?since={mark}").json() == {"sign": "/knob/3"})


def test_what_is_no_osc_is_counted_and_two_links_cannot_have_one_port(running: Running, panel: Panel) -> None:
    panel.wire.sendto(b"hello there", ("127.0.0.1", panel.port))
    until(lambda: running.runtime.call(lambda self: self.links.standing("panel") or {}).get("garbled") == 1)
    answer = running.press("/", "/feeds/new/osc", {"title": "Other", "port": str(panel.port)})
    assert re.search(rf"UDP port {panel.port} can(&#39;|')t be opened", answer.text)


def test_a_control_that_presses_another_button_already_is_named(running: Running) -> None:
    lay(running, does="air", control="/desk/1")
    running.press("/", "/desk/leaves/l1/lay", {"does": "undo", "control": "/desk/1"})
    answer = running.press("/", "/desk/leaves/l1/lay", {"does": "undo", "control": "/desk/1"})
    assert "/desk/1 presses “Hide everything” already. Press another." in answer.text
