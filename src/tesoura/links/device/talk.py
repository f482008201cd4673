"""One device on the socket: let in, told how its buttons stand, and its presses carried out."""

from __future__ import annotations

import asyncio
import base64
import contextlib
import logging
from collections.abc import Awaitable, Callable, Iterable, Mapping
from typing import Any, Protocol

from tesoura.core.desk.faces import ButtonFace, PressOutcome, changed
from tesoura.errors import Gone, InvalidField, NotYours, TesouraError
from tesoura.links import rpc
from tesoura.links.device import protocol
from tesoura.links.device.protocol import ButtonPress, Hello, MessagePace
from tesoura.links.rpc import RequestObject

HELLO_S = 10.0
GATHER_S = 0.04
"""What changes within this time is told together."""

log = logging.getLogger(__name__)


class Panel(Protocol):
    """What a device was let in to: its leaves, how their buttons stand, and the way to press them."""

    name: str
    token: str

    def leaves(self) -> list[tuple[str, str]]:
        """The leaves it may press on, by id and name."""
        ...

    async def faces(self, leaf: str) -> tuple[ButtonFace, ...]:
        """How the buttons of a leaf stand. Raises Gone."""
        ...

    async def press(self, press: ButtonPress) -> PressOutcome:
        """Press or hold a button. Raises Gone, and NotYours."""
        ...

    async def turn(self, button: str, by: int, level: float | None) -> str:
        """Turn a dial; how it reads then. Raises Gone, NotYours, and InvalidField."""
        ...

    async def picture(self, face: ButtonFace, size: tuple[int, int]) -> bytes:
        """A button as a PNG of this width and height in pixels."""
        ...

    def now(self) -> float:
        """The present instant, in seconds since 1970."""
        ...

    async def lasting(self) -> float | None:
        """Wait until something may stand otherwise; never longer than until what was told runs out."""
        ...


Admit = Callable[[Hello], Awaitable[Panel]]
"""Lets a device in. Raises NotYours, which says why not."""
Send = Callable[[str], Awaitable[None]]
Hear = Callable[[], Awaitable[str]]


