"""Who is really asking: a request that another program on this machine passes on is not its owner's."""

from __future__ import annotations

from collections.abc import MutableMapping
from typing import Any

from tesoura.core.hosts import is_address, is_this_machine

Scope = MutableMapping[str, Any]
A_PROXY = "a proxy"
"""The address of a visitor whom a proxy did not name."""
_MARKS = frozenset(
    {
        b"forwarded",
        b"via",
        b"x-real-ip",
        b"x-client-ip",
        b"x-cluster-client-ip",
        b"true-client-ip",
        b"x-original-host",
        b"x-original-for",
        b"x-original-url",
        b"x-envoy-external-address",
        b"x-proxyuser-ip",
        b"client-ip",
    }
)
_MARK_STARTS = (b"x-forwarded-", b"cf-", b"x-arr-", b"x-amzn-", b"fly-", b"ngrok-", b"tailscale-")


def is_passed_on(scope: Scope) -> bool:
    """Whether a proxy or tunnel passed this request on: by its headers, or by HTTP/1.0, which no browser speaks."""
    names = (name.lower() for name, _ in scope["headers"])
    return scope.get("http_version") == "1.0" or any(one in _MARKS or one.startswith(_MARK_STARTS) for one in names)


def as_asked(scope: Scope, proxy_name: str, host: str | None) -> Scope:
    """Return the request for a host with the address of its real sender.

    A proxy is believed when Tesoura was started with its public name; else the sender's address is `A_PROXY`.
    """
    client = scope.get("client")
    passed_on = is_passed_on(scope) or (bool(proxy_name) and host == proxy_name)
    if client is None or not is_this_machine(client[0]) or not passed_on:
        return scope
    if not proxy_name:
        return {**scope, "client": (A_PROXY, 0)}
    told = _last(scope, b"x-forwarded-for")
    secure = _last(scope, b"x-forwarded-proto") in ("https", "wss")
    scheme = {"http": "https", "websocket": "wss"}[scope["type"]] if secure else scope.get("scheme", "http")
    return {**scope, "client": (told if is_address(told) else A_PROXY, 0), "scheme": scheme}


def _last(scope: Scope, header: bytes) -> str:
    """The value that the nearest proxy added: the last one. What stands before it, the sender may have made up."""
    values = [value.decode("latin-1") for name, value in scope["headers"] if name.lower() == header]
    return values[-1].rpartition(",")[2].strip().casefold() if values else ""
