"""`/device-socket`, as plain ASGI: where devices connect."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Awaitable, Callable, MutableMapping
from http.cookies import CookieError, SimpleCookie
from typing import Any

from tesoura.errors import SourceUnavailable
from tesoura.links.device.protocol import Hello
from tesoura.links.device.talk import DeviceTalk, Panel

MOST_OPEN, MOST_STRANGE = 60, 4
"""So many may be connected; and so many at once from one address before they are let in."""
Admit = Callable[[Hello, str, int | None, str, Callable[[str], None]], Awaitable[Panel]]
"""Lets a device in that came from this address to this port, with this cookie; `end` closes it, with why."""


class DeviceDoor:
    """Serves all devices. `cookie` is the name under which a phone's browser keeps its token."""

    def __init__(self, admit: Admit, leave: Callable[[Panel], None], cookie: str) -> None:
        self._admit, self._leave, self._cookie = admit, leave, cookie
        self._open = 0
        self._strange: dict[str, int] = {}

    async def __call__(self, scope: MutableMapping[str, Any], receive: Any, send: Any) -> None:
        """Serve one connection until it closes."""
        await receive()
        address, port = str((scope.get("client") or ("", 0))[0]), (scope.get("server") or ("", None))[1]
        if self._open >= MOST_OPEN or self._strange.get(address, 0) >= MOST_STRANGE:
            await send(
                {
                    "type": "websocket.close",
                    "code": 4429,
                    "reason": "Too many devices are connected. Disconnect one first.",
                }
            )
            return
        await send({"type": "websocket.accept"})
        self._strange[address] = self._strange.get(address, 0) + 1
        why, panel = "", None
        ended: asyncio.Future[str] = asyncio.get_running_loop().create_future()

        def end(reason: str) -> None:
            if not ended.done():
                ended.set_result(reason)

        async def admit(hello: Hello) -> Panel:
            nonlocal panel
            panel = await self._admit(hello, address, port, self._token_of(scope), end)
            self._known(address)
            self._open += 1
            return panel

        talking = asyncio.create_task(DeviceTalk(_sender(send), _hearer(receive), admit).run())
        try:
            await asyncio.wait({talking, ended}, return_when=asyncio.FIRST_COMPLETED)
            if ended.done():
                why = ended.result()
            elif talking.exception() is None:
                why = talking.result()
        finally:
            talking.cancel()
            await asyncio.gather(talking, return_exceptions=True)
            if panel is not None:
                self._open -= 1
                self._leave(panel)
            else:
                self._known(address)
        with contextlib.suppress(RuntimeError, OSError):
            await send({"type": "websocket.close", "code": 4403 if why else 1000, "reason": why[:120]})

    def _known(self, address: str) -> None:
        """One who came from there is no stranger any more, or is gone."""
        left = self._strange.pop(address, 1) - 1
        if left > 0:
            self._strange[address] = left

    def _token_of(self, scope: MutableMapping[str, Any]) -> str:
        for name, value in scope["headers"]:
            if name == b"cookie":
                with contextlib.suppress(CookieError):
                    if (kept := SimpleCookie(value.decode("latin-1")).get(self._cookie)) is not None:
                        return kept.value[:200]
        return ""


def _sender(send: Any) -> Callable[[str], Awaitable[None]]:
    async def send_text(text: str) -> None:
        try:
            await send({"type": "websocket.send", "text": text})
        except (RuntimeError, OSError):
            raise SourceUnavailable("The device disconnected.") from None

    return send_text


def _hearer(receive: Any) -> Callable[[], Awaitable[str]]:
    async def hear() -> str:
        message = await receive()
        if message["type"] == "websocket.disconnect":
            raise SourceUnavailable("The device disconnected.")
        return str(message.get("text") or "")

    return hear
