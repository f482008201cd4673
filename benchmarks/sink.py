"""Many WebSocket connections that read and drop, with as little work of their own as can be."""

from __future__ import annotations

import asyncio
import sys


class Sink(asyncio.Protocol):
    """One connection: it shakes hands, answers pings, and drops everything else."""

    def __init__(self, path: str, port: int, opened: asyncio.Queue[None]) -> None:
        self._path, self._port, self._opened = path, port, opened
        self._shaken = False

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        """Shake hands."""
        assert isinstance(transport, asyncio.Transport)
        self._transport = transport
        transport.write(
            f"GET {self._path} HTTP/1.1\r\nHost: 127.0.0.1:{self._port}\r\n"
            "Upgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n"
            "Sec-WebSocket-Version: 13\r\n\r\n".encode()
        )

    def data_received(self, data: bytes) -> None:
        """Drop it, unless it is a ping by itself."""
        if not self._shaken:
            self._shaken = True
            self._opened.put_nowait(None)
        elif data[0] == 0x89 and len(data) == data[1] + 2:
            self._transport.write(b"\x8a" + bytes([0x80 | data[1]]) + b"\0\0\0\0" + data[2:])


async def main(port: int, path: str, count: int) -> None:
    """Open the connections, say so, and stay."""
    opened: asyncio.Queue[None] = asyncio.Queue()
    loop = asyncio.get_running_loop()
    for _ in range(count):
        await loop.create_connection(lambda: Sink(path, port, opened), "127.0.0.1", port)
        await opened.get()
    print("open", flush=True)
    await loop.create_future()


if __name__ == "__main__":
    asyncio.run(main(int(sys.argv[1]), sys.argv[2], int(sys.argv[3])))
