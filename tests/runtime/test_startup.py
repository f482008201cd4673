"""A start that counts the log again: it answers at once with how far it is, and shows nothing before the end."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from tesoura.runtime import computations, replay
from tesoura.runtime.startup import StartProgress, StartStopped, Startup
from tesoura.store.database import FILE_NAME
from tests.conftest import Running
from tests.e2e.test_processes import process
from tests.runtime.test_clips import act


class Held:
    """Holds a start half way through the log, until it is released."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.reached, self.release = threading.Event(), threading.Event()
        feeding = replay.feed_together

        def held(session: Any, rebuilding: Any, until_seq: int, now: Any, progress: Any) -> None:
            progress(0)
            progress(until_seq // 2)
            self.reached.set()
            assert self.release.wait(20)
            progress(until_seq)
            feeding(session, rebuilding, until_seq, now, progress)

        monkeypatch.setattr(computations, "feed_together", held)


@pytest.fixture
def held(monkeypatch: pytest.MonkeyPatch) -> Iterator[Held]:
    made = Held(monkeypatch)
    yield made
    made.release.set()


def evening(running: Running) -> str:
    """A count of gifts on an overlay; the link's token."""
    act(
        running,
        "computed.new",
        kind="window",
        name="gifts",
        choices={"types": ["gift"], "over": "all", "stats": ["count"]},
    )
    for number in range(40):
        running.event(type="gift", data={"name": f"viewer {number}"})
    assert running.signal("gifts.count")["value"] == 40
    return running.add_overlay("{gifts.count} gifts")


def test_a_start_tells_how_far_it_is_and_shows_nothing_unfinished(running: Running, held: Held) -> None:
    held.release.set()
    token = evening(running)
    running.stop()
    held.release.clear()
    held.reached.clear()
    again = Running(running.folder, wait=False)
    try:
        assert held.reached.wait(20)
        page = again.client.get("/")
        assert (page.status_code, "Recounting the log, 50%, about 1 s left" in page.text) == (503, True)
        overlay = again.client.get(f"/o/{token}")
        assert (overlay.status_code, "gifts" in overlay.text, 'http-equiv="refresh"' in overlay.text) == (
            503,
            False,
            True,
        )
        answer = again.client.get("/api/signals/gifts.count", headers=again.auth)
        assert (answer.status_code, answer.headers["content-type"]) == (503, "application/problem+json")
        assert answer.json()["share"] == 0.5
        assert again.event(type="gift", data={}).status_code == 503
        assert again.client.get("/healthz").status_code == 503
        assert again.client.get("/static/css/tesoura.css").status_code == 200
        with (
            pytest.raises((ConnectionClosed, InvalidStatus)),
            connect(f"ws://127.0.0.1:{again.port}/live/{token}") as opened,
        ):
            opened.recv(5)
        held.release.set()
        again.await_ready()
        assert "40 gifts" in again.client.get(f"/o/{token}").text
        assert again.signal("gifts.count")["value"] == 40
    finally:
        held.release.set()
        again.stop()


def test_a_start_that_is_stopped_saves_nothing_half(running: Running, held: Held) -> None:
    held.release.set()
    evening(running)
    running.stop()
    with closing(sqlite3.connect(running.folder / FILE_NAME)) as base:
        before = base.execute("SELECT name, value FROM saved_signal ORDER BY name").fetchall()
    held.release.clear()
    held.reached.clear()
    again = Running(running.folder, wait=False)
    assert held.reached.wait(20)
    threading.Timer(0.2, held.release.set).start()
    again.stop()
    with closing(sqlite3.connect(running.folder / FILE_NAME)) as base:
        assert base.execute("SELECT name, value FROM saved_signal ORDER BY name").fetchall() == before
        assert base.execute("SELECT count(*) FROM event").fetchone() == (40 + 2,)
    last = Running(running.folder)
    assert last.signal("gifts.count")["value"] == 40
    last.stop()


@pytest.mark.parametrize("table", ["sqlite_autoindex_choice_1", "computed"])
def test_a_database_damaged_where_only_a_start_reads_it_ends_the_start_in_words(tmp_path: Path, table: str) -> None:
    made = Running(tmp_path / "data")
    evening(made)
    made.stop()
    path = tmp_path / "data" / FILE_NAME
    with closing(sqlite3.connect(path)) as base:
        base.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        (root,) = base.execute("SELECT rootpage FROM sqlite_master WHERE name = ?", (table,)).fetchone()
        (size,) = base.execute("PRAGMA page_size").fetchone()
    whole = bytearray(path.read_bytes())
    whole[(root - 1) * size : root * size] = b"\xff" * size
    path.write_bytes(bytes(whole))
    with process("serve", "--data", str(tmp_path / "data"), "--port", str(made.port)) as started:
        said, _ = started.communicate(timeout=60)
    assert (started.returncode, "is damaged and can't be read" in said, "Traceback" in said) == (1, True, False)


def test_progress_is_a_share_of_what_there_is_to_read_and_of_the_time_it_took() -> None:
    at = [100.0]
    startup = Startup(lambda: at[0])
    assert startup.progress == StartProgress()
    reached = startup.phase(1_000)
    reached(0)
    at[0] = 110.0
    reached(250)
    assert startup.progress == StartProgress(0.25, 30.0)
    assert startup.progress.text == "Recounting the log, 25%, about 30 s left"
    startup.stop()
    with pytest.raises(StartStopped):
        reached(500)
