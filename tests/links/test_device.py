"""The device socket without a network: what devices say of themselves, and what is told to them and taken from them."""

from __future__ import annotations

import asyncio
import base64
import json
import time
from typing import Any

import pytest

from tesoura.core.desk.faces import ButtonFace, PressOutcome
from tesoura.errors import Gone, InvalidField, NotYours, SourceUnavailable
from tesoura.links.device import protocol
from tesoura.links.device.protocol import ButtonPress, Hello, MessagePace, hello_of, pressed_of, turned_of
from tesoura.links.device.talk import DeviceTalk
from tests.conftest import soon


class Board:
    """What a device is let in to, here."""

    name, token = "Pad", ""

    def __init__(self, *faces: ButtonFace) -> None:
        self.shown = faces
        self.pressed: list[tuple[str, str, bool | None, bool]] = []
        self.turned: list[tuple[str, int, float | None]] = []
        self.changed = asyncio.Event()

    def leaves(self) -> list[tuple[str, str]]:
        return [("l1", "Play"), ("l2", "Breaks")]

    async def faces(self, leaf: str) -> tuple[ButtonFace, ...]:
        self.changed.clear()
        return self.shown if leaf == "l1" else ()

    async def press(self, press: ButtonPress) -> PressOutcome:
        if press.button == "gone":
            raise Gone("This button no longer exists.")
        self.pressed.append((press.button, press.press, press.on, press.held))
        return PressOutcome("Running now.", False, 0.0)

    async def turn(self, button: str, by: int, level: float | None) -> str:
        self.turned.append((button, by, level))
        return "lives is 3."

    async def picture(self, face: ButtonFace, size: tuple[int, int]) -> bytes:
        return f"{face.id} {size[0]}x{size[1]}".encode()

    def now(self) -> float:
        return 100.0

    async def lasting(self) -> None:
        await self.changed.wait()


class Talk:
    """A device that talks, and what it was told."""

    def __init__(self, board: Board | None) -> None:
        self.board, self.told = board, list[dict[str, Any]]()
        self._coming: asyncio.Queue[str | None] = asyncio.Queue()
        self.talk = DeviceTalk(self._send, self._hear, self._admit)

    async def _admit(self, hello: Hello) -> Board:
        if self.board is None:
            raise NotYours("This device is not paired.")
        return self.board

    async def _send(self, text: str) -> None:
        self.told.append(json.loads(text))

    async def _hear(self) -> str:
        text = await self._coming.get()
        if text is None:
            raise SourceUnavailable("away")
        return text

    def say(self, method: str, params: dict[str, Any] | None = None, id: int | None = 1) -> None:
        said = {"jsonrpc": "2.0", "method": method, "params": params or {}}
        self._coming.put_nowait(json.dumps(said if id is None else {**said, "id": id}))

    def raw(self, text: str) -> None:
        self._coming.put_nowait(text)

    def end(self) -> None:
        self._coming.put_nowait(None)

    async def heard(self, id: int) -> dict[str, Any]:
        return dict(await soon(lambda: next((one for one in self.told if one.get("id") == id), None)))

    def notices(self, method: str) -> list[Any]:
        return [one["params"] for one in self.told if one.get("method") == method]


HELLO = {"version": 1, "name": "Pad", "buttons": {"rows": 1, "columns": 2}}


