"""The page that says how the scene link is spoken, and the small adapter beside it: both held true."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from pathlib import Path

from tesoura.links import rpc
from tesoura.links.rpc import RequestObject, ResponseObject
from tesoura.links.scene import protocol
from tesoura.links.scene.protocol import Challenge
from tesoura.links.scene.talk import ANSWER_S, CLIP_S, MOST_GARBLED, NOTICES
from tesoura.standins.compositor import Compositor
from tests.conftest import Running, until
from tests.runtime.test_cues import scene
from tests.runtime.test_scene_link import WORD, link

DOCS = Path(__file__).parents[2] / "docs"
PAGE = (DOCS / "scene-link.md").read_text("utf-8")
EXAMPLES = [json.loads(one) for one in re.findall(r"```json\n(.*?)\n```", PAGE, re.DOTALL)]


def test_every_example_is_a_message_that_is_understood() -> None:
    assert len(EXAMPLES) == 11
    for one in EXAMPLES:
        assert isinstance(rpc.read(json.dumps(one)), RequestObject | ResponseObject)


def test_every_method_of_the_page_is_spoken_and_none_is_missing() -> None:
    told = set(re.findall(r"^\| `(.+?)`(?:, `(.+?)`)? \|", PAGE, re.MULTILINE))
    spoken = {one for pair in told for one in pair if "." in one}
    asked = {"scene.list", "scene.current", "scene.switch", "source.visible", "clip.save"}
    assert spoken == asked | {"scene.changed", "scene.listed", *NOTICES}
    assert all(f"`{event}`" in PAGE for event in NOTICES.values())


def test_the_examples_are_answered_as_they_say() -> None:
    program = Compositor(scenes=("Play", "Talk", "Break"))
    program.streaming_since = "2026-11-26T19:02:00+00:00"
    asked = [one for one in EXAMPLES if str(one.get("method", "")).startswith("scene.") and "id" in one]
    answers = {one["id"]: one for one in EXAMPLES if "result" in one and one["id"]}
    listed = program._done("scene.list", {})
    assert {**listed, "scenes": [one["name"] for one in listed["scenes"]]} == answers[asked[0]["id"]]["result"]
    assert program._done(asked[1]["method"], asked[1]["params"]) == answers[asked[1]["id"]]["result"]


def test_the_numbers_of_the_page_are_those_of_the_program() -> None:
    assert f"within {ANSWER_S:.0f} seconds, to `clip.save` within {CLIP_S:.0f}" in PAGE
    assert (rpc.LONGEST, protocol.ROUNDS, MOST_GARBLED) == (64_000, 100_000, 50)
    assert "at most 64,000" in PAGE
    assert "100,000 rounds" in PAGE
    assert "after fifty" in PAGE
    codes = dict(re.findall(r"\| (-?\d+) \| (.+) \|", PAGE))
    assert {int(one) for one in codes} == {
        protocol.NO_SUCH_SCENE,
        protocol.NOT_NOW,
        protocol.NO_SUCH_SOURCE,
        protocol.NOT_PROVEN,
        rpc.NO_SUCH_METHOD,
    }


def test_a_proof_is_what_the_page_says() -> None:
    # Worked out with openssl: kdf PBKDF2 (SHA256, 100,000 rounds, 32 bytes), then dgst -sha256 -mac HMAC, Base64.
    challenge = Challenge("salt-of-the-pier", "nonce-of-the-pier")
    assert protocol.proof("kites-in-the-wind", challenge, "opener") == "0IBbc+UveCjSYm8tEOgmDGpi4X4hgI/yf620Ceu5Bto="


def test_the_adapter_is_short_and_brings_its_scenes(running: Running) -> None:
    source = DOCS / "scene_link_adapter.py"
    assert len(source.read_text("utf-8").splitlines()) <= 80
    link(running, None)
    address = f"{running.address.replace('http', 'ws')}/scene-link/picture"
    adapter = subprocess.Popen([sys.executable, str(source), address], env={**os.environ, "LINK_PASSWORD": WORD})
    try:
        until(lambda: running.runtime.call(lambda self: self.links.link("picture")))
        assert running.runtime.call(lambda self: self.scenes()) == ("Play", "Talk", "Break")
        running.runtime.call(lambda self: self.set_scene("Break"))
        until(lambda: scene(running) == "Break")
    finally:
        adapter.kill()
        adapter.wait(5)
