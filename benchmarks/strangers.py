"""What a stranger can make Tesoura hold: the most memory and open files through each way in, without a password.

Each attack runs for some seconds against a server of its own, which lets other machines in by its door.
"""

from __future__ import annotations

import json
import multiprocessing
import os
import socket
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path
from typing import Any

import psutil
from websockets.exceptions import WebSocketException
from websockets.sync.client import connect

from benchmarks.processes import ended, free_port, started
from tesoura.runtime.listening import KEPT, _hashed
from tesoura.settings import wall_clock
from tesoura.standins.broker import Broker
from tesoura.store import feeds, state
from tesoura.store.store import open_store

SECONDS, AT_ONCE = 12.0, 1_500
GOAL_MB, GOAL_FILES_SHARE = 150, 0.5
"""What one attack may add to the memory; and which share of the files that the system allows."""
MEGABYTE = b"x" * 1_000_000
Attack = Callable[[int, threading.Event], None]
"""Does its worst at a port until it is told to stop."""


def _connections(port: int, stop: threading.Event, first: bytes = b"", again: bytes = b"") -> None:
    """Open as many connections as there may be, send each something, and go on sending it in drips."""
    with ExitStack() as ending:
        opened: list[socket.socket] = []
        for _ in range(AT_ONCE):
            if stop.is_set():
                return
            with suppress(OSError):
                one = ending.enter_context(socket.create_connection(("127.0.0.1", port), 5))
                one.setblocking(False)
                one.send(first)
                opened.append(one)
        while not stop.wait(0.05):
            for one in opened:
                with suppress(OSError):
                    one.send(again)


def idle(port: int, stop: threading.Event) -> None:
    """Connections that send nothing."""
    _connections(port, stop)


def half_heads(port: int, stop: threading.Event) -> None:
    """Heads of requests that never end."""
    _connections(port, stop, b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\n", b"X-Kite: " + b"k" * 200 + b"\r\n")


def hellos(port: int, stop: threading.Event) -> None:
    """TLS greetings that never end."""
    _connections(port, stop, bytes((22, 3, 1, 2, 0, 1, 0, 1, 252, 3, 3)))


def _posted(path: str, length: str, body: bytes) -> Attack:
    def post(port: int, stop: threading.Event) -> None:
        head = (
            f"POST {path} HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n{length}\r\n"
            "Content-Type: multipart/form-data; boundary=k\r\n\r\n"
        ).encode()

        def one() -> None:
            while not stop.is_set():
                with suppress(OSError), socket.create_connection(("127.0.0.1", port), 5) as wire:
                    wire.sendall(head)
                    while not stop.is_set():
                        wire.sendall(body)

        _many(one, 60)

    return post


def _many(one: Callable[[], None], count: int) -> None:
    threads = [threading.Thread(target=one, daemon=True) for _ in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(SECONDS + 10)


def _sockets(path: str, message: str) -> Attack:
    def talk(port: int, stop: threading.Event) -> None:
        def one() -> None:
            while not stop.is_set():
                with (
                    suppress(OSError, WebSocketException, EOFError, TimeoutError),
                    connect(f"ws://127.0.0.1:{port}{path}", proxy=None, open_timeout=3) as wire,
                ):
                    while not stop.is_set():
                        wire.send(message)

        _many(one, 40)

    return talk


def guesses(port: int, stop: threading.Event) -> None:
    """Wrong passwords as fast as they go."""
    import httpx

    def one() -> None:
        with httpx.Client(base_url=f"http://127.0.0.1:{port}", trust_env=False, timeout=5) as client:
            while not stop.is_set():
                with suppress(httpx.HTTPError, IndexError):
                    token = client.get("/sign-in").text.split('csrf_token" value="')[1].split('"')[0]
                    client.post("/sign-in", data={"csrf_token": token, "password": "k" * 50_000})

    _many(one, 20)


def _flood(port: int, going: Any) -> None:
    """A broker that publishes a message of 1 MB as often as it can."""
    broker = Broker(port)
    broker.start()
    while going.is_set():
        if broker.subscribers:
            broker.publish("cup/score", "x" * 990_000)
        time.sleep(0.005 if broker.subscribers else 0.05)
    broker.stop()


LONG_REQUEST = '{"jsonrpc": "2.0", "id": 1, "method": "' + "k" * 60_000 + '"}'
CHUNKED = "Transfer-Encoding: chunked"
CHUNK = b"f4240\r\n" + MEGABYTE + b"\r\n"
ATTACKS: dict[str, tuple[str, Attack]] = {
    "idle connections": ("open", idle),
    "heads that never end": ("open", half_heads),
    "TLS greetings that never end": ("tls", hellos),
    "bodies of 20 GB": ("open", _posted("/saves/files/look", "Content-Length: 20000000000", MEGABYTE)),
    "chunked bodies": ("open", _posted("/sign-in", CHUNKED, CHUNK)),
    "chunked events": ("open", _posted("/api/events", CHUNKED, CHUNK)),
    "chunked webhooks": ("open", _posted("/in/guess", CHUNKED, CHUNK)),
    "device messages": ("open", _sockets("/device-socket", LONG_REQUEST)),
    "overlay links that are none": ("open", _sockets("/live/guess", "k" * 60_000)),
    "scene links": ("open", _sockets("/scene-link/guess", "k" * 60_000)),
    "wrong passwords": ("open", guesses),
}


@contextmanager
def _server(tls: bool, broker_port: int = 0) -> Iterator[tuple[psutil.Process, int, int]]:
    """Tesoura with its door open; its process, its own port and the door's."""
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder))
        salt = os.urandom(16)
        kept = {"on": True, "tls": tls, "salt": salt.hex(), "hash": _hashed("kite-string-9", salt).hex(), "id": "k"}

        def prepare(session: Any) -> None:
            state.choose(session, KEPT, json.dumps(kept))
            if broker_port:
                choices = {"host": "127.0.0.1", "port": broker_port, "topic": "cup/#", "user": "", "tls": "no"}
                feeds.add_feed(session, "cup", "Cup", "mqtt", choices, wall_clock())

        store.write(prepare)
        store.close()
        port = free_port()
        with ended(started(folder, port)) as process:
            yield psutil.Process(process.pid), port, port + 1


