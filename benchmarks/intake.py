"""Events in through the API, one request each, with forty windows that take them; nothing may be lost."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import httpx
import psutil

from benchmarks.processes import ended, free_port, started
from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.forms import fill
from tesoura.settings import wall_clock
from tesoura.store import computed, keys
from tesoura.store.store import open_store

RATE, SECONDS, CONNECTIONS, WINDOWS = 1_000, 60.0, 32, 40
SPANS = ("session", "today", "month", "all", "minutes")


def _fill(session: Any) -> str:
    for number in range(WINDOWS):
        typed = {"types": [f"kind{number}"], "amount": "amount", "by": "name", "over": SPANS[number % len(SPANS)],
                 "length": "10", "stats": ["count", "sum", "latest", "largest", "top"], "top": "5"}  # fmt: skip
        choices = fill(COMPUTED["window"].fields, typed).choices
        computed.keep(session, None, "window", f"w{number}", choices, wall_clock())
    return keys.new_key(session, "bench", wall_clock())


def measure() -> dict[str, Any]:
    """Acceptance from when each event was due until it is on disk and answered; and how many arrived."""
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder))
        key = store.write(_fill)
        store.close()
        port = free_port()
        with ended(started(folder, port)) as process:
            cpu = psutil.Process(process.pid)
            before = sum(cpu.cpu_times()[:2])
            said = subprocess.run(
                [sys.executable, "-m", "benchmarks.poster", str(port), key, str(RATE), str(SECONDS), str(CONNECTIONS)],
                stdout=subprocess.PIPE, check=True, timeout=SECONDS * 5,
            ).stdout  # fmt: skip
            spent = sum(cpu.cpu_times()[:2]) - before
            figures = json.loads(said)
            headers = {"Authorization": f"Bearer {key}"}
            signals = httpx.get(f"http://127.0.0.1:{port}/api/signals", headers=headers, trust_env=False).json()
            counted = sum(
                one["value"] for one in signals if one["name"].startswith("w") and one["name"].endswith(".count")
            )
    return {**figures, "goal_per_s": RATE, "windows": WINDOWS, "counted_by_windows": counted,
            "lost": figures["posted"] - counted, "cpu_share_of_one_core": round(spent / SECONDS, 2)}  # fmt: skip
