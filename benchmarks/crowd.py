"""A chat whose crowd says so many lines a second: `python -m benchmarks.crowd 100`. It prints its port."""

from __future__ import annotations

import sys
import time

from tesoura.standins.chat import LINES, VIEWERS, ChatServer


def main(lines_a_second: int) -> None:
    """Go on until ended."""
    server = ChatServer(most=1_000)
    server.start()
    print(server.port, flush=True)
    number, began = 0, time.monotonic()
    while True:
        server.say(VIEWERS[number % len(VIEWERS)], LINES[number % len(LINES)])
        number += 1
        time.sleep(max(began + number / lines_a_second - time.monotonic(), 0))


if __name__ == "__main__":
    main(int(sys.argv[1]))