def test_a_device_is_told_its_leaf_then_only_what_changed() -> None:
    async def go() -> None:
        faces = [ButtonFace("b1", "Talk", "no scene → Talk"), *(ButtonFace(one, "Cheer", "") for one in ("b2", "b3"))]
        board = Board(*faces)
        one = Talk(board)
        running = asyncio.create_task(one.talk.run())
        one.say("device.hello", HELLO)
        (shown,) = await soon(lambda: one.notices("leaf.shown"))
        assert (shown["leaf"], shown["of"], [its["id"] for its in shown["buttons"]]) == ("l1", 3, ["b1", "b2"])
        board.shown = (
            board.shown[0],
            ButtonFace("b2", "Cheer", "not now", blocked=True, free_at=109.5, of_s=12.0),
            board.shown[2],
        )
        board.changed.set()
        (news,) = await soon(lambda: one.notices("buttons.changed"))
        (told,) = news["buttons"]
        assert told == {
            "id": "b2",
            "words": "Cheer",
            "state": "not now",
            "colour": "sheet",
            "wide": False,
            "on": False,
            "blocked": True,
            "wait_s": 9.5,
            "of_s": 12.0,
        }
        one.say("leaf.show", {"leaf": "l1", "from": 2}, 2)
        await soon(lambda: [its["id"] for its in one.notices("leaf.shown")[-1]["buttons"]] == ["b3"])
        one.say("leaf.show", {"leaf": "l9"}, 3)
        assert (await one.heard(3))["error"]["code"] == protocol.NO_SUCH_BUTTON
        one.end()
        assert await running == ""

    asyncio.run(go())


def test_presses_holds_and_turns_are_carried_out_and_answered() -> None:
    async def go() -> None:
        board = Board(ButtonFace("b1", "Talk", ""))
        one = Talk(board)
        running = asyncio.create_task(one.talk.run())
        one.say("device.hello", HELLO, 0)
        one.say("button.press", {"button": "b1", "press": "p1", "on": False}, 1)
        one.say("button.hold", {"button": "b1", "press": "p2"}, 2)
        one.say("dial.turn", {"button": "b1", "by": -2}, 3)
        one.say("button.press", {"button": "gone", "press": "p3"}, 4)
        one.say("button.press", {"button": "b1"}, 5)
        one.say("lamp.light", {}, 6)
        assert (await one.heard(1))["result"] == {"done": True, "words": "Running now."}
        assert (await one.heard(3))["result"] == {"words": "lives is 3."}
        assert (await one.heard(4))["error"] == {"code": 3, "message": "This button no longer exists."}
        assert "press is a text" in (await one.heard(5))["error"]["message"]
        assert (await one.heard(6))["error"]["code"] == -32601
        assert board.pressed == [("b1", "p1", False, False), ("b1", "p2", None, True)]
        assert board.turned == [("b1", -2, None)]
        one.end()
        await running

    asyncio.run(go())


@pytest.mark.parametrize(
    ("said", "code", "words"),
    [
        (
            '{"jsonrpc": "2.0", "id": 1, "method": "button.press", "params": {}}',
            -32600,
            "Start with device.hello and give it an id",
        ),
        ("hello", -32600, "Start with device.hello and give it an id"),
        ('{"jsonrpc": "2.0", "id": 1, "method": "device.hello", "params": {"version": 2}}', -32602, "version 1"),
    ],
)
def test_who_does_not_begin_with_a_hello_is_sent_away(said: str, code: int, words: str) -> None:
    async def go() -> None:
        one = Talk(Board())
        one.raw(said)
        assert await one.talk.run() == "Access refused."
        (told,) = one.told
        assert (told["error"]["code"], words in told["error"]["message"]) == (code, True)

    asyncio.run(go())


def test_who_is_not_paired_hears_so() -> None:
    async def go() -> None:
        one = Talk(None)
        one.say("device.hello", HELLO)
        await one.talk.run()
        assert one.told[0]["error"] == {"code": protocol.NOT_PAIRED, "message": "This device is not paired."}

    asyncio.run(go())


