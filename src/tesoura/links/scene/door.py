"""Where the other program connects to us, as plain ASGI; and what a scene link asks of a connection."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any, Protocol

from tesoura.errors import SourceUnavailable

GONE = "The streaming software disconnected. Waiting for it."


class Wire(Protocol):
    """An open connection for texts."""

    async def send(self, text: str) -> None:
        """Send a message. Raises SourceUnavailable when it is closed."""
        ...

    async def hear(self) -> str:
        """The next message. Raises SourceUnavailable when it is closed."""
        ...


class Arrived:
    """A connection that the other program has opened to us."""

    def __init__(
        self,
        receive: Callable[[], Awaitable[MutableMapping[str, Any]]],
        send: Callable[[MutableMapping[str, Any]], Awaitable[None]],
    ) -> None:
        self._receive, self._send = receive, send
        self.over = asyncio.Event()
        self.reason = ""

    async def send(self, text: str) -> None:
        """Send a message."""
        try:
            await self._send({"type": "websocket.send", "text": text})
        except (RuntimeError, OSError):
            raise SourceUnavailable(GONE) from None

    async def hear(self) -> str:
        """The next message."""
        message = await self._receive()
        if message["type"] == "websocket.disconnect":
            raise SourceUnavailable(GONE)
        return str(message.get("text") or "")

    def end(self, reason: str = "") -> None:
        """Nobody listens here any more."""
        self.reason = reason
        self.over.set()


Arrive = Callable[[str, Arrived], Awaitable[str | None]]
"""Hands a connection to the link of a name; why it is not taken, if it is not."""


class SceneDoor:
    """`/scene-link/NAME`, as plain ASGI: where the other program connects to us."""

    def __init__(self, arrive: Arrive) -> None:
        self._arrive = arrive

    async def __call__(self, scope: MutableMapping[str, Any], receive: Any, send: Any) -> None:
        """Serve one connection until it closes."""
        await receive()
        wire = Arrived(receive, send)
        await send({"type": "websocket.accept"})
        problem = await self._arrive(scope["path_params"]["name"], wire)
        if problem is None:
            await wire.over.wait()
            problem = wire.reason
        with contextlib.suppress(RuntimeError, OSError):
            await send({"type": "websocket.close", "code": 4403 if problem else 1000, "reason": problem[:120]})
