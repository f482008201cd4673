"""Limits on connections from other machines: total, per address, and time without a request."""

from __future__ import annotations

import asyncio
import socket
import ssl
from collections import Counter
from collections.abc import Callable
from typing import Any

from tesoura.core.hosts import is_this_machine

MOST_OF_ONE, MOST = 128, 1_000
"""The most connections of one address, and of all; fewer where the system allows few files."""
SHARE = 0.5
"""This share of the files that the system allows is for other machines; the rest is kept for this one."""
LOOK_S, IDLE_LOOKS = 5.0, 3
"""A connection that was without a request at so many looks in a row, so far apart, is closed."""
NEAR = 0.8

HANDSHAKE_S = 10.0
"""Time limit for another machine's TLS handshake."""


def allow_files() -> int:
    """Raise the limit on open files to the maximum allowed; return it."""
    try:
        import resource
    except ImportError:
        return 2 * MOST
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = hard if hard != resource.RLIM_INFINITY else max(soft, 65_536)
    try:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
    except (OSError, ValueError):
        return soft
    return wanted


class Connections:
    """Those of other machines that are open, unfinished TLS handshakes too. One loop owns it."""

    def __init__(self, most: int = MOST, most_of_one: int = MOST_OF_ONE) -> None:
        self.most, self._most_of_one = most, most_of_one
        self._open: dict[asyncio.Transport, str] = {}
        self._by_address: Counter[str] = Counter()
        self._beginning = 0
        self.refused = 0
        """How many were refused since the start."""

    @property
    def count(self) -> int:
        """How many are open."""
        self._forget_closed()
        return len(self._open) + self._beginning

    @property
    def is_nearly_full(self) -> bool:
        """Whether so many are open that further ones will soon be refused."""
        return self.count >= NEAR * self.most

    def admit(self, transport: asyncio.Transport) -> bool:
        """Whether one more may come in."""
        address = _address(transport)
        if not self.begin(address):
            return False
        self.end(address, transport)
        return True

    def begin(self, address: str) -> bool:
        """Reserve a place for a connection from this address, until `end`. Return whether there was one."""
        if self._is_full(address):
            self._forget_closed()
        if self._is_full(address):
            self.refused += 1
            return False
        self._by_address[address] += 1
        self._beginning += 1
        return True

    def end(self, address: str, transport: asyncio.Transport | None) -> None:
        """Turn a reserved place into an open connection; without a transport, free it."""
        self._beginning -= 1
        if transport is not None:
            self._open[transport] = address
        else:
            self._by_address[address] -= 1

    def _is_full(self, address: str) -> bool:
        return len(self._open) + self._beginning >= self.most or self._by_address[address] >= self._most_of_one

    def _forget_closed(self) -> None:
        # After a WebSocket upgrade the protocol is another one, so check the transport.
        for transport in [one for one in self._open if one.is_closing()]:
            self._by_address[self._open.pop(transport)] -= 1


def _address(transport: asyncio.Transport) -> str:
    return str((transport.get_extra_info("peername") or ("",))[0])


class TlsEntrance:
    """Admits connections before their TLS handshake, which holds a descriptor and memory too. One loop owns it."""

    def __init__(self, connections: Connections, protocol: Callable[[], Any], tls: ssl.SSLContext) -> None:
        self._connections, self._protocol, self._tls = connections, protocol, tls
        self._greetings: set[asyncio.Task[None]] = set()
        self._accepting: asyncio.Task[None] | None = None

    def open(self, listening: socket.socket) -> None:
        """Accept connections on a listening socket until closed."""
        listening.setblocking(False)
        self._accepting = asyncio.get_running_loop().create_task(self._accept(listening), name="TLS entrance")

    def close(self) -> None:
        """Stop accepting connections."""
        for task in (self._accepting, *self._greetings):
            if task is not None:
                task.cancel()

    async def _accept(self, listening: socket.socket) -> None:
        loop = asyncio.get_running_loop()
        with listening:
            while True:
                try:
                    accepted, peer = await loop.sock_accept(listening)
                except OSError:
                    # No descriptor is free; one will be.
                    await asyncio.sleep(1.0)
                    continue
                address = str(peer[0])
                if not self._connections.begin(address):
                    accepted.close()
                    continue
                greeting = loop.create_task(self._greet(accepted, address))
                self._greetings.add(greeting)
                greeting.add_done_callback(self._greetings.discard)

    async def _greet(self, accepted: socket.socket, address: str) -> None:
        transport = None
        try:
            transport, _ = await asyncio.get_running_loop().connect_accepted_socket(
                self._protocol, accepted, ssl=self._tls, ssl_handshake_timeout=HANDSHAKE_S
            )
        except (OSError, ssl.SSLError):
            accepted.close()
        finally:
            self._connections.end(address, transport)


def limited(protocol: Any, connections: Connections, counts: bool, spares_own: bool = False) -> Any:
    """Return a uvicorn protocol that closes idle connections, and with `counts` enforces the limits.

    With `spares_own`, connections from this machine are left alone.
    """

    class Limited(protocol):  # type: ignore[misc]
        _looks = 0

        def connection_made(self, transport: asyncio.Transport) -> None:
            super().connection_made(transport)
            if spares_own and is_this_machine(_address(transport)):
                return
            if not counts or connections.admit(transport):
                self._look_again()
            else:
                transport.abort()

        def _look_again(self) -> None:
            self.loop.call_later(LOOK_S, self._look)

        def _look(self) -> None:
            if self.transport.is_closing() or self.transport.get_protocol() is not self:
                return
            waits = self.cycle is None or self.cycle.response_complete
            self._looks = self._looks + 1 if waits else 0
            if self._looks >= IDLE_LOOKS:
                self.transport.close()
            else:
                self._look_again()

    return Limited
