"""The page that says how the device socket is spoken, and the sample device beside it: both held true."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import sys
from pathlib import Path

from tesoura.core.desk.buttons import COLOURS
from tesoura.core.desk.faces import ButtonFace, PressOutcome, ScoreFace
from tesoura.links import rpc
from tesoura.links.device import protocol
from tesoura.links.rpc import RequestObject, ResponseObject
from tesoura.runtime.desk_leaves import IN_SIGHT_S
from tesoura.runtime.pairing import MOST_WRONG, OPEN_S
from tests.conftest import Running, until
from tests.runtime.test_devices import lay, scene

DOCS = Path(__file__).parents[2] / "docs"
PAGE = (DOCS / "device-socket.md").read_text("utf-8")
EXAMPLES = [json.loads(one) for one in re.findall(r"```json\n(.*?)\n```", PAGE, re.DOTALL)]


def test_every_example_is_a_message_that_is_understood() -> None:
    assert len(EXAMPLES) == 7
    for one in EXAMPLES:
        assert isinstance(rpc.read(json.dumps(one)), RequestObject | ResponseObject)
    protocol.hello_of(EXAMPLES[0]["params"])
    protocol.pressed_of(EXAMPLES[4]["params"])


def test_a_button_is_told_in_the_words_of_the_page() -> None:
    whole = ButtonFace(
        "b6", "Gift bell", "not now", "amber", False, False, True, 104.2, 6.0, PressOutcome("Running now.", False, 1)
    )
    assert {"buttons": [whole.told(100.0)]} == EXAMPLES[3]["params"]
    (one,) = EXAMPLES[2]["params"]["buttons"]
    assert ButtonFace("b2", "Talk", "Play → Talk", "mat").told(0.0) == one
    level = ButtonFace("b7", "Lamp", "", turns=True, level=0.5, value="4").told(0.0)
    named = set(re.findall(r"`(\w+)`", PAGE))
    match = ButtonFace("b8", "Bobbin", "", score=ScoreFace("7", "serves", "#2F6B5E", "#FFFFFF", True)).told(0.0)
    assert set(level) | set(whole.told(100.0)) | set(match) | set(match["score"]) <= named
    assert {one for one, _ in COLOURS} <= named


def test_the_numbers_of_the_page_are_those_of_the_program() -> None:
    assert (OPEN_S, MOST_WRONG, IN_SIGHT_S, rpc.LONGEST) == (120.0, 5, 6.0, 64_000)
    assert (protocol.MOST_SIDE, protocol.MOST_DIALS, protocol.LONGEST_NAME) == (32, 16, 40)
    assert (protocol.BURST, protocol.PER_S, protocol.MOST_OVER) == (60.0, 30.0, 300)
    codes = {int(one) for one in re.findall(r"^\| (-?\d+) \|", PAGE, re.MULTILINE)}
    assert codes == {
        protocol.NOT_PAIRED,
        protocol.REFUSED,
        protocol.NO_SUCH_BUTTON,
        protocol.TOO_MANY,
        rpc.NO_SUCH_METHOD,
        rpc.WRONG_PARAMETERS,
    }


def test_the_sample_is_short_is_paired_and_presses(running: Running, tmp_path: Path) -> None:
    source = tmp_path / "device_sample.py"
    shutil.copy(DOCS / "device_sample.py", source)
    assert len(source.read_text("utf-8").splitlines()) <= 60
    lay(running, does="scene", scene="Talk")
    pairing = running.runtime.call(lambda self: self.devices.begin_pairing(("l1",)))
    address = f"{running.address.replace('http', 'ws')}/device-socket"
    sample = subprocess.Popen(
        [sys.executable, str(source), address, pairing.digits],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        encoding="utf-8",
    )
    try:
        assert sample.stdin is not None
        assert sample.stdout is not None
        assert sample.stdout.readline() == " 1 ○ Talk: no scene → Talk\n"
        sample.stdin.write("1\n")
        sample.stdin.flush()
        until(lambda: scene(running) == "Talk")
        assert sample.stdout.readline() == " 1 ● Talk: now\n"
        assert (tmp_path / "device_sample.token").read_text().startswith("dev_")
    finally:
        sample.kill()
        sample.communicate(timeout=5)