class DeviceTalk:
    """What is said with one device, from its hello to its end."""

    def __init__(self, send: Send, hear: Hear, admit: Admit) -> None:
        self._send, self._hear, self._admit = send, hear, admit
        self._leaf, self._first = "", 0
        self._told: dict[str, ButtonFace] = {}
        self._outline: object = None
        self._again = asyncio.Event()
        self._tasks: set[asyncio.Task[None]] = set()

    async def run(self) -> str:
        """Talk until it ends; why it was sent away, when it was."""
        panel, size = await self._let_in()
        if panel is None or size is None:
            return "Access refused."
        telling = asyncio.create_task(self._tell(panel, size))
        listening = asyncio.create_task(self._listen(panel))
        try:
            await asyncio.wait({telling, listening}, return_when=asyncio.FIRST_COMPLETED)
            for done in (telling, listening):
                if done.done() and not done.cancelled() and done.exception() is None and (why := done.result()):
                    return why
            return ""
        finally:
            for task in (telling, listening, *self._tasks):
                task.cancel()
            await asyncio.gather(telling, listening, *self._tasks, return_exceptions=True)

    # Coming in

    async def _let_in(self) -> tuple[Panel | None, Hello | None]:
        async with asyncio.timeout(HELLO_S):
            said = rpc.read(await self._hear())
        if not isinstance(said, RequestObject) or said.method != "device.hello" or said.id is None:
            await self._send(rpc.refusal(None, rpc.NOT_A_REQUEST, "Start with device.hello and give it an id."))
            return None, None
        try:
            hello = protocol.hello_of(said.params)
            panel = await self._admit(hello)
        except InvalidField as error:
            await self._send(rpc.refusal(said.id, rpc.WRONG_PARAMETERS, str(error)))
            return None, None
        except NotYours as error:
            await self._send(rpc.refusal(said.id, protocol.NOT_PAIRED, str(error)))
            return None, None
        given = {"token": panel.token} if panel.token else {}
        await self._send(rpc.answer(said.id, {"version": protocol.VERSION, "device": panel.name, **given}))
        return panel, hello

    # Telling

    async def _tell(self, panel: Panel, size: Hello) -> str:
        while True:
            self._again.clear()
            await self._tell_changes(panel, size)
            waiting = asyncio.ensure_future(panel.lasting())
            asked = asyncio.ensure_future(self._again.wait())
            try:
                await asyncio.wait({waiting, asked}, return_when=asyncio.FIRST_COMPLETED)
            finally:
                for task in (waiting, asked):
                    task.cancel()
            if not asked.done() or asked.cancelled():
                await asyncio.sleep(GATHER_S)

    async def _tell_changes(self, panel: Panel, size: Hello) -> None:
        leaves = panel.leaves()
        if self._leaf not in (one for one, _ in leaves):
            self._leaf, self._first = (leaves[0][0] if leaves else ""), 0
        try:
            faces = await panel.faces(self._leaf) if self._leaf else ()
        except Gone:
            faces = ()
        shown = faces[self._first : self._first + size.room]
        outline = (self._leaf, self._first, tuple(leaves), tuple(one.id for one in faces))
        now = panel.now()
        if outline != self._outline:
            told = {
                "leaf": self._leaf,
                "leaves": [{"id": one, "name": name} for one, name in leaves],
                "from": self._first,
                "of": len(faces),
                "buttons": [one.told(now) for one in shown],
            }
            await self._send(rpc.notice("leaf.shown", told))
            if size.pictures is not None:
                await self._tell_pictures(panel, size.pictures, shown, now)
        elif different := changed(self._told, shown):
            if size.pictures is not None:
                await self._tell_pictures(panel, size.pictures, different, now)
            else:
                await self._send(rpc.notice("buttons.changed", {"buttons": [one.told(now) for one in different]}))
        self._outline, self._told = outline, {one.id: one for one in shown}

    async def _tell_pictures(
        self, panel: Panel, pictures: tuple[int, int], faces: Iterable[ButtonFace], now: float
    ) -> None:
        """Tell buttons with their pictures: one a message, for together they would be too long."""
        for face in faces:
            drawn = base64.b64encode(await panel.picture(face, pictures)).decode()
            await self._send(rpc.notice("buttons.changed", {"buttons": [{**face.told(now), "picture": drawn}]}))

    # Listening

    async def _listen(self, panel: Panel) -> str:
        clock = asyncio.get_running_loop().time
        pace, garbled = MessagePace(clock()), 0
        while True:
            said = rpc.read(await self._hear())
            if not pace.takes(clock()):
                if pace.over > protocol.MOST_OVER:
                    return "Far too many messages. Send fewer."
                if isinstance(said, RequestObject) and said.id is not None and pace.over == 1:
                    await self._send(rpc.refusal(said.id, protocol.TOO_MANY, "Too many messages. Send fewer."))
                continue
            if not isinstance(said, RequestObject):
                garbled += 1
                if garbled > 50:
                    return "Not a device socket message."
                if isinstance(said, rpc.Garbled):
                    await self._send(rpc.refusal(None, said.code, said.words))
                continue
            # Each beside the others: one that takes long keeps none waiting.
            task = asyncio.create_task(self._answer(panel, said))
            self._tasks.add(task)
            task.add_done_callback(self._tasks.discard)

    async def _answer(self, panel: Panel, asked: RequestObject) -> None:
        try:
            told = await self._asked(panel, asked.method, asked.params)
        except InvalidField as error:
            answer = rpc.refusal(asked.id, rpc.WRONG_PARAMETERS, str(error))
        except Gone as error:
            answer = rpc.refusal(asked.id, protocol.NO_SUCH_BUTTON, str(error))
        except TesouraError as error:
            answer = rpc.refusal(asked.id, protocol.REFUSED, str(error))
        except Exception:
            log.exception("%s of a device failed", asked.method)
            answer = rpc.refusal(asked.id, protocol.REFUSED, "An error in Tesoura stopped this. Try again.")
        else:
            answer = (
                rpc.refusal(asked.id, rpc.NO_SUCH_METHOD, f"There is no method {asked.method}.")
                if told is None
                else rpc.answer(asked.id, told)
            )
        if asked.id is not None:
            with contextlib.suppress(TesouraError):
                await self._send(answer)

    async def _asked(self, panel: Panel, method: str, params: Mapping[str, Any]) -> dict[str, Any] | None:
        if method in ("button.press", "button.hold"):
            outcome = await panel.press(protocol.pressed_of(params, method == "button.hold"))
            return {"done": not outcome.refused, "words": outcome.words}
        if method == "dial.turn":
            turn = protocol.turned_of(params)
            return {"words": await panel.turn(turn.button, turn.by, turn.level)}
        if method == "leaf.show":
            wished, first = params.get("leaf", ""), params.get("from", 0)
            if wished not in (one for one, _ in panel.leaves()):
                raise Gone("This button page no longer exists, or isn’t for this device.")
            if isinstance(first, bool) or not isinstance(first, int) or not 0 <= first < protocol.MOST_SHOWN:
                raise InvalidField("from must be a whole number: the first button to show, counted from 0.")
            self._leaf, self._first, self._outline = str(wished), first, None
            self._again.set()
            return {"leaf": wished}
        return {} if method == "device.ping" else None
