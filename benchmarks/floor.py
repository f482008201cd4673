"""The floor for the live link: a bare `websockets` server that broadcasts whatever it is sent."""

from __future__ import annotations

import asyncio
import contextlib
import sys
from http import HTTPStatus

from websockets.asyncio.server import ServerConnection, broadcast, serve
from websockets.exceptions import ConnectionClosed
from websockets.http11 import Request, Response

PAGE = """<!doctype html><div class="piece">-1</div><script>
const socket = new WebSocket(`ws://${location.host}/live`);
socket.onmessage = (event) => {
  const message = JSON.parse(event.data);
  if (message.values) document.querySelector(".piece").textContent = message.values.n;
};
</script>"""


async def main(port: int) -> None:
    """Serve until ended."""
    pages: set[ServerConnection] = set()

    async def handle(connection: ServerConnection) -> None:
        pages.add(connection)
        try:
            with contextlib.suppress(ConnectionClosed):
                async for message in connection:
                    broadcast(pages, message)
        finally:
            pages.discard(connection)

    def page(connection: ServerConnection, request: Request) -> Response | None:
        if request.path != "/":
            return None
        response = connection.respond(HTTPStatus.OK, PAGE)
        del response.headers["Content-Type"]
        response.headers["Content-Type"] = "text/html"
        return response

    async with serve(handle, "127.0.0.1", port, process_request=page, compression=None):
        await asyncio.get_running_loop().create_future()


if __name__ == "__main__":
    asyncio.run(main(int(sys.argv[1])))
