"""Phones, pads and desks that are connected: paired, let in, told when something changed, and sent away."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from datetime import datetime
from functools import partial
from typing import Any, Protocol

from tesoura.core.desk.buttons import DeskButton
from tesoura.core.desk.faces import ButtonFace, PressOutcome
from tesoura.core.desk.leaves import Leaf
from tesoura.core.hosts import is_this_machine
from tesoura.errors import Gone, NotYours
from tesoura.links.device.protocol import ButtonPress, Hello
from tesoura.runtime.desk_leaves import DeskLeaves
from tesoura.runtime.pairing import Pairing, Pairings
from tesoura.store import devices as stored_devices
from tesoura.store.devices import Device
from tesoura.store.store import Store

NOT_PAIRED = "This device is not paired, or was removed. Pair it under Phones and pads."
WRONG_CODE = "This code is wrong or has expired. Show a new one under Phones and pads."
REMOVED = "This device was removed and can't press anything."
PHONE, PAD = "phone", "pad"


class Operator(Protocol):
    """Who carries out what is pressed."""

    async def faces(self, leaf_id: str, actor: str) -> tuple[ButtonFace, ...]:
        """How the buttons of a leaf stand. Raises Gone."""
        ...

    async def face(self, button: DeskButton, actor: str) -> ButtonFace:
        """How one button stands."""
        ...

    async def press(self, press: ButtonPress, actor: str) -> PressOutcome:
        """Press or hold a button. Raises Gone."""
        ...

    async def turn(self, button: str, actor: str, by: int = 0, level: float | None = None) -> str:
        """Turn a value. Raises Gone, and InvalidField."""
        ...


class LetIn:
    """One connection that was let in: a desk, which has all leaves, or a paired device, which has its own."""

    def __init__(self, devices: Devices, actor: str, device: Device | None, end: Callable[[str], None]) -> None:
        self._devices, self._actor, self.device, self.end = devices, actor, device, end
        self.name, self.token = (device.name if device else "Desk"), ""
        self.changed = asyncio.Event()

    def _its(self) -> list[Leaf]:
        present = self._devices.leaves.present.leaves
        return [one for one in present if self.device is None or one.id in self.device.leaves]

    def leaves(self) -> list[tuple[str, str]]:
        """The leaves it may press on."""
        return [(one.id, one.name) for one in self._its()]

    async def faces(self, leaf: str) -> tuple[ButtonFace, ...]:
        """How the buttons of a leaf stand."""
        self.changed.clear()
        return await self._devices.operator.faces(leaf, self._actor)

    async def press(self, press: ButtonPress) -> PressOutcome:
        """Press or hold a button."""
        self._must_have(press.button)
        return await self._devices.operator.press(press, self._actor)

    async def turn(self, button: str, by: int, level: float | None) -> str:
        """Turn a dial."""
        self._must_have(button)
        return await self._devices.operator.turn(button, self._actor, by, level)

    def _must_have(self, button: str) -> None:
        leaf, _ = self._devices.leaves.present.found(button)
        if leaf not in self._its():
            raise Gone("This button no longer exists, or isn't for this device.")

    async def picture(self, face: ButtonFace, size: tuple[int, int]) -> bytes:
        """A button as PNG."""
        return await asyncio.to_thread(_drawn, face, *size, self.now())

    def now(self) -> float:
        """The present instant."""
        return self._devices.clock().timestamp()

    async def lasting(self) -> None:
        """Wait until something may stand otherwise."""
        now = self.now()
        at = self._devices.leaves.next_change(now)
        try:
            async with asyncio.timeout(None if at is None else max(at - now, 0.05)):
                await self.changed.wait()
        except TimeoutError:
            return


def _drawn(face: ButtonFace, width_px: int, height_px: int, now: float) -> bytes:
    # What draws is loaded for the first device that wants a picture, not at every start.
    from tesoura.studio.button_pictures import picture

    return picture(face, width_px, height_px, now)


class Devices:
    """The way in for devices, and the way to those that are connected. One loop owns it."""

    operator: Operator
    _knows_ticket: Callable[[str, int | None], bool]

    def __init__(
        self,
        store: Store,
        leaves: DeskLeaves,
        clock: Callable[[], datetime],
        lasting_s: Callable[[], float],
        start: Callable[[Coroutine[Any, Any, Any], str], object],
        touched: Callable[[str], None],
    ) -> None:
        self._store, self.leaves, self.clock, self._lasting_s, self._start = store, leaves, clock, lasting_s, start
        self._touched = partial(touched, "devices")
        self.pairings = Pairings()
        self._in: set[LetIn] = set()

    def operated_by(self, operator: Operator, knows_ticket: Callable[[str, int | None], bool]) -> None:
        """Presses are carried out by this; a desk shows a ticket that is known."""
        self.operator, self._knows_ticket = operator, knows_ticket

    # Pairing

    def begin_pairing(self, leaves: tuple[str, ...], name: str = "") -> Pairing:
        """Open a pairing."""
        return self.pairings.begin(leaves, name, self._lasting_s())

    def pairing(self) -> tuple[Pairing, float] | None:
        """The open pairing, and for how many more seconds it is open."""
        now_s = self._lasting_s()
        pairing = self.pairings.open(now_s)
        return (pairing, pairing.until_s - now_s) if pairing else None

    async def pair(self, code: str, name: str, kind: str) -> tuple[Device, str]:
        """Pair who gives this code; it, and its token. Raises NotYours for a wrong code."""
        pairing = self.pairings.take(code, self._lasting_s())
        if pairing is None:
            raise NotYours(WRONG_CODE)
        at = self.clock()

        def job(session: Any) -> tuple[Device, str]:
            taken = {one.name.casefold() for one in stored_devices.listed(session)}
            wished = pairing.name or name
            number = next(one for one in range(1, 10_000) if _numbered(wished, one).casefold() not in taken)
            return stored_devices.add(session, _numbered(wished, number), kind, pairing.leaves, at)

        return await asyncio.wrap_future(self._store.writer.submit(job))

    async def known(self, token: str) -> Device | None:
        """The device of this token."""
        if not token:
            return None
        return await asyncio.to_thread(self._store.read, lambda session: stored_devices.known(session, token))

    # Connections

    async def admit(
        self, hello: Hello, address: str, port: int | None, cookie: str, end: Callable[[str], None]
    ) -> LetIn:
        """Let somebody in who came from this address to this port. Raises NotYours."""
        if hello.ticket:
            if not self._knows_ticket(hello.ticket, port):
                raise NotYours("Reload the desk.")
            let_in = LetIn(self, "desk" if is_this_machine(address) else f"desk:{address}", None, end)
        elif hello.code:
            device, token = await self.pair(hello.code, hello.name, PAD)
            let_in = LetIn(self, f"device:{device.name}", device, end)
            let_in.token = token
        else:
            known = await self.known(hello.token or cookie)
            if known is None:
                raise NotYours(NOT_PAIRED)
            let_in = LetIn(self, f"device:{known.name}", known, end)
            self._note(known.id)
        self._in.add(let_in)
        self._touched()
        return let_in

    def leave(self, let_in: Any) -> None:
        """A connection has ended."""
        self._in.discard(let_in)
        self._touched()
        if let_in.device is not None:
            self._note(let_in.device.id)

    def _note(self, device_id: int) -> None:
        at = self.clock()

        async def job() -> None:
            await asyncio.wrap_future(
                self._store.writer.submit(lambda session: stored_devices.seen(session, device_id, at))
            )

        self._start(job(), "Saving when a device was last connected")

    def connected(self) -> set[int]:
        """The ids of the paired devices that are connected now."""
        return {one.device.id for one in self._in if one.device is not None}

    def follow(self, device: Device) -> None:
        """A device has another name or other leaves."""
        for one in self._in:
            if one.device is not None and one.device.id == device.id:
                one.device, one.name = device, device.name
                one.changed.set()

    def send_away(self, device_id: int) -> None:
        """A device was removed: its connections close at once."""
        for one in list(self._in):
            if one.device is not None and one.device.id == device_id:
                one.end(REMOVED)

    def touched(self) -> None:
        """Something that buttons show may have changed."""
        for one in self._in:
            one.changed.set()


def _numbered(name: str, number: int) -> str:
    return name if number == 1 else f"{name} {number}"
