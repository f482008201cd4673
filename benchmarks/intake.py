"""Events in through the API, one by one and some together, with forty windows that take them; nothing may be lost."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import httpx
import psutil

from benchmarks.processes import answered, ended, free_port, started
from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.forms.form import fill
from tesoura.settings import wall_clock
from tesoura.store import computed, keys
from tesoura.store.store import open_store

RATE, SECONDS, FLOOR_SECONDS, CONNECTIONS, WINDOWS = 1_000, 60.0, 15.0, 32, 40
TOGETHER = 5
"""How many events a post carries where they come together, as from a game that tells of a round."""
SPANS = ("session", "today", "month", "all", "minutes")


def _fill(session: Any) -> str:
    for number in range(WINDOWS):
        typed = {
            "types": [f"kind{number}"],
            "amount": "amount",
            "by": "name",
            "over": SPANS[number % len(SPANS)],
            "length": "10",
            "stats": ["count", "sum", "latest", "largest", "top"],
            "top": "5",
        }
        choices = fill(COMPUTED["window"].fields, typed).choices
        computed.keep(session, None, "window", f"w{number}", choices, wall_clock())
    return keys.new_key(session, "bench", wall_clock())


def _posted(port: int, key: str, seconds: float, process: subprocess.Popen[bytes], together: int = 1) -> dict[str, Any]:
    cpu = psutil.Process(process.pid)
    before, machine = sum(cpu.cpu_times()[:2]), psutil.cpu_times()
    words = [str(port), key, str(RATE), str(seconds), str(CONNECTIONS), str(together)]
    said = subprocess.run(
        [sys.executable, "-m", "benchmarks.poster", *words], stdout=subprocess.PIPE, check=True, timeout=seconds * 5
    ).stdout
    spent = sum(cpu.cpu_times()[:2]) - before
    return {
        **json.loads(said),
        "cpu_us_an_event": round(spent / (RATE * seconds) * 1e6),
        "stolen_share": _stolen(machine, psutil.cpu_times()),
    }


def _stolen(before: Any, after: Any) -> float:
    """What share of the time this machine wanted its host gave to others meanwhile."""
    wanted = (sum(after) - after.idle) - (sum(before) - before.idle)
    return float(round((getattr(after, "steal", 0.0) - getattr(before, "steal", 0.0)) / wanted, 2))


def _floor() -> dict[str, Any]:
    port = free_port()
    bare = subprocess.Popen([sys.executable, "-m", "benchmarks.bare_intake", str(port)])
    with ended(bare) as process:
        answered(port, "/")
        return _posted(port, "x", FLOOR_SECONDS, process)


def _taken_in(together: int) -> dict[str, Any]:
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder))
        key = store.write(_fill)
        store.close()
        port = free_port()
        with ended(started(folder, port)) as process:
            figures = _posted(port, key, SECONDS, process, together)
            headers = {"Authorization": f"Bearer {key}"}
            signals = httpx.get(f"http://127.0.0.1:{port}/api/signals", headers=headers, trust_env=False).json()
            counts = {f"w{number}.count" for number in range(WINDOWS)}
            counted = sum(one["value"] for one in signals if one["name"] in counts)
    return {**figures, "lost": figures["posted"] - counted}


def measure() -> dict[str, Any]:
    """Acceptance from when each event was due until it is on disk and answered; and how many arrived."""
    alone, floor = _taken_in(1), _floor()
    return {
        "goal_per_s": RATE,
        "windows": WINDOWS,
        "one_by_one": alone,
        f"{TOGETHER}_together": _taken_in(TOGETHER),
        "floor_bare_server": floor,
        "ratio_cpu_to_floor": round(alone["cpu_us_an_event"] / floor["cpu_us_an_event"], 1),
    }
