"""Whether other machines are let in: a second door beside this machine's own, opened and closed while it runs."""

from __future__ import annotations

import asyncio
import contextlib
import hashlib
import hmac
import json
import logging
import secrets
import socket
import ssl
from collections.abc import Awaitable, Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Protocol

from sqlmodel import Session

from tesoura.errors import PortInUse, TesouraError
from tesoura.outputs.connections import MOST, SHARE, Connections, allow_files
from tesoura.runtime import certificate
from tesoura.settings import Settings
from tesoura.store import state
from tesoura.store.store import Store

log = logging.getLogger(__name__)
KEPT = "listening"
MOST_PORTS = 20
_N, _R, _P = 2**14, 8, 1
"""What a password's hash costs: scrypt, some 50 ms and 16 MB."""


@dataclass(frozen=True, slots=True)
class OpenDoor:
    """The door that is open: its port, whether it speaks TLS, with which fingerprint, and the addresses it has."""

    port: int
    tls: bool
    fingerprint: str
    addresses: tuple[str, ...]
    id: str
    """Names the password it was opened with: who signed in with another one is a stranger again."""

    @property
    def urls(self) -> list[str]:
        """Where others open it."""
        return [f"http{'s' if self.tls else ''}://{_bracketed(one)}:{self.port}" for one in self.addresses]


class Opener(Protocol):
    """What opens a door."""

    async def open(self, listening: socket.socket, tls: ssl.SSLContext | None) -> Callable[[], Awaitable[None]]:
        """Serve what comes in there, too; what ends that."""
        ...


class Listening:
    """The door for others. One loop owns it."""

    def __init__(self, store: Store, settings: Settings, clock: Callable[[], datetime]) -> None:
        self._store, self._settings, self._clock = store, settings, clock
        self._kept = json.loads(store.read(lambda session: state.choice(session, KEPT)) or "{}")
        self._server: Opener | None = None
        self._close: Callable[[], Awaitable[None]] | None = None
        self.connections = Connections(min(MOST, int(SHARE * allow_files())))
        self.door: OpenDoor | None = None
        self.problem = ""

    async def served_by(self, server: Opener) -> None:
        """From now on doors can be opened; one that was open when Tesoura ended is opened again."""
        self._server = server
        if self._kept.get("on"):
            try:
                await self._open()
            except (TesouraError, OSError, ssl.SSLError) as error:
                self.problem = str(error)
                log.warning("Network access couldn't be turned on again: %s", error)

    async def switch_on(self, password: str, tls: bool) -> OpenDoor:
        """Let others in who know this password. Raises PortInUse."""
        await self.close()
        salt = secrets.token_bytes(16)
        hashed = await asyncio.to_thread(_hashed, password, salt)
        self._kept = {"on": True, "tls": tls, "salt": salt.hex(), "hash": hashed.hex(), "id": secrets.token_hex(8)}
        door = await self._open()
        await self._keep()
        return door

    async def switch_off(self) -> None:
        """Let nobody else in; who is in is put out."""
        self._kept = {}
        await self._keep()
        await self.close()

    async def close(self) -> None:
        """Close the door, and what came in by it."""
        self.door, close, self._close = None, self._close, None
        if close is not None:
            await close()

    async def _open(self) -> OpenDoor:
        if self._server is None:
            raise PortInUse("Tesoura is still starting. Try again in a moment.")
        addresses = await asyncio.to_thread(own_addresses)
        listening = _first_free(self._settings.port + 1)
        try:
            tls, fingerprint = None, ""
            if self._kept["tls"]:
                folder, now = self._store.folder, self._clock()
                tls, fingerprint = await asyncio.to_thread(certificate.context, folder, addresses, now)
            # By a task of its own: the door serves others than who opened it.
            self._close = await asyncio.create_task(self._server.open(listening, tls))
        except BaseException:
            listening.close()
            raise
        port = listening.getsockname()[1]
        self.problem = ""
        self.door = OpenDoor(port, tls is not None, fingerprint, tuple(addresses), str(self._kept["id"]))
        return self.door

    async def _keep(self) -> None:
        kept = json.dumps(self._kept)

        def job(session: Session) -> None:
            state.choose(session, KEPT, kept)

        await asyncio.wrap_future(self._store.writer.submit(job))

    def urls(self) -> list[str]:
        """Where others reach the open door now: this machine may have moved to another network. Asks the system."""
        return replace(self.door, addresses=tuple(own_addresses())).urls if self.door is not None else []

    def is_away(self, port: int | None) -> bool:
        """Whether what came in at this port came by the door for others."""
        return self.door is not None and port == self.door.port

    def knows(self, password: str) -> bool:
        """Whether this is the password of the door. Takes a while, by purpose."""
        salt, hashed = bytes.fromhex(self._kept.get("salt", "")), bytes.fromhex(self._kept.get("hash", ""))
        return bool(hashed) and hmac.compare_digest(_hashed(password, salt), hashed)


def _hashed(password: str, salt: bytes) -> bytes:
    return hashlib.scrypt(password.encode("utf-8", "replace"), salt=salt, n=_N, r=_R, p=_P)


def _first_free(port: int) -> socket.socket:
    for wished in range(port, min(port + MOST_PORTS, 65_536)):
        listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        if hasattr(socket, "SO_EXCLUSIVEADDRUSE"):
            listening.setsockopt(socket.SOL_SOCKET, socket.SO_EXCLUSIVEADDRUSE, 1)
        else:
            listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listening.bind(("0.0.0.0", wished))
            listening.listen(512)
        except OSError:
            listening.close()
            continue
        return listening
    raise PortInUse(f"None of the ports from {port} on is free. Close the program that uses them.")


def own_addresses() -> list[str]:
    """The addresses under which other machines may reach this one, the likeliest first."""
    found: list[str] = []
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asked, contextlib.suppress(OSError):
        # Nothing is sent: the system only says by which of its addresses it would.
        asked.connect(("192.0.2.1", 9))
        found.append(asked.getsockname()[0])
    with contextlib.suppress(OSError):
        found += [str(one[4][0]) for one in socket.getaddrinfo(socket.gethostname(), None, socket.AF_INET)]
    kept: Sequence[str] = [one for one in dict.fromkeys(found) if not one.startswith(("127.", "0."))]
    return list(kept)


def _bracketed(address: str) -> str:
    return f"[{address}]" if ":" in address else address