def test_a_device_that_floods_is_told_once_then_sent_away() -> None:
    async def go() -> None:
        one = Talk(Board(ButtonFace("b1", "Talk", "")))
        one.say("device.hello", HELLO, 0)
        for number in range(1, 60 + 310):
            one.say("button.press", {"button": "b1", "press": f"p{number}"}, number)
        began = time.monotonic()
        assert await asyncio.wait_for(one.talk.run(), 10) == "Far too many messages. Send fewer."
        took_s = time.monotonic() - began
        refused = [its for its in one.told if its.get("error", {}).get("code") == protocol.TOO_MANY]
        assert len(refused) == 1
        assert one.board is not None
        # The hello and 59 presses at once, and thirty more for each second that it took.
        assert len(one.board.pressed) <= 60 + 30 * took_s + 1

    asyncio.run(go())


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        ({"buttons": {"rows": 100, "columns": 100}}, "rows is a whole number from 1 to 32."),
        ({"buttons": []}, "buttons must contain rows and columns."),
        ({"buttons": {"rows": True}}, "rows is a whole number"),
        ({"name": " "}, "name must be a text of 1 to 40 characters."),
        ({"name": "x" * 41}, "name must be a text of 1 to 40 characters."),
        ({"dials": -1}, "dials is a whole number from 0 to 16."),
        ({"code": 123456}, "code must be a text"),
        ({"buttons": {"pictures": {"width_px": 5_000}}}, "width_px is a whole number from 16 to 256."),
        ({"buttons": {"pictures": 72}}, "pictures must contain width_px and height_px."),
    ],
)
def test_a_hello_that_claims_what_cannot_be_is_refused_with_what_can(changed: dict[str, Any], words: str) -> None:
    with pytest.raises(InvalidField, match=words.replace("(", r"\(")):
        hello_of({**HELLO, **changed})


def test_a_hello_of_few_words_is_enough_and_no_more_is_shown_than_there_is_room() -> None:
    assert hello_of({"version": 1, "name": " Pier  pad "}) == Hello("Pier pad", 3, 5)
    assert hello_of({**HELLO, "buttons": {"rows": 32, "columns": 32}}).room == 60


def test_presses_and_turns_say_what_they_lack() -> None:
    with pytest.raises(InvalidField, match="on must be true or false:"):
        pressed_of({"button": "b1", "press": "p", "on": "yes"})
    with pytest.raises(InvalidField, match="button is a text"):
        pressed_of({"press": "p"})
    for wrong in ({"by": 0}, {"by": 1.5}, {"level": 2}, {"level": True}, {"by": 5_000}):
        with pytest.raises(InvalidField):
            turned_of({"button": "b1", **wrong})


def test_messages_may_come_sixty_at_once_then_thirty_a_second() -> None:
    pace = MessagePace(0.0)
    assert sum(pace.takes(0.0) for _ in range(100)) == 60
    assert sum(pace.takes(1.0) for _ in range(100)) == 30


def test_a_device_with_small_screens_is_told_a_picture_of_each_button() -> None:
    async def go() -> None:
        one = Talk(Board(ButtonFace("b1", "Talk", "")))
        running = asyncio.create_task(one.talk.run())
        one.say("device.hello", {**HELLO, "buttons": {"rows": 1, "columns": 2, "pictures": {"width_px": 96}}})
        (told,) = await soon(lambda: one.notices("buttons.changed"))
        assert base64.b64decode(told["buttons"][0]["picture"]) == b"b1 96x72"
        assert "picture" not in one.notices("leaf.shown")[0]["buttons"][0]
        one.end()
        await running

    asyncio.run(go())


def test_an_error_of_our_own_is_answered_too(caplog: pytest.LogCaptureFixture) -> None:
    class Broken(Board):
        async def turn(self, button: str, by: int, level: float | None) -> str:
            raise ZeroDivisionError("of our own making")

    async def go() -> None:
        one = Talk(Broken(ButtonFace("b1", "Talk", "")))
        running = asyncio.create_task(one.talk.run())
        one.say("device.hello", HELLO, 0)
        one.say("dial.turn", {"button": "b1", "by": 1}, 1)
        assert "An error in Tesoura" in (await one.heard(1))["error"]["message"]
        one.say("leaf.show", {"leaf": "l1"}, 2)
        assert "error" not in await one.heard(2)
        one.end()
        await running

    asyncio.run(go())
    assert "of our own making" in caplog.text
