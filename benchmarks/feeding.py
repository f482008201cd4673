"""Fifty feeds asked once a second: how late the loop is meanwhile, and what it costs. The floor has no feeds."""

from __future__ import annotations

import asyncio
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import psutil

from benchmarks.processes import answered, ended, free_port
from tesoura.app import Server, create_app, listen
from tesoura.runtime.facade import Runtime
from tesoura.settings import Settings, wall_clock
from tesoura.store import feeds
from tesoura.store.store import Store, open_store
from tesoura.store.tables import SignalRow
from tesoura.web.shared.doors import EXTENSION

FEEDS, SECONDS, PROBE_S = 50, 30.0, 0.005
NAMES = ("mara_vane", "otto_knot", "pip_gale", "june_spool", "wren_bobbin")


def _fill(store: Store, port: int, count: int) -> None:
    def job(session: Any) -> None:
        for number in range(count):
            address = f"http://127.0.0.1:{port}/channels/{NAMES[number % len(NAMES)]}"
            choices = {"address": address, "form": "json", "key_in": "none", "period_s": 1.0}
            row = feeds.add_feed(session, f"f{number}", f"Feed {number}", "http", choices, wall_clock())
            session.add(SignalRow(name=f"f{number}.members", feed_id=row.id or 0, path="channel.members"))

    store.write(job)


async def _late(_: Runtime) -> list[float]:
    """How many seconds late the loop woke up, again and again."""
    late = []
    end = time.perf_counter() + SECONDS
    while time.perf_counter() < end:
        due = time.perf_counter() + PROBE_S
        await asyncio.sleep(PROBE_S)
        late.append(time.perf_counter() - due)
    return late


@contextmanager
def _inside(count: int, port: int) -> Any:
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder))
        _fill(store, port, count)
        own = listen("127.0.0.1", 0)
        app = create_app(Settings(Path(folder), port=own.getsockname()[1]), store)
        ready = threading.Event()
        server = Server(app, ready.set)
        thread = threading.Thread(target=server.run, kwargs={"sockets": [own]}, daemon=True)
        thread.start()
        ready.wait(20)
        pages: Any = app.routes[-1].app.app.wsgi_app.__self__  # type: ignore[attr-defined]
        runtime: Runtime = pages.extensions[EXTENSION].runtime
        yield runtime
        server.should_exit = True
        thread.join(15)
        own.close()
        store.close()


def _measured(count: int, port: int) -> dict[str, float]:
    with _inside(count, port) as runtime:
        time.sleep(3)
        process = psutil.Process()
        before = sum(process.cpu_times()[:2])
        late = sorted(asyncio.run_coroutine_threadsafe(_late(runtime), runtime._loop).result(SECONDS * 2))
        spent = sum(process.cpu_times()[:2]) - before
        live = sum(report.state.freshness.value == "live" for report in runtime.call(lambda s: s.feeds.reports()))
    return {
        "live_feeds": live,
        "loop_delay_p50_ms": round(late[len(late) // 2] * 1000, 2),
        "loop_delay_p99_ms": round(late[int(len(late) * 0.99)] * 1000, 2),
        "loop_delay_max_ms": round(late[-1] * 1000, 2),
        "cpu_share_of_one_core": round(spent / SECONDS, 3),
    }


def measure() -> dict[str, Any]:
    """The loop's delay and the CPU's share, with fifty feeds and with none."""
    port = free_port()
    process = subprocess.Popen(
        [sys.executable, "-m", "tesoura.standins", "members", "--port", str(port)], stdout=subprocess.DEVNULL
    )
    with ended(process):
        answered(port, "/channels/mara_vane")
        none, fifty = _measured(0, port), _measured(FEEDS, port)
    return {"feeds": FEEDS, "goal_loop_delay_p99_ms": 20, **fifty, "floor_without_feeds": none}
