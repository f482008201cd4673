"""The servers that are measured, each as a process of its own, and the many idle pages."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path

import httpx
import psutil
from sqlmodel import Session

from tesoura.app import listen
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.settings import wall_clock
from tesoura.store import keys, overlays
from tesoura.store.store import open_store


@dataclass(frozen=True, slots=True)
class Served:
    """A running server: where, its process, and for Tesoura the overlay's token and a key."""

    port: int
    process: subprocess.Popen[bytes]
    token: str = ""
    key: str = ""
    seconds_to_answer: float = 0.0

    @property
    def memory_mb(self) -> float:
        """Resident memory."""
        return float(psutil.Process(self.process.pid).memory_info().rss / 1e6)


def free_port() -> int:
    """A port that nobody listens on."""
    with closing(listen("127.0.0.1", 0)) as taken:
        port: int = taken.getsockname()[1]
        return port


def answered(port: int, path: str) -> None:
    """Wait until somebody answers there."""
    for _ in range(1000):
        try:
            if httpx.get(f"http://127.0.0.1:{port}{path}", trust_env=False).status_code != 503:
                return
        except httpx.HTTPError:
            pass
        time.sleep(0.01)
    raise RuntimeError(f"nothing answers on port {port}")


def started(folder: str, port: int) -> subprocess.Popen[bytes]:
    """Tesoura on a data folder, once it answers."""
    process = subprocess.Popen(
        [sys.executable, "-m", "tesoura", "serve", "--port", str(port), "--data", folder],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    answered(port, "/healthz")
    return process


@contextmanager
def ended(process: subprocess.Popen[bytes]) -> Iterator[subprocess.Popen[bytes]]:
    """End the process afterwards."""
    try:
        yield process
    finally:
        process.terminate()
        process.wait(10)


@contextmanager
def tesoura(
    overlay: Overlay | None = None, prepare: Callable[[Session], None] = lambda session: None
) -> Iterator[Served]:
    """Tesoura with one overlay on air; without one given, a text that is the last event's number."""
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder))
        shown = overlay or Overlay(pieces=(new_piece("text", "n", wording="{kill.n}", nothing_yet="-1"),))

        def fill(session: object) -> tuple[str, str]:
            row = overlays.new_overlay(session, "Bench", shown, wall_clock())  # type: ignore[arg-type]
            overlays.publish(session, row, wall_clock())  # type: ignore[arg-type]
            prepare(session)  # type: ignore[arg-type]
            return row.token, keys.new_key(session, "bench", wall_clock())  # type: ignore[arg-type]

        token, key = store.write(fill)
        store.close()
        port = free_port()
        began = time.perf_counter()
        process = subprocess.Popen(
            [sys.executable, "-m", "tesoura", "serve", "--port", str(port), "--data", folder],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        with ended(process):
            answered(port, "/")
            yield Served(port, process, token, key, time.perf_counter() - began)


@contextmanager
def floor() -> Iterator[Served]:
    """The bare broadcast server."""
    port = free_port()
    process = subprocess.Popen([sys.executable, "-m", "benchmarks.floor", str(port)])
    with ended(process):
        answered(port, "/")
        yield Served(port, process)


@contextmanager
def idle_pages(port: int, path: str, count: int) -> Iterator[None]:
    """So many connections that take what they are sent and show nothing."""
    if count <= 0:
        yield
        return
    process = subprocess.Popen(
        [sys.executable, "-m", "benchmarks.sink", str(port), path, str(count)], stdout=subprocess.PIPE
    )
    with ended(process):
        assert process.stdout
        process.stdout.readline()
        yield
        process.stdout.close()
