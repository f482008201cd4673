"""Runs a stand-in's application on a port of this machine, in a thread of its own."""

from __future__ import annotations

import asyncio
import contextlib
import socket
import threading
import time

import uvicorn
from starlette.applications import Starlette
from websockets.exceptions import InvalidState


class _Server(uvicorn.Server):
    """uvicorn, ended at once when it is told to."""

    _told: asyncio.Event
    _loop: asyncio.AbstractEventLoop

    async def main_loop(self) -> None:
        """Run until it is ended."""
        self._told, self._loop = asyncio.Event(), asyncio.get_running_loop()
        await self.on_tick(0)
        if not self.should_exit:
            await self._told.wait()

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        """Close everything at once: nobody is owed a last answer by a service that goes away."""
        for listening in (*self.servers, *(sockets or ())):
            listening.close()
        for connection in list(self.server_state.connections):
            with contextlib.suppress(InvalidState):
                # Unless it is closing already.
                connection.shutdown()
        await asyncio.sleep(0.005)
        for task in self.server_state.tasks:
            task.cancel()

    def end(self) -> None:
        """End, from any thread."""
        self.should_exit = self.force_exit = True
        with contextlib.suppress(AttributeError, RuntimeError):
            # Unless it has not begun, or is over.
            self._loop.call_soon_threadsafe(self._told.set)


class Host:
    """One port on loopback. It can be closed and opened again, as a service that crashed and came back."""

    def __init__(self, app: Starlette, port: int = 0, sockets: bool = False) -> None:
        self._app, self._ws = app, "websockets-sansio" if sockets else "none"
        self.port = port
        self._server: _Server | None = None
        self._thread: threading.Thread | None = None

    @property
    def address(self) -> str:
        """Where it answers."""
        return f"http://127.0.0.1:{self.port}"

    def open(self) -> None:
        """Answer from now on. Raises OSError when the port is taken."""
        listening = socket.socket()
        listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listening.bind(("127.0.0.1", self.port))
        except OSError:
            listening.close()
            raise
        self.port = listening.getsockname()[1]
        config = uvicorn.Config(
            self._app, log_level="critical", access_log=False, lifespan="off", timeout_graceful_shutdown=0, ws=self._ws
        )
        server = self._server = _Server(config)
        self._thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]}, daemon=True)
        self._thread.start()
        while not server.started and self._thread.is_alive():
            time.sleep(0.01)

    def end(self) -> None:
        """Begin to close, without waiting for it."""
        if self._server:
            self._server.end()

    def close(self) -> None:
        """Answer nobody any more."""
        self.end()
        if self._thread:
            self._thread.join(timeout=5)
        self._server = self._thread = None
