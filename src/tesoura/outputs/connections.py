"""Limits on connections from other machines: total, per address, and time without a request."""

from __future__ import annotations

import asyncio
from collections import Counter
from typing import Any

MOST_OF_ONE, MOST = 128, 1_000
"""The most connections of one address, and of all; fewer where the system allows few files."""
SHARE = 0.5
"""This share of the files that the system allows is for other machines; the rest is kept for this one."""
LOOK_S, IDLE_LOOKS = 5.0, 3
"""A connection that was without a request at so many looks in a row, so far apart, is closed."""
NEAR = 0.8


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
    """Those that are open at the port for other machines. One loop owns it."""

    def __init__(self, most: int = MOST, most_of_one: int = MOST_OF_ONE) -> None:
        self.most, self._most_of_one = most, most_of_one
        self._open: dict[asyncio.Transport, str] = {}
        self._by_address: Counter[str] = Counter()
        self.refused = 0
        """How many were refused since the start."""

    @property
    def count(self) -> int:
        """How many are open."""
        self._forget_closed()
        return len(self._open)

    @property
    def is_nearly_full(self) -> bool:
        """Whether so many are open that further ones will soon be refused."""
        return self.count >= NEAR * self.most

    def admit(self, transport: asyncio.Transport) -> bool:
        """Whether one more may come in."""
        address = str((transport.get_extra_info("peername") or ("",))[0])
        if len(self._open) >= self.most or self._by_address[address] >= self._most_of_one:
            self._forget_closed()
        if len(self._open) >= self.most or self._by_address[address] >= self._most_of_one:
            self.refused += 1
            return False
        self._open[transport] = address
        self._by_address[address] += 1
        return True

    def _forget_closed(self) -> None:
        # After a WebSocket upgrade the protocol is another one, so check the transport.
        for transport in [one for one in self._open if one.is_closing()]:
            self._by_address[self._open.pop(transport)] -= 1


def limited(protocol: Any, connections: Connections) -> Any:
    """Return a uvicorn protocol that enforces the limits and closes idle connections."""

    class Limited(protocol):  # type: ignore[misc]
        _looks = 0

        def connection_made(self, transport: asyncio.Transport) -> None:
            super().connection_made(transport)
            if connections.admit(transport):
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
