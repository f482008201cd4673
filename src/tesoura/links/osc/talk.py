"""An open UDP port for OSC: what comes in, and what panels are shown."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import AsyncGenerator, Mapping
from typing import Any

from tesoura.core.desk.controls import ControlMoved
from tesoura.errors import SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched
from tesoura.links.osc import NETWORK
from tesoura.links.osc.messages import controls_in, packet

MOST_WAITING, MOST_ADDRESSES, LARGEST = 500, 200, 65_535


class OscLink(asyncio.DatagramProtocol):
    """The port while it is open."""

    def __init__(self, choices: Mapping[str, Any]) -> None:
        self._host, self._port = str(choices.get("answer_host") or ""), int(choices.get("answer_port") or 0)
        self._transport: asyncio.DatagramTransport | None = None
        self._last: tuple[str, int] | None = None
        self.coming: asyncio.Queue[ControlMoved] = asyncio.Queue(MOST_WAITING)
        self.garbled = self.dropped = self.heard = 0

    def connection_made(self, transport: Any) -> None:
        """The port is open."""
        self._transport = transport

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        """A packet came."""
        moved = controls_in(data)
        if moved is None:
            self.garbled += 1
            return
        self._last = (addr[0], addr[1])
        for one in moved:
            self.heard += 1
            if self.coming.full():
                # The newest place of a fader is worth more than an old one.
                self.coming.get_nowait()
                self.dropped += 1
            self.coming.put_nowait(one)

    def error_received(self, exc: Exception) -> None:
        """Nobody listens where something was shown; that is no fault."""

    def show(self, sign: str, value: float) -> None:
        """Show where a control stands, at the panel."""
        if self._transport is None or not sign.startswith("/"):
            return
        host = self._host or (self._last[0] if self._last else "")
        port = self._port or (self._last[1] if self._last else 0)
        if host and port:
            self._transport.sendto(packet(sign, value), (host, port))

    def standing(self) -> Mapping[str, Any]:
        """How it stands, for its page."""
        return {"heard": self.heard, "garbled": self.garbled, "dropped": self.dropped}

    def close(self) -> None:
        """Listen no more."""
        if self._transport is not None:
            self._transport.close()


async def talk(context: FetchContext) -> AsyncGenerator[Fetched]:
    """What comes, until it is stopped. Raises SourceUnavailable."""
    choices = context.choices
    host, port = ("0.0.0.0" if choices.get("listen") == NETWORK else "127.0.0.1"), int(choices["port"])
    link = OscLink(choices)
    wire = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    try:
        wire.bind((host, port))
    except OSError as error:
        wire.close()
        raise SourceUnavailable(
            f"UDP port {port} cannot be listened on ({error.strerror or error}). Does another program have it? "
            "Choose another port."
        ) from None
    wire.setblocking(False)
    await asyncio.get_running_loop().create_datagram_endpoint(lambda: link, sock=wire)
    seen: dict[str, float] = {}
    try:
        yield Fetched({}, quiet=True, note="It listens. Move a control of the panel.")
        if context.trying:
            return
        context.link = link
        while True:
            moved = await link.coming.get()
            if moved.sign in seen or len(seen) < MOST_ADDRESSES:
                seen[moved.sign] = moved.value
            yield Fetched(dict(seen), quiet=True, control=moved)
    finally:
        context.link = None
        link.close()
