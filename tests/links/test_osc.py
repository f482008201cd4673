"""OSC and MIDI: what a packet or message moves, when that presses, and what is sent back to lamps and faders."""

from __future__ import annotations

import sys
import types
from collections.abc import Callable
from types import SimpleNamespace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tesoura.core.desk.controls import ControlMoved, Edges, control_sign
from tesoura.errors import InvalidField
from tesoura.links.midi.talk import moved, shown
from tesoura.links.osc.messages import controls_in, packet
from tests.conftest import Running, until
from tests.runtime.test_devices import lay, scene


def test_a_packet_moves_what_it_names() -> None:
    # "/desk/1" padded to eight bytes, ",f" to four, then 0.75 as four bytes.
    assert controls_in(b"/desk/1\x00,f\x00\x00\x3f\x40\x00\x00") == [ControlMoved("/desk/1", 0.75)]
    assert controls_in(b"/a\x00\x00,i\x00\x00\x00\x00\x00\x01") == [ControlMoved("/a", 1.0)]
    assert controls_in(b"/a\x00\x00,i\x00\x00\x00\x00\x00\x7f") == [ControlMoved("/a", 1.0)]
    assert controls_in(b"/a\x00\x00,F\x00\x00") == [ControlMoved("/a", 0.0)]
    assert controls_in(b"/a\x00\x00,\x00\x00\x00") == [ControlMoved("/a", 1.0, hit=True)]
    assert packet("/desk/1", 0.75) == b"/desk/1\x00,f\x00\x00\x3f\x40\x00\x00"


@given(st.binary(max_size=120))
def test_whatever_comes_is_controls_or_nothing(data: bytes) -> None:
    found = controls_in(data)
    assert found is None or all(one.sign.startswith("/") and 0 <= one.value <= 1 for one in found)


def test_a_control_presses_as_it_comes_down_and_once() -> None:
    edges = Edges()
    places = (0.0, 0.4, 0.5, 0.9, 1.0, 0.49, 0.5)
    assert [edges.presses("osc", ControlMoved("/a", one)) for one in places] == [
        False,
        False,
        True,
        False,
        False,
        False,
        True,
    ]
    assert edges.presses("another", ControlMoved("/a", 1.0))
    assert [edges.presses("osc", ControlMoved("/b", 1.0, hit=True)) for _ in range(2)] == [True, True]


@pytest.mark.parametrize(
    ("typed", "sign"),
    [
        ("/desk/1", "/desk/1"),
        ("", ""),
        ("note 60", "note 60 · channel 1"),
        ("Control 7, channel 10", "control 7 · channel 10"),
        ("note 60 · channel 1", "note 60 · channel 1"),
    ],
)
def test_a_control_is_written_as_it_is_said(typed: str, sign: str) -> None:
    assert control_sign(typed) == sign


@pytest.mark.parametrize("typed", ["desk", "/desk/*", "/a b", "note 128", "note 1 channel 17", "note 1 channel 0"])
def test_what_is_no_control_is_refused(typed: str) -> None:
    with pytest.raises(InvalidField):
        control_sign(typed)


def message(kind: str, **more: int) -> Any:
    return SimpleNamespace(type=kind, **more)


def test_midi_messages_move_controls_and_lamps_are_lit_by_them() -> None:
    assert moved(message("note_on", note=60, velocity=3, channel=0)) == ControlMoved("note 60 · channel 1", 1.0)
    assert moved(message("note_on", note=60, velocity=0, channel=0)) == ControlMoved("note 60 · channel 1", 0.0)
    assert moved(message("note_off", note=60, velocity=64, channel=0)) == ControlMoved("note 60 · channel 1", 0.0)
    assert moved(message("control_change", control=7, value=127, channel=9)) == ControlMoved(
        "control 7 · channel 10", 1.0
    )
    assert moved(message("clock")) is None
    assert shown("note 60 · channel 1", 1.0) == {"type": "note_on", "note": 60, "channel": 0, "velocity": 127}
    assert shown("note 60 · channel 1", 0.0) == {"type": "note_on", "note": 60, "channel": 0, "velocity": 0}
    assert shown("control 7 · channel 10", 0.5) == {"type": "control_change", "control": 7, "channel": 9, "value": 64}


class Ports:
    """A MIDI device that is there, as the package shows it: what it is sent, and the way to play on it."""

    def __init__(self) -> None:
        self.sent: list[dict[str, Any]] = []
        self.play: Callable[[Any], None] | None = None

    def module(self) -> types.ModuleType:
        """The package with just this device."""
        made = types.ModuleType("mido")
        port = SimpleNamespace(close=lambda: None, send=self.sent.append)
        made.get_input_names = lambda: ["Pier knobs 20:0"]  # type: ignore[attr-defined]
        made.get_output_names = lambda: ["Pier knobs 20:0"]  # type: ignore[attr-defined]
        made.open_output = lambda name: port  # type: ignore[attr-defined]
        made.Message = dict  # type: ignore[attr-defined]

        def open_input(name: str, callback: Callable[[Any], None]) -> Any:
            self.play = callback
            return port

        made.open_input = open_input  # type: ignore[attr-defined]
        return made


def test_a_midi_pad_presses_and_its_lamp_follows(running: Running, monkeypatch: pytest.MonkeyPatch) -> None:
    ports = Ports()
    monkeypatch.setitem(sys.modules, "mido", ports.module())
    lay(running, does="scene", scene="Talk", control="note 60")
    running.press("/", "/feeds/new/midi", {"title": "Knobs", "device": "pier", "keep_anyway": "yes"})
    until(lambda: ports.play and ports.sent)
    assert ports.sent[0]["velocity"] == 0
    assert ports.play is not None
    ports.play(message("note_on", note=60, velocity=90, channel=0))
    until(lambda: scene(running) == "Talk")
    until(lambda: ports.sent[-1] == {"type": "note_on", "note": 60, "channel": 0, "velocity": 127})


def test_without_the_package_or_the_device_the_page_says_what_to_do(
    running: Running, monkeypatch: pytest.MonkeyPatch
) -> None:
    typed = {"title": "Knobs", "device": "drums"}
    monkeypatch.setitem(sys.modules, "mido", None)
    assert "pip install tesoura[midi]" in running.press("/", "/feeds/new/midi", typed).text
    monkeypatch.setitem(sys.modules, "mido", Ports().module())
    assert (
        "There is no MIDI device drums here. There are: Pier knobs 20:0."
        in running.press("/", "/feeds/new/midi", typed).text
    )
