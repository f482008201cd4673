"""The WebSocket ends of the live hub, as plain ASGI: overlays' pages and desks."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from tesoura.core.values import from_json
from tesoura.outputs.hub import Channel, Hub, Page, Send

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
SendMessage = Callable[[MutableMapping[str, Any]], Awaitable[None]]
MAX_MESSAGE = 8_000
MAX_WATCHED = 100
WRITE_FRAME = "tesoura.write_frame"
"""The extension by which a server offers to write a ready frame; without it each message is sent by itself."""
log = logging.getLogger(__name__)


class OverlaySocket:
    """`/live/TOKEN`: one overlay's page. The token is the only right it needs."""

    def __init__(self, hub: Hub) -> None:
        self._hub = hub

    async def __call__(self, scope: Scope, receive: Receive, send: SendMessage) -> None:
        """Serve one connection until it closes."""
        await receive()
        channel = self._hub.channel(scope["path_params"]["token"])
        if channel is None:
            await send({"type": "websocket.close", "code": 4404, "reason": "This link was replaced or never existed."})
            return
        await send({"type": "websocket.accept"})
        write = scope.get("extensions", {}).get(WRITE_FRAME, lambda frame: False)
        page = Page(_texts(send), b"picture=1" in scope.get("query_string", b""), write)
        self._hub.join(channel, page)
        try:
            await _serve(page, receive, lambda: channel.seq, lambda text: self._heard(channel, page, text))
        finally:
            self._hub.leave(channel, page)

    def _heard(self, channel: Channel, page: Page, text: str) -> None:
        said = _read(text)
        if "ack" in said:
            self._hub.heard_ack(channel, page, str(said["ack"])[:40])
        elif "silent" in said:
            self._hub.was_silent(page, bool(said["silent"]))
        elif "painted" in said:
            if (number := _whole(said["painted"])) is not None:
                self._hub.heard_painted(channel, page, number, said.get("spans"))
        elif "trouble" in said:
            trouble = said["trouble"] if isinstance(said["trouble"], dict) else {}
            if "of" in trouble and "why" in trouble:
                self._hub.heard_trouble(channel, page, str(trouble["of"])[:80], str(trouble["why"])[:120])
        else:
            width, height = _whole(said.get("width_px")), _whole(said.get("height_px"))
            if width and height and 0 < width < 100_000 and 0 < height < 100_000:
                self._hub.measured(page, width, height)


class DeskSocket:
    """`/live/desk/TICKET`: one desk. The ticket stands in the pages, which only the user can open."""

    def __init__(self, hub: Hub, knows: Callable[[str, int | None], bool], since: Callable[[str], list[str]]) -> None:
        self._hub, self._knows, self._since = hub, knows, since

    async def __call__(self, scope: Scope, receive: Receive, send: SendMessage) -> None:
        """Serve one connection until it closes."""
        await receive()
        if not self._knows(scope["path_params"]["ticket"], (scope.get("server") or ("", None))[1]):
            await send({"type": "websocket.close", "code": 4403, "reason": "Open the desk again."})
            return
        await send({"type": "websocket.accept"})
        page = Page(_texts(send))
        self._hub.join_desk(page)
        try:
            await _serve(page, receive, lambda: 0, lambda text: self._heard(page, text))
        finally:
            self._hub.leave_desk(page)

    def _heard(self, page: Page, text: str) -> None:
        said = _read(text)
        if "since" in said and (topics := self._since(str(said["since"]))):
            page.touch(topics)
        if isinstance(said.get("watch"), list):
            self._hub.watch(page, [str(name) for name in said["watch"][:MAX_WATCHED]])


def _read(text: str) -> dict[str, Any]:
    """What a page said; nothing when it is not a group of values."""
    try:
        said = from_json(text)
    except ValueError:
        return {}
    return said if isinstance(said, dict) else {}


def _whole(value: object) -> int | None:
    """A number that a page gave, without its decimals; None for anything else."""
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        return None
    try:
        return int(value)
    except (ValueError, OverflowError):
        return None


def _texts(send: SendMessage) -> Send:
    async def send_text(text: str) -> None:
        await send({"type": "websocket.send", "text": text})

    return send_text


async def _serve(page: Page, receive: Receive, seq: Callable[[], int], heard: Callable[[str], None]) -> None:
    async def listen() -> None:
        while True:
            message = await receive()
            if message["type"] == "websocket.disconnect":
                return
            text = message.get("text")
            if isinstance(text, str) and len(text) <= MAX_MESSAGE:
                try:
                    heard(text)
                except Exception:
                    log.exception("A page's message couldn't be processed")

    listening = asyncio.ensure_future(listen())
    pumping = asyncio.ensure_future(page.pump(seq))
    try:
        await asyncio.wait({listening, pumping}, return_when=asyncio.FIRST_COMPLETED)
    finally:
        for task in (listening, pumping):
            task.cancel()
        await asyncio.gather(listening, pumping, return_exceptions=True)
