"""From a posted event to the changed text in a page's DOM, against a bare broadcast server and the same page."""

from __future__ import annotations

import http.client
import json
import shutil
import time
from collections.abc import Callable
from contextlib import closing
from itertools import chain
from statistics import median, quantiles
from typing import Any

from playwright.sync_api import Browser, sync_playwright
from websockets.sync.client import connect

from benchmarks.processes import Served, floor, idle_pages, tesoura

SAMPLES = 200
GAP_S = 0.03
ROUNDS = 3
CONNECTIONS = (1, 50, 300)

_WATCH = """() => {
  window.seen = {};
  const note = () => {
    const text = document.querySelector(".piece").textContent;
    window.seen[text] ??= performance.timeOrigin + performance.now();
  };
  new MutationObserver(note).observe(document.body, {subtree: true, childList: true, characterData: true});
}"""


def latencies(browser: Browser, address: str, post: Callable[[int], float | None], first: int) -> list[float]:
    """Milliseconds from each of a line of posts until the page says its number.

    A post may give when it was, in milliseconds since 1970; else it counts from before it.
    """
    page = browser.new_page()
    page.goto(address)
    page.evaluate(_WATCH)
    post(first - 1)
    page.wait_for_function("text => window.seen[text]", arg=str(first - 1))
    sent = {}
    for number in range(first, first + SAMPLES):
        sent[number] = time.time() * 1000
        sent[number] = post(number) or sent[number]
        time.sleep(max(GAP_S - (time.time() - sent[number] / 1000), 0.001))
    page.wait_for_function("text => window.seen[text]", arg=str(first + SAMPLES - 1))
    seen = page.evaluate("window.seen")
    page.close()
    return [seen[str(number)] - at for number, at in sent.items() if str(number) in seen]


def of_tesoura(browser: Browser, served: Served, connections: int, first: int, kind: str = "kill") -> list[float]:
    """From a posted event of a type to its number on the overlay."""
    # The standard library's client, because a richer one would add its own milliseconds to ours alone.
    client = http.client.HTTPConnection("127.0.0.1", served.port)
    headers = {"Authorization": f"Bearer {served.key}", "Content-Type": "application/json"}

    def post(number: int) -> None:
        client.request("POST", "/api/events", json.dumps({"type": kind, "data": {"n": number}}), headers)
        answer = client.getresponse()
        answer.read()
        assert answer.status == 202

    with closing(client), idle_pages(served.port, f"/live/{served.token}", connections - 1):
        return latencies(browser, f"http://127.0.0.1:{served.port}/o/{served.token}", post, first)


def of_floor(browser: Browser, served: Served, connections: int, first: int) -> list[float]:
    """From a message to the bare server to its number on the page."""
    with idle_pages(served.port, "/live", connections - 1), connect(f"ws://127.0.0.1:{served.port}/live") as producer:

        def post(number: int) -> None:
            producer.send(json.dumps({"kind": "patch", "seq": number, "values": {"n": str(number)}}))
            producer.recv()

        return latencies(browser, f"http://127.0.0.1:{served.port}/", post, first)


def p95(values: list[float]) -> float:
    """What nineteen of twenty stay below."""
    return quantiles(values, n=20)[-1]


def measure() -> dict[str, Any]:
    """p50 and p95 in milliseconds for each number of connections, ours and the floor in turn."""
    figures: dict[str, Any] = {"samples": SAMPLES * ROUNDS, "goal_p95_ratio_at_300": 1.5}
    chromium = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
    with sync_playwright() as playwright, tesoura() as ours, floor() as bare:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        first = 1
        for connections in CONNECTIONS:
            mine: list[list[float]] = []
            floors: list[list[float]] = []
            for _ in range(ROUNDS):
                mine.append(of_tesoura(browser, ours, connections, first))
                floors.append(of_floor(browser, bare, connections, first))
                first += SAMPLES + 10
            all_mine, all_floors = [*chain(*mine)], [*chain(*floors)]
            figures[f"connections_{connections}"] = {
                "p50_ms": round(median(all_mine), 2),
                "p95_ms": round(p95(all_mine), 2),
                "floor_p50_ms": round(median(all_floors), 2),
                "floor_p95_ms": round(p95(all_floors), 2),
                "ratio_p50": round(median(all_mine) / median(all_floors), 2),
                "ratio_p95": round(p95(all_mine) / p95(all_floors), 2),
                "ratios_p95_by_round": [round(p95(a) / p95(b), 2) for a, b in zip(mine, floors, strict=True)],
            }
        browser.close()
    return figures
