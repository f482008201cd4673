"""A service that tells by itself: a WebSocket that wants a subscription, and a stream of server-sent events."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator

from starlette.applications import Starlette
from starlette.datastructures import Headers
from starlette.requests import Request
from starlette.responses import JSONResponse, Response, StreamingResponse
from starlette.routing import Route, WebSocketRoute
from starlette.websockets import WebSocket, WebSocketDisconnect

from tesoura.standins.host import Host

KEY = "paper-kite-4711"
KEPT = 200


class StreamService:
    """Tells each message to all that are connected. `silent` ones are told nothing, `keyed` wants the header X-Key."""

    def __init__(self, port: int = 0) -> None:
        self._host = Host(
            Starlette(
                routes=[
                    WebSocketRoute("/socket", self._socket),
                    Route("/events", self._events),
                    Route("/admin/tell", self._admin_tell, methods=["POST"]),
                    Route("/admin/drop", self._admin_drop, methods=["POST"]),
                ]
            ),
            port,
            sockets=True,
        )
        self._queues: set[asyncio.Queue[tuple[int, str, str] | None]] = set()
        self._kept: list[tuple[int, str, str]] = []
        self._number = 0
        self._loop: asyncio.AbstractEventLoop | None = None
        self.keyed = False
        self.subscribed: list[str] = []
        self.resumed_from: list[str] = []

    @property
    def address(self) -> str:
        """Where it answers over HTTP."""
        return self._host.address

    @property
    def socket_address(self) -> str:
        """Where the WebSocket is."""
        return self._host.address.replace("http", "ws", 1) + "/socket"

    def start(self) -> None:
        """Open it."""
        self._host.open()

    def stop(self) -> None:
        """Close it; everybody is cut off."""
        self._host.close()
        self._queues.clear()

    @property
    def listeners(self) -> int:
        """How many are connected."""
        return len(self._queues)

    def tell(self, name: str, data: object) -> int:
        """Tell all that are connected, and keep it for those who come back; its number."""
        self._number += 1
        one = (self._number, name, data if isinstance(data, str) else json.dumps(data))
        self._kept = [*self._kept, one][-KEPT:]
        self._put(one)
        return self._number

    def drop(self) -> None:
        """Cut everybody off."""
        self._put(None)

    def _put(self, one: tuple[int, str, str] | None) -> None:
        if self._loop is not None:
            for queue in list(self._queues):
                self._loop.call_soon_threadsafe(queue.put_nowait, one)

    def _joined(self) -> asyncio.Queue[tuple[int, str, str] | None]:
        self._loop = asyncio.get_running_loop()
        queue: asyncio.Queue[tuple[int, str, str] | None] = asyncio.Queue()
        self._queues.add(queue)
        return queue

    def _refused(self, headers: Headers) -> bool:
        return self.keyed and headers.get("x-key") != KEY

    async def _socket(self, socket: WebSocket) -> None:
        if self._refused(socket.headers):
            await socket.close(4401)
            return
        await socket.accept()
        queue = self._joined()
        hearing = asyncio.ensure_future(self._hear(socket))
        try:
            while one := await queue.get():
                await socket.send_text(one[2])
            await socket.close(1012, "restarting")
        except (WebSocketDisconnect, RuntimeError):
            pass
        finally:
            hearing.cancel()
            self._queues.discard(queue)

    async def _hear(self, socket: WebSocket) -> None:
        try:
            while True:
                self.subscribed.append(await socket.receive_text())
        except (WebSocketDisconnect, RuntimeError):
            return

    async def _events(self, request: Request) -> Response:
        if self._refused(request.headers):
            return JSONResponse({"error": "A key is needed: header X-Key"}, 401)
        last = request.headers.get("last-event-id", "")
        if last:
            self.resumed_from.append(last)
        return StreamingResponse(self._stream(last), media_type="text/event-stream")

    async def _stream(self, last: str) -> AsyncIterator[str]:
        queue = self._joined()
        try:
            yield ": hello\n\n"
            for one in self._kept if last.isdecimal() else ():
                if one[0] > int(last):
                    yield _frame(one)
            while True:
                try:
                    one_more = await asyncio.wait_for(queue.get(), 2.0)
                except TimeoutError:
                    yield ": still here\n\n"
                    continue
                if one_more is None:
                    return
                yield _frame(one_more)
        finally:
            self._queues.discard(queue)

    async def _admin_tell(self, request: Request) -> Response:
        wish = await request.json()
        return JSONResponse({"number": self.tell(str(wish.get("name", "message")), wish.get("data", {}))})

    async def _admin_drop(self, _: Request) -> Response:
        self.drop()
        return JSONResponse({"dropped": True})


def _frame(one: tuple[int, str, str]) -> str:
    number, name, data = one
    return f"id: {number}\nevent: {name}\ndata: {data}\n\n"
