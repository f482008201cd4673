"""Who may ask: every request and socket must come to this machine's own name, and from Tesoura's own pages."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, MutableMapping
from functools import lru_cache
from typing import Any
from urllib.parse import urlsplit

from tesoura.settings import LOOPBACK, Settings

Scope = MutableMapping[str, Any]
App = Callable[[Scope, Any, Any], Awaitable[None]]
SAFE = ("GET", "HEAD", "OPTIONS")


@lru_cache(maxsize=64)
def _name(host: str) -> str:
    return urlsplit(f"//{host}").hostname or ""


class Guard:
    """Refuses requests for another host's name (DNS rebinding) and writes and sockets from another site's page."""

    def __init__(self, app: App, settings: Settings) -> None:
        self._app, self._settings = app, settings

    async def __call__(self, scope: Scope, receive: Any, send: Any) -> None:
        """Pass on what may pass."""
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = {name: value.decode("latin-1") for name, value in scope["headers"] if name in (b"host", b"origin")}
        host = headers.get(b"host", "")
        problem = self._problem(scope, host, headers.get(b"origin"))
        if problem is None:
            await self._app(scope, receive, send)
        elif scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 4403, "reason": problem[:120]})
        else:
            body = problem.encode()
            headers_out = [
                (b"content-type", b"text/plain; charset=utf-8"),
                (b"content-length", str(len(body)).encode()),
            ]
            await send({"type": "http.response.start", "status": 403, "headers": headers_out})
            await send({"type": "http.response.body", "body": body})

    def _problem(self, scope: Scope, host: str, origin: str | None) -> str | None:
        name = _name(host)
        if not self._settings.on_network and name not in LOOPBACK:
            return f"Tesoura answers on this machine only. Open {self._settings.address} instead."
        changes = scope["type"] == "websocket" or scope["method"] not in SAFE
        if changes and origin not in (None, "null") and urlsplit(origin).netloc != host:
            return "A page of another site may not operate Tesoura."
        if changes and origin == "null":
            return "A page without an origin may not operate Tesoura."
        return None
