"""Requests are read whole before a page begins with them, so that whoever sends nothing keeps nobody else waiting."""

from __future__ import annotations

import asyncio
from typing import Any

from tesoura.web.guard import SAFE, App, Scope
from tesoura.web.shared.sized_request import most_bytes

IDLE_S, WHOLE_S = 10.0, 300.0
"""How long a request may send nothing, and how long it may take altogether."""
LARGE, AT_ONCE = 1_000_000, 4
"""So many large ones are read at the same time; further ones wait for their turn."""


class WholeRequests:
    """Reads a request's body, then lets the pages have it."""

    def __init__(self, app: App) -> None:
        self.app = app
        self._large = asyncio.Semaphore(AT_ONCE)

    async def __call__(self, scope: Scope, receive: Any, send: Any) -> None:
        """Serve one request."""
        if scope["type"] != "http" or scope["method"] in SAFE:
            await self.app(scope, receive, send)
            return
        told = next((value for name, value in scope["headers"] if name == b"content-length"), b"0")
        size, most = int(told) if told.isdigit() else 0, most_bytes(scope["path"])
        if size > most:
            # The page says by its kind how much may be sent; nothing of it is read.
            await self.app(scope, receive, send)
            return
        try:
            async with asyncio.timeout(WHOLE_S):
                if size > LARGE:
                    async with self._large:
                        body = await _body(receive, most)
                else:
                    body = await _body(receive, most)
        except TimeoutError:
            await _refuse(send, 408, "Nothing more came of this request. Send it again.")
            return
        if body is None:
            await _refuse(send, 413, "This is too large, or broke off.")
            return
        given = [{"type": "http.request", "body": body, "more_body": False}]

        async def once() -> Any:
            return given.pop() if given else await receive()

        await self.app(scope, once, send)


async def _body(receive: Any, most: int) -> bytes | None:
    """All that a request sends; None when that is too much, or it broke off."""
    body = bytearray()
    while True:
        async with asyncio.timeout(IDLE_S):
            message = await receive()
        if message["type"] != "http.request":
            return None
        body += message.get("body", b"")
        if len(body) > most:
            return None
        if not message.get("more_body", False):
            return bytes(body)


async def _refuse(send: Any, status: int, words: str) -> None:
    body = words.encode()
    heads = [(b"content-type", b"text/plain; charset=utf-8"), (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": heads})
    await send({"type": "http.response.body", "body": body})
