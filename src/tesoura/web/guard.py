"""Who may ask: every request and socket must come to this machine's own name, and from Tesoura's own pages."""

from __future__ import annotations

import re
import socket
from collections.abc import Awaitable, Callable, MutableMapping, Sequence
from functools import lru_cache
from typing import Any
from urllib.parse import urlsplit

from tesoura.core.hosts import is_address
from tesoura.settings import LOOPBACK, Settings
from tesoura.web.proxies import Scope, as_asked

App = Callable[[Scope, Any, Any], Awaitable[None]]
SAFE = ("GET", "HEAD", "OPTIONS")


HEADS = (
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"same-origin"),
    (b"cross-origin-resource-policy", b"same-origin"),
)
"""What every answer says: nothing is taken for what it is not, and no other site shows it as its own."""
_HOST = re.compile(r"(?:[A-Za-z0-9](?:[A-Za-z0-9._-]*[A-Za-z0-9])?|\[[0-9A-Fa-f:.]+\])(?::\d{1,5})?")


class Guard:
    """Refuses requests for another host's name (DNS rebinding) and writes and sockets from another site's page."""

    def __init__(self, app: App, settings: Settings, away: Callable[[int | None], bool]) -> None:
        self._app, self._away = app, away
        self._at = f"Tesoura answers on this machine only. Open {settings.address} instead."
        own = socket.gethostname().lower()
        self._own_names = (*LOOPBACK, own, own.partition(".")[0], f"{own.partition('.')[0]}.local")
        self._wide, self._proxy_name = settings.on_network, settings.proxy_name

    async def __call__(self, scope: Scope, receive: Any, send: Any) -> None:
        """Pass on what may pass."""
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        hosts, origin = [], None
        for name, value in scope["headers"]:
            if name == b"host":
                hosts.append(value.decode("latin-1"))
            elif name == b"origin":
                origin = value.decode("latin-1")
        changes = scope["type"] == "websocket" or scope["method"] not in SAFE
        name = _host_in(hosts[0]) if len(hosts) == 1 else None
        scope = as_asked(scope, self._proxy_name, name)
        wide = self._wide or self._away((scope.get("server") or ("", None))[1])
        problem = self._problem(name, origin if changes else None, hosts, wide)
        if problem is None:
            await self._app(scope, receive, _with_heads(send) if scope["type"] == "http" else send)
        elif scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 4403, "reason": problem[:120]})
        else:
            body = problem.encode()
            headers_out = [
                (b"content-type", b"text/plain; charset=utf-8"),
                (b"content-length", str(len(body)).encode()),
                *HEADS,
            ]
            await send({"type": "http.response.start", "status": 403, "headers": headers_out})
            await send({"type": "http.response.body", "body": body})

    def _problem(self, name: str | None, origin: str | None, hosts: Sequence[str], wide: bool) -> str | None:
        """Why a request for this host may not come in; `origin` is that of the page that wants to change something."""
        if name is None:
            return "The request names an invalid host. Use the address that Tesoura printed."
        if name != self._proxy_name:
            if wide and name not in self._own_names and not is_address(name):
                return "Tesoura doesn't use this host name. Use this machine's IP address."
            if not wide and name not in LOOPBACK:
                return self._at
        if origin == "null":
            return "A page without an origin may not operate Tesoura."
        if origin is not None and _came_from(origin) != hosts[0]:
            return "A page of another site may not operate Tesoura."
        return None


def _with_heads(send: Any) -> Any:
    async def told(message: MutableMapping[str, Any]) -> None:
        if message["type"] == "http.response.start":
            there = {name.lower() for name, _ in message.get("headers", ())}
            message["headers"] = [*message.get("headers", ()), *(head for head in HEADS if head[0] not in there)]
        await send(message)

    return told


@lru_cache(maxsize=256)
def _host_in(host: str) -> str | None:
    """The name in a Host header, in small letters; None for one that cannot be."""
    if not _HOST.fullmatch(host):
        return None
    try:
        return urlsplit(f"//{host}").hostname
    except ValueError:
        return None


@lru_cache(maxsize=256)
def _came_from(origin: str) -> str:
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return ""
