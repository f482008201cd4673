"""A server on a loop in a thread of its own, opened and closed from any other."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable, Iterable
from typing import Any


class LoopedServer:
    """One port on loopback. Who serves is `_serve`; who is connected, `_writers`."""

    def __init__(self, port: int = 0) -> None:
        self.port = port
        self._loop: asyncio.AbstractEventLoop | None = None
        self._ready = threading.Event()
        self._server: asyncio.Server | None = None
        self._thread: threading.Thread | None = None

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        raise NotImplementedError

    def _writers(self) -> Iterable[asyncio.StreamWriter]:
        raise NotImplementedError

    def start(self) -> None:
        """Open it."""
        self._ready.clear()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()
        self._ready.wait(5)

    def stop(self) -> None:
        """Close it; everybody is cut off."""
        if self._loop is not None and self._loop.is_running() and self._thread is not None:
            asyncio.run_coroutine_threadsafe(self._close(), self._loop).result(5)
            self._loop.call_soon_threadsafe(self._loop.stop)
            self._thread.join(5)

    def drop(self) -> None:
        """Cut everybody off."""
        self._soon(self._cut_off)

    def _cut_off(self) -> None:
        for writer in list(self._writers()):
            writer.close()

    def _soon(self, job: Callable[..., Any], *given: Any) -> None:
        if self._loop is not None:
            self._loop.call_soon_threadsafe(job, *given)

    def _run(self) -> None:
        loop = self._loop = asyncio.new_event_loop()
        asyncio.set_event_loop(loop)
        self._server = loop.run_until_complete(asyncio.start_server(self._serve, "127.0.0.1", self.port))
        self.port = self._server.sockets[0].getsockname()[1]
        self._ready.set()
        loop.run_forever()
        loop.run_until_complete(loop.shutdown_asyncgens())
        loop.close()

    async def _close(self) -> None:
        assert self._server is not None
        self._server.close()
        self._cut_off()
        others = [task for task in asyncio.all_tasks() if task is not asyncio.current_task()]
        for task in others:
            task.cancel()
        await asyncio.gather(*others, return_exceptions=True)
