"""Nothing reads the whole log: every query of it is answered from an index, however long the log is."""

from __future__ import annotations

import re
import sqlite3
from collections import deque
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

import pytest
from sqlalchemy import Engine, event

from tesoura.store import log
from tests.conftest import Running, until
from tests.runtime.test_clips import act

OF_THE_LOG = re.compile(r"\b(?:FROM|JOIN|UPDATE) event\b")
PAGES = ("/", "/log/?type=kill", "/log/?words=tuck", "/log/?source=game", "/log/?type=kill&words=tuck&source=game")
DOWNLOAD = re.compile(r"/static/|/o/|csv|json|file|download|^/desk/stop")
NOON = datetime(2026, 11, 26, 12, 0, tzinfo=UTC)


@pytest.fixture
def asked() -> Iterator[dict[str, str]]:
    """Every query of the log that is made meanwhile, by its text without values."""
    found: dict[str, str] = {}

    def note(sql: str) -> None:
        if OF_THE_LOG.search(sql):
            found.setdefault(re.sub(r"'(?:[^']|'')*'|\b\d+\b", "?", sql), sql)

    def connected(connection: sqlite3.Connection, record: object) -> None:
        connection.set_trace_callback(note)

    event.listen(Engine, "connect", connected)
    yield found
    event.remove(Engine, "connect", connected)


def every_page(running: Running) -> None:
    """Open a page of every kind that links lead to."""
    waiting, shapes = deque(PAGES), set[str]()
    while waiting:
        page = waiting.popleft()
        text = running.client.get(page).text
        for raw in re.findall(r'href="(/[^"#]*)"', text):
            path = raw.replace("&amp;", "&")
            shape = re.sub(r"\d+|=[^&]*", "N", path)
            if shape not in shapes and not DOWNLOAD.search(path):
                shapes.add(shape)
                waiting.append(path)
    assert len(shapes) > 60


def scans(plan: list[str], sql: str) -> bool:
    """Whether a query reads more of the log the longer it is, though it's only asked for a part."""
    # What is built from the log reads its types in order; a list stops at its limit.
    whole = any(re.match(r"SCAN event\b", one) for one in plan) and "LIMIT" not in sql
    sorts = any("TEMP B-TREE FOR ORDER BY" in one for one in plan) and "ORDER BY +seq" not in sql
    return whole or sorts


def test_no_page_and_no_act_reads_the_whole_log(tmp_path: Path, asked: dict[str, str]) -> None:
    running = Running(tmp_path)
    act(running, "session.start")
    for kind in ("statistics", "scoreboard", "countdown", "map"):
        act(running, "instrument.new", kind=kind, choices={"title": kind})
    does = {"do_1": "set", "signal_1": "script.n", "value_of_1": "1"}
    act(running, "instrument.new", kind="cue", choices={"title": "Cheer", "when": "event", "event": "kill", **does})
    act(running, "computed.new", kind="window", name="kills", choices={"types": ["kill"], "over": "session"})
    for number in range(3):
        running.event(type="kill", source="game", data={"actor": "tuck", "number": number})
    act(running, "instrument.command", instrument="scoreboard", command="point", side="home")
    until(lambda: running.signal("kill.count_this_session")["value"] == 3)
    [kill] = running.store.read(lambda session: log.newest_before(session, "kill", 2**62, 1))
    act(running, "log.void", event=kill.seq)
    every_page(running)
    running.stop()
    again = Running(tmp_path)
    again.stop()
    assert len(asked) > 20
    with closing(sqlite3.connect(tmp_path / "tesoura.db")) as database:
        plans = {
            sql: [row[3] for row in database.execute(f"EXPLAIN QUERY PLAN {sql}")]
            for sql in asked.values()
            if sql.lstrip().startswith(("SELECT", "WITH"))
        }
    assert [(sql, plan) for sql, plan in plans.items() if scans(plan, sql)] == []
