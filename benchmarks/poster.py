"""Posts events at a steady rate over a few connections, and tells how long each took to be accepted.

A post is timed from when it was due, not from when it could be sent: a server that falls behind cannot hide it.
"""

from __future__ import annotations

import asyncio
import json
import sys
import time
from typing import Any

_Due = asyncio.Queue[tuple[float, int] | None]


def _event(number: int) -> dict[str, Any]:
    data = {"name": f"viewer_{number * 7919 % 5000}", "amount": number % 50}
    return {"type": f"kind{number % 40}", "id": str(number), "source": "poster", "data": data}


async def _connection(port: int, key: str, together: int, due: _Due, took: list[float]) -> int:
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    accepted = 0
    while (one := await due.get()) is not None:
        at, number = one
        events = [_event(number * together + nth) for nth in range(together)]
        body = json.dumps(events[0] if together == 1 else events).encode()
        writer.write(
            b"POST /api/events HTTP/1.1\r\nHost: 127.0.0.1:%d\r\nAuthorization: Bearer %s\r\n"
            b"Content-Type: application/json\r\nContent-Length: %d\r\n\r\n" % (port, key.encode(), len(body)) + body
        )
        head = await reader.readuntil(b"\r\n\r\n")
        length = int(head.lower().partition(b"content-length:")[2].split(b"\r\n", 1)[0])
        await reader.readexactly(length)
        took.append(time.perf_counter() - at)
        accepted += together * head.startswith(b"HTTP/1.1 202")
    writer.close()
    return accepted


async def main(port: int, key: str, rate: int, seconds: float, connections: int, together: int) -> None:
    """Post so many events a second, so many with each request; then print the figures as JSON."""
    due: _Due = asyncio.Queue()
    took: list[float] = []
    tasks = [asyncio.create_task(_connection(port, key, together, due, took)) for _ in range(connections)]
    total, began = round(rate * seconds / together), time.perf_counter() + 0.2
    for number in range(total):
        at = began + number * together / rate
        if (wait := at - time.perf_counter()) > 0:
            await asyncio.sleep(wait)
        due.put_nowait((at, number))
    for _ in tasks:
        due.put_nowait(None)
    accepted = sum(await asyncio.gather(*tasks))
    spent = time.perf_counter() - began
    took.sort()
    print(
        json.dumps(
            {
                "posted": total * together,
                "accepted": accepted,
                "per_s": round(total * together / spent),
                "p50_ms": round(took[len(took) // 2] * 1000, 1),
                "p99_ms": round(took[int(len(took) * 0.99)] * 1000, 1),
                "max_ms": round(took[-1] * 1000, 1),
            }
        )
    )


if __name__ == "__main__":
    port, rate, connections, together = (int(sys.argv[at]) for at in (1, 3, 5, 6))
    asyncio.run(main(port, sys.argv[2], rate, float(sys.argv[4]), connections, together))