def _peak(process: psutil.Process, until: float) -> tuple[float, int]:
    """The most memory, in MB, and open files of a process and those it started until an instant."""
    memory, files = 0.0, 0
    while time.monotonic() < until:
        with suppress(psutil.Error):
            every = [process, *process.children(recursive=True)]
            memory = max(memory, sum(one.memory_info().rss for one in every) / 1e6)
            files = max(files, process.num_fds())
        time.sleep(0.05)
    return memory, files


def _attacked(how: str, attack: Attack) -> dict[str, Any]:
    with _server(how == "tls") as (process, own, door):
        before, files_before = _peak(process, time.monotonic() + 1)
        stop, began = threading.Event(), time.monotonic()
        thread = threading.Thread(target=attack, args=(door, stop), daemon=True)
        thread.start()
        memory, files = _peak(process, began + SECONDS)
        answers = _answer_ms(own)
        stop.set()
        thread.join(20)
        return _told(before, memory, files_before, files, answers)


def _told(before: float, memory: float, files_before: int, files: int, answers: float) -> dict[str, Any]:
    return {
        "memory_mb": round(memory - before, 1),
        "goal_memory_mb": GOAL_MB,
        "files": files - files_before,
        "own_page_meanwhile_ms": round(answers, 1),
    }


def _answer_ms(port: int) -> float:
    """How long a page of this machine's own takes meanwhile."""
    import httpx

    began = time.perf_counter()
    httpx.get(f"http://127.0.0.1:{port}/healthz", trust_env=False, timeout=30)
    return (time.perf_counter() - began) * 1000


def _broker() -> dict[str, Any]:
    port = free_port()
    context = multiprocessing.get_context("spawn")
    going = context.Event()
    going.set()
    flood = context.Process(target=_flood, args=(port, going), daemon=True)
    with _server(False, port) as (process, own, _):
        before, files_before = _peak(process, time.monotonic() + 1)
        flood.start()
        memory, files = _peak(process, time.monotonic() + SECONDS + 3)
        answers = _answer_ms(own)
        going.clear()
        flood.join(10)
        flood.kill()
        return _told(before, memory, files_before, files, answers)


def measure() -> dict[str, Any]:
    """What each attack added, against the server before it; and what is allowed at all."""
    import resource

    found = {name: _attacked(how, attack) for name, (how, attack) in ATTACKS.items()}
    found["a broker's flood of 1 MB messages"] = _broker()
    allowed = resource.getrlimit(resource.RLIMIT_NOFILE)[0]
    return {**found, "files_allowed": allowed, "goal_files": int(allowed * GOAL_FILES_SHARE)}
