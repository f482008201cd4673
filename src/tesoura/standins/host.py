"""Runs a stand-in's application on a port of this machine, in a thread of its own."""

from __future__ import annotations

import socket
import threading
import time

import uvicorn
from starlette.applications import Starlette


class Host:
    """One port on loopback. It can be closed and opened again, as a service that crashed and came back."""

    def __init__(self, app: Starlette, port: int = 0, sockets: bool = False) -> None:
        self._app, self._ws = app, "websockets-sansio" if sockets else "none"
        self.port = port
        self._server: uvicorn.Server | None = None
        self._thread: threading.Thread | None = None

    @property
    def address(self) -> str:
        """Where it answers."""
        return f"http://127.0.0.1:{self.port}"

    def open(self) -> None:
        """Answer from now on. Raises OSError when the port is taken."""
        listening = socket.socket()
        listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        listening.bind(("127.0.0.1", self.port))
        self.port = listening.getsockname()[1]
        config = uvicorn.Config(
            self._app, log_level="critical", access_log=False, lifespan="off", timeout_graceful_shutdown=0, ws=self._ws
        )
        server = self._server = uvicorn.Server(config)
        self._thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]}, daemon=True)
        self._thread.start()
        while not server.started and self._thread.is_alive():
            time.sleep(0.01)

    def close(self) -> None:
        """Answer nobody any more."""
        if self._server and self._thread:
            self._server.should_exit = True
            self._server.force_exit = True
            self._thread.join(timeout=5)
        self._server = self._thread = None
