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


class Guard:
    """Refuses requests for another host's name (DNS rebinding) and writes and sockets from another site's page."""

    def __init__(self, app: App, settings: Settings) -> None:
        self._app = app
        self._only_at = None if settings.on_network else settings.address

    async def __call__(self, scope: Scope, receive: Any, send: Any) -> None:
        """Pass on what may pass."""
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        host, origin = "", None
        for name, value in scope["headers"]:
            if name == b"host":
                host = value.decode("latin-1")
            elif name == b"origin":
                origin = value.decode("latin-1")
        changes = scope["type"] == "websocket" or scope["method"] not in SAFE
        problem = _problem(host, origin, changes, self._only_at)
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


@lru_cache(maxsize=256)
def _problem(host: str, origin: str | None, changes: bool, only_at: str | None) -> str | None:
    """Why a request may not come in; `only_at` is the address on this machine, when no other one is answered."""
    try:
        name, came_from = urlsplit(f"//{host}").hostname or "", urlsplit(origin or "").netloc
    except ValueError:
        return "The request names a host that cannot be. Open Tesoura by the address that it printed."
    if only_at is not None and name not in LOOPBACK:
        return f"Tesoura answers on this machine only. Open {only_at} instead."
    if changes and origin == "null":
        return "A page without an origin may not operate Tesoura."
    if changes and origin is not None and came_from != host:
        return "A page of another site may not operate Tesoura."
    return None
