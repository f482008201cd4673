"""Request bodies are read completely before a page handles them, so a slow sender can't block a worker thread.

Small bodies stay in memory. Large ones require permission first and are spooled to disk.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any

from tesoura.uploads.spooled import BLOCK, Spooled
from tesoura.web.guard import SAFE, App
from tesoura.web.proxies import Scope
from tesoura.web.shared.sized_request import most_bytes

IDLE_S, WHOLE_S = 10.0, 300.0
"""How long a request may send nothing, and how long it may take altogether."""
SMALL, AT_ONCE = 64_000, 4
"""Bytes anyone may send; and how many larger bodies are read at the same time (others wait)."""


class WholeRequests:
    """Reads a request's body, then lets the pages have it. `may_send` tells whether a request may be a large one."""

    def __init__(self, app: App, may_send: Callable[[Scope], bool]) -> None:
        self.app, self._may_send = app, may_send
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
        with Spooled(SMALL) as body:
            try:
                async with asyncio.timeout(WHOLE_S):
                    if size > SMALL or await _read(receive, body, SMALL):
                        if not await asyncio.to_thread(self._may_send, scope):
                            await _refuse(send, 401, "Sign in first; without signing in, at most 64 kB can be sent.")
                            return
                        async with self._large:
                            await _read(receive, body, most)
            except TimeoutError:
                await _refuse(send, 408, "The request was incomplete. Send it again.")
                return
            except _BrokenOffError:
                await _refuse(send, 413, "Too large, or broke off.")
                return
            if body.size > most:
                await _refuse(send, 413, "Too large, or broke off.")
                return
            # A chunked body has a known length now.
            length = str(body.size).encode()
            heads = [one for one in scope["headers"] if one[0] not in (b"content-length", b"transfer-encoding")]
            scope = {**scope, "headers": [*heads, (b"content-length", length)]}
            body.begin()
            await self._pass_on(scope, receive, send, body)

    async def _pass_on(self, scope: Scope, receive: Any, send: Any, body: Spooled) -> None:
        ended = False

        async def again() -> Any:
            nonlocal ended
            if ended:
                return await receive()
            block = body.next_block()
            ended = len(block) < BLOCK
            return {"type": "http.request", "body": block, "more_body": not ended}

        await self.app(scope, again, send)


class _BrokenOffError(Exception):
    """Whoever sent a request went away in the middle of it."""


async def _read(receive: Any, body: Spooled, most: int) -> bool:
    """Read what a request sends up to so many bytes; whether there is more."""
    more = True
    while more and body.size <= most:
        async with asyncio.timeout(IDLE_S):
            message = await receive()
        if message["type"] != "http.request":
            raise _BrokenOffError
        body.add(message.get("body", b""))
        more = bool(message.get("more_body", False))
    return more


async def _refuse(send: Any, status: int, words: str) -> None:
    body = words.encode()
    heads = [(b"content-type", b"text/plain; charset=utf-8"), (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": heads})
    await send({"type": "http.response.body", "body": body})
