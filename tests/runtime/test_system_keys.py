"""Keys heard in other programs: off until switched on, once however long held, never what somebody types."""

from __future__ import annotations

import importlib.util
import os
import shutil
import subprocess
import sys
import types
from types import SimpleNamespace
from typing import Any

import pytest

from tesoura.core.desk.keys import is_for_everywhere, system_key
from tests.conftest import Running, until
from tests.runtime.test_devices import lay, scene


@pytest.mark.parametrize(
    ("char", "name", "modifiers", "key"),
    [
        ("k", None, "", "k"),
        ("K", None, "Shift", "Shift+K"),
        ("\x0b", None, "Ctrl", "Ctrl+K"),
        ("!", None, "Shift", "!"),
        ("1", None, "Ctrl Alt", "Ctrl+Alt+1"),
        (None, "f13", "", "F13"),
        (None, "f5", "Ctrl", "Ctrl+F5"),
        (None, "page_up", "Shift", "Shift+PageUp"),
        (None, "caps_lock", "", ""),
        (None, None, "", ""),
        ("\x7f", None, "", ""),
    ],
)
def test_a_key_the_system_tells_is_written_as_on_the_desk(
    char: str | None, name: str | None, modifiers: str, key: str
) -> None:
    assert system_key(char, name, frozenset(modifiers.split())) == key


def test_only_what_nobody_types_is_heard_everywhere() -> None:
    everywhere = ("Ctrl+K", "Alt+1", "Meta+x", "F13", "Shift+F2", "Pause", "MediaPlayPause")
    assert all(is_for_everywhere(one) for one in everywhere)
    assert not any(is_for_everywhere(one) for one in ("k", "Shift+K", "!", "Home", "Shift+PageUp", "Numpad 5"))


class Keyboard:
    """The package, with a keyboard that the test plays on."""

    def __init__(self, allowed: bool = True) -> None:
        self.allowed, self.press, self.release = allowed, None, None

    def module(self) -> types.ModuleType:
        """The package."""
        made = types.ModuleType("pynput.keyboard")

        def listener(on_press: Any, on_release: Any) -> Any:
            self.press, self.release = on_press, on_release
            return SimpleNamespace(
                start=lambda: None, wait=lambda: None, stop=lambda: None, running=self.allowed, daemon=True
            )

        made.Listener = listener  # type: ignore[attr-defined]
        return made


def switch(running: Running, on: str) -> str:
    running.do("keys.everywhere", {"on": on})
    return running.client.get("/devices/").text


def test_a_key_heard_elsewhere_presses_once_however_long_it_is_held(
    running: Running, monkeypatch: pytest.MonkeyPatch
) -> None:
    keyboard = Keyboard()
    monkeypatch.setitem(sys.modules, "pynput.keyboard", keyboard.module())
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "low": "0", "high": "9"})
    lay(running, does="step", hand="lives", by="1", key="Ctrl+U")
    lay(running, does="scene", scene="Talk", key="u")
    assert "&#34;Ctrl+U&#34;" in running.client.get("/desk/leaves/").text
    assert "● Keys work everywhere" in switch(running, "yes")
    # What is heard everywhere is not heard by the page a second time.
    assert "&#34;Ctrl+U&#34;" not in running.client.get("/desk/leaves/").text
    assert keyboard.press is not None
    assert keyboard.release is not None
    ctrl, key = SimpleNamespace(name="ctrl_l"), SimpleNamespace(char="\x15")
    keyboard.press(ctrl)
    for _ in range(4):
        keyboard.press(key)
    keyboard.release(key)
    keyboard.press(key)
    until(lambda: running.signal("lives.value").get("value") == 2)
    # The other order: Ctrl goes up first, and the key is told by another sign.
    keyboard.release(ctrl)
    keyboard.release(SimpleNamespace(char="u"))
    keyboard.press(ctrl)
    keyboard.press(key)
    until(lambda: running.signal("lives.value").get("value") == 3)
    keyboard.release(key)
    keyboard.release(ctrl)
    keyboard.press(SimpleNamespace(char="u"))
    assert "Only on the desk · Listen everywhere" in switch(running, "no")
    assert scene(running) == ""
    assert running.signal("lives.value")["value"] == 3


@pytest.mark.parametrize(
    ("module", "words"),
    [
        (None, "pip install tesoura[keys]"),
        (Keyboard(allowed=False).module(), "let a program read keys typed elsewhere"),
    ],
)
def test_where_it_cannot_be_the_page_says_why_and_what_to_do(
    running: Running, monkeypatch: pytest.MonkeyPatch, module: types.ModuleType | None, words: str
) -> None:
    monkeypatch.setitem(sys.modules, "pynput.keyboard", module)
    page = switch(running, "yes")
    assert words in page
    assert "● Keys work everywhere" not in page
    assert running.runtime.call(lambda self: self.system_keys.wished) is False


# The package's own thread complains when its listener is stopped.
@pytest.mark.filterwarnings("ignore::pytest.PytestUnhandledThreadExceptionWarning")
@pytest.mark.skipif(
    not (shutil.which("Xvfb") and shutil.which("xdotool") and importlib.util.find_spec("pynput")),
    reason="needs a virtual screen (Xvfb and xdotool) and the package pynput",
)
def test_a_real_key_on_a_virtual_screen_presses(running: Running) -> None:
    display = f":{90 + os.getpid() % 9}"
    screen = subprocess.Popen(["Xvfb", display, "-screen", "0", "640x480x8"], stderr=subprocess.DEVNULL)
    before = os.environ.get("DISPLAY")
    os.environ["DISPLAY"] = display
    try:
        lay(running, does="scene", scene="Talk", key="Ctrl+U")
        until(lambda: "● Keys work everywhere" in switch(running, "yes"))
        until(lambda: subprocess.run(["xdotool", "key", "ctrl+u"], check=False) and scene(running) == "Talk")
        switch(running, "no")
    finally:
        os.environ.pop("DISPLAY", None)
        if before is not None:
            os.environ["DISPLAY"] = before
        screen.terminate()
        screen.wait(10)
