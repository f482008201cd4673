"""A scene link that we have opened ourselves."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from websockets.asyncio.client import ClientConnection, connect
from websockets.exceptions import ConnectionClosed, InvalidHandshake, InvalidURI

from tesoura.errors import SourceUnavailable
from tesoura.feeds.connecting import no_connection
from tesoura.links.rpc import LONGEST
from tesoura.links.scene.door import GONE

OPEN_S, PING_S = 5.0, 5.0


class Connected:
    """A connection that we have opened."""

    def __init__(self, socket: ClientConnection) -> None:
        self._socket = socket

    async def send(self, text: str) -> None:
        """Send a message."""
        try:
            await self._socket.send(text)
        except ConnectionClosed:
            raise SourceUnavailable(GONE) from None

    async def hear(self) -> str:
        """The next message."""
        try:
            said = await self._socket.recv()
        except ConnectionClosed as error:
            silent = error.sent is not None and error.sent.code == 1011
            raise SourceUnavailable(
                "The streaming software stopped answering. Reconnecting." if silent else GONE
            ) from None
        return said if isinstance(said, str) else said.decode("utf-8", "replace")


@asynccontextmanager
async def connected(address: str, where: str) -> AsyncIterator[Connected]:
    """Connect to the other program. Raises SourceUnavailable."""
    try:
        socket = await connect(
            address,
            open_timeout=OPEN_S,
            ping_interval=PING_S,
            ping_timeout=PING_S,
            max_size=4 * LONGEST,
            proxy=None,
            close_timeout=1,
        )
    except TimeoutError:
        raise SourceUnavailable(f"No answer from {where} in {OPEN_S:.0f} s. Check the address.") from None
    except (InvalidHandshake, InvalidURI, EOFError):
        raise SourceUnavailable(f"The server at {where} is not a scene link. Check the path.") from None
    except OSError as error:
        raise SourceUnavailable(no_connection(where, error)) from None
    try:
        yield Connected(socket)
    finally:
        await socket.close()
