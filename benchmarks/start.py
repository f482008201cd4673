"""Start, memory, and what the overlay's page weighs."""

from __future__ import annotations

import gzip
import subprocess
import sys
import time
from statistics import median
from typing import Any

import httpx

from benchmarks.processes import idle_pages, tesoura
from tesoura.settings import PAGE_PARTS, STATIC

RUNS = 5


def _bare_start_s() -> float:
    """The floor: Python, the same web packages imported, and nothing else."""
    began = time.perf_counter()
    code = "import flask, starlette.applications, uvicorn, a2wsgi, sqlmodel, alembic.command, httpx, babel, pydantic"
    subprocess.run([sys.executable, "-c", code], check=True)
    return time.perf_counter() - began


def _page_bytes(page: bytes) -> dict[str, int]:
    parts = {"page": page}
    parts |= {name: (STATIC / name).read_bytes() for name in PAGE_PARTS}
    return {name: len(gzip.compress(part)) for name, part in parts.items()}


def measure() -> dict[str, Any]:
    """Seconds from the command to the first page answered, resident memory, and compressed bytes."""
    seconds, floors = [], []
    for _ in range(RUNS):
        with tesoura() as served:
            seconds.append(served.seconds_to_answer)
        floors.append(_bare_start_s())
    with tesoura() as served:
        idle_mb = served.memory_mb
        with idle_pages(served.port, f"/live/{served.token}", 300):
            crowded_mb = served.memory_mb
        page = httpx.get(f"http://127.0.0.1:{served.port}/o/{served.token}", trust_env=False).content
    sizes = _page_bytes(page)
    return {
        "seconds_to_first_page": round(median(seconds), 2),
        "goal_seconds": 2.0,
        "floor_seconds_python_with_the_same_packages": round(median(floors), 2),
        "ratio_to_floor": round(median(seconds) / median(floors), 2),
        "memory_idle_mb": round(idle_mb, 1),
        "memory_with_300_connections_mb": round(crowded_mb, 1),
        "overlay_page_bytes_compressed": sum(sizes.values()),
        "goal_overlay_page_bytes": 60_000,
        "overlay_page_parts": sizes,
    }
