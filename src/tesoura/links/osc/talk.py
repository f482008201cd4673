"""An open UDP port for OSC: what comes in, and what panels are shown."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import AsyncGenerator, Mapping
from typing import Any

from tesoura.errors import SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched
from tesoura.links.moves import Moves
from tesoura.links.osc.messages import controls_in, packet
from tesoura.links.osc.places import NETWORK


class OscLink(asyncio.DatagramProtocol):
    """The port while it is open."""

    def __init__(self, choices: Mapping[str, Any]) -> None:
        self._host, self._port = str(choices.get("answer_host") or ""), int(choices.get("answer_port") or 0)
        self._transport: asyncio.DatagramTransport | None = None
        self._last: tuple[str, int] | None = None
        self.moves, self.garbled = Moves(), 0

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
            self.moves.add(one)

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
        return {"heard": self.moves.heard, "garbled": self.garbled, "dropped": self.moves.dropped}

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
            f"UDP port {port} can't be opened ({error.strerror or error}). Check whether another program is using it. "
            "Choose another port."
        ) from None
    wire.setblocking(False)
    await asyncio.get_running_loop().create_datagram_endpoint(lambda: link, sock=wire)
    try:
        yield Fetched({}, quiet=True, note="Listening. Move a control on the panel.")
        if context.trying:
            return
        context.link = link
        async for came in link.moves.told():
            yield came
    finally:
        context.link = None
        link.close()
