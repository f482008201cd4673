"""The way into the log, the scheduler, and text files: small machines of the runtime, each by itself."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlmodel import Session

from tesoura.core.values import Event
from tesoura.errors import DataFolderError
from tesoura.outputs import text_files
from tesoura.outputs.hub import Hub, Page
from tesoura.outputs.text_files import FileWriter
from tesoura.outputs.topics import Topics
from tesoura.runtime.journal import Journal, nothing_more
from tesoura.runtime.preferences import read_preferences, zone_names
from tesoura.runtime.scheduler import Scheduler
from tesoura.store import log, log_search, state
from tesoura.store.log import Logged
from tesoura.store.log_search import Search
from tesoura.store.store import Store, open_store
from tests.conftest import soon

SEVEN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)


async def steady() -> None:
    """The clock is not set."""


def event(number: int) -> Event:
    return Event(str(number), "x", "gift", SEVEN, {"n": number})


@pytest.fixture
def store(tmp_path: Path) -> Any:
    made = open_store(tmp_path)
    yield made
    made.close()


def journal(store: Store, told: list[Sequence[Logged]]) -> Journal:
    return Journal(store, lambda logged, now: told.append(logged), lambda: SEVEN, steady)


def test_what_comes_while_a_write_is_under_way_goes_together(store: Store) -> None:
    told: list[Sequence[Logged]] = []

    async def job() -> list[list[Logged]]:
        door = journal(store, told)
        return await asyncio.gather(*(door.put([event(n)], nothing_more, SEVEN) for n in range(40)))

    logged = asyncio.run(job())
    assert [one.event.id for entry in logged for one in entry] == [str(n) for n in range(40)]
    assert sum(len(batch) for batch in told) == 40
    assert len(told) < 10
    assert [one.seq for batch in told for one in batch] == list(range(1, 41))


def test_a_repeat_within_one_batch_counts_once(store: Store) -> None:
    async def job() -> list[list[Logged]]:
        door = journal(store, [])
        return await asyncio.gather(*(door.put([event(n % 3)], nothing_more, SEVEN) for n in range(9)))

    assert sum(len(entry) for entry in asyncio.run(job())) == 3
    assert store.read(log.last_seq) >= 3


def test_one_that_cannot_be_written_does_not_take_the_others_along(store: Store) -> None:
    def broken(session: Session) -> None:
        raise DataFolderError("no room")

    async def job() -> tuple[Any, Any, Any]:
        door = journal(store, [])
        return await asyncio.gather(
            door.put([event(1)], nothing_more, SEVEN),
            door.put([event(2)], broken, SEVEN),
            door.put([event(3)], nothing_more, SEVEN),
            return_exceptions=True,
        )

    one, two, three = asyncio.run(job())
    assert [entry[0].event.id for entry in (one, three)] == ["1", "3"]
    assert isinstance(two, DataFolderError)
    assert [one.event.id for one in store.read(lambda session: log.latest(session, 9))] == ["3", "1"]


def test_a_fault_in_what_follows_keeps_nobody_waiting(store: Store, caplog: pytest.LogCaptureFixture) -> None:
    def faulty(logged: Sequence[Logged], now: datetime) -> None:
        raise ZeroDivisionError

    async def job() -> list[Logged]:
        async with asyncio.timeout(5):
            return await Journal(store, faulty, lambda: SEVEN, steady).put([event(1)], nothing_more, SEVEN)

    assert len(asyncio.run(job())) == 1
    assert "What follows from events 1 to 1 failed" in caplog.text


def test_places_go_on_after_a_log_was_let_go(store: Store) -> None:
    store.write(lambda session: log.append(session, [event(n) for n in range(5)], SEVEN))
    until_seq = store.read(lambda session: log.prunable(session, SEVEN + timedelta(days=1)))
    assert until_seq == 4
    assert store.write(lambda session: log.prune(session, 4)) == 4
    [logged] = store.write(lambda session: log.append(session, [event(9)], SEVEN))
    assert logged.seq == 6
    found = store.read(lambda session: log_search.page(session, Search("gift"), None, 10))
    assert [one.seq for one in found] == [5]


# The scheduler


async def nobody(now: datetime, by_s: float) -> None:
    """The clock goes as it should."""


def test_the_alarm_rings_when_something_is_due_and_not_before() -> None:
    rang: list[float] = []

    async def job() -> None:
        loop = asyncio.get_running_loop()
        began, due = loop.time(), [SEVEN + timedelta(seconds=0.2)]

        def wake() -> None:
            rang.append(loop.time() - began)
            due.clear()

        scheduler = Scheduler(lambda: SEVEN, lambda: due[0] if due else None, wake, nobody)
        scheduler.start()
        await soon(lambda: rang)
        scheduler.stop()

    asyncio.run(job())
    assert len(rang) == 1
    assert rang[0] >= 0.2


@pytest.mark.parametrize(("by", "jumps"), [(timedelta(hours=-1), 1), (timedelta(hours=8), 1), (timedelta(), 0)])
def test_a_clock_that_was_set_is_noticed(by: timedelta, jumps: int) -> None:
    clock = [SEVEN]
    jumped: list[tuple[datetime, float]] = []

    async def right(now: datetime, by_s: float) -> None:
        jumped.append((now, by_s))

    async def job() -> None:
        scheduler = Scheduler(lambda: clock[0], lambda: None, lambda: None, right)
        scheduler.start()
        clock[0] += by
        scheduler.watch()
        await asyncio.sleep(0)
        scheduler.watch()
        await asyncio.sleep(0)
        scheduler.stop()

    asyncio.run(job())
    assert [at for at, _ in jumped] == [SEVEN + by] * jumps
    assert all(by_s == pytest.approx(by.total_seconds(), abs=0.5) for _, by_s in jumped)


def test_a_machine_that_slept_is_noticed_and_its_clock_was_not_set() -> None:
    clock, awake, lasting = [SEVEN], [100.0], [100.0]
    jumped: list[tuple[datetime, float]] = []

    async def right(now: datetime, by_s: float) -> None:
        jumped.append((now, by_s))

    async def job() -> None:
        scheduler = Scheduler(lambda: clock[0], lambda: None, lambda: None, right, lambda: awake[0], lambda: lasting[0])
        scheduler.start()
        # It slept for an hour: the wall clock and the lasting one went on, the other stood still.
        clock[0] += timedelta(hours=1)
        lasting[0] += 3_600
        scheduler.watch()
        await asyncio.sleep(0)
        scheduler.stop()

    asyncio.run(job())
    assert jumped == [(SEVEN + timedelta(hours=1), 0.0)]


def test_nothing_wakes_before_what_a_set_clock_changes_is_right() -> None:
    clock, order = [SEVEN], []
    let = asyncio.Event()

    async def right(now: datetime, by_s: float) -> None:
        await let.wait()
        order.append("right")

    async def job() -> None:
        scheduler = Scheduler(
            lambda: clock[0], lambda: SEVEN + timedelta(seconds=0.05), lambda: order.append("wake"), right
        )
        scheduler.start()
        clock[0] += timedelta(hours=1)
        await soon(lambda: scheduler.righting)
        let.set()
        await soon(lambda: "wake" in order)
        scheduler.stop()

    asyncio.run(job())
    assert order[0] == "right"


# Text files, topics, moments on pages


def test_only_the_latest_text_of_a_file_is_written_and_a_lost_folder_is_told(tmp_path: Path) -> None:
    folder = tmp_path / "texts"
    folder.mkdir()
    path, told = folder / "a.txt", []

    async def job() -> None:
        files = FileWriter(lambda: SEVEN, lambda: told.append(1))
        for n in range(50):
            files.put(path, str(n))
        await soon(lambda: files.state(path))
        assert path.read_text() == "49"
        files.put(path, "49")
        path.unlink()
        folder.rmdir()
        files.put(path, "50")
        problem = await soon(lambda: (written := files.state(path)) and written.problem)
        assert "There is no folder texts any more" in problem
        folder.mkdir()
        files.put(path, "50")
        await files.stop()

    asyncio.run(job())
    assert path.read_text() == "50"
    assert len(told) == 3


def test_topics_are_gathered_before_desks_are_told() -> None:
    sent: list[str] = []

    async def send(message: str) -> None:
        sent.append(message)

    async def job() -> None:
        hub = Hub("b")
        page = Page(send)
        hub.join_desk(page)
        topics = Topics(hub)
        topics.touch("log")
        topics.start()
        for _ in range(20):
            topics.touch("signals")
        pump = asyncio.create_task(page.pump(lambda: 0))
        await soon(lambda: len(sent) == 2)
        pump.cancel()

    asyncio.run(job())
    assert sent[1] == '{"kind": "changed", "topics": ["log", "signals"]}'


def test_a_page_too_far_behind_loses_a_moment_and_it_is_told() -> None:
    async def send(message: str) -> None:
        await asyncio.Event().wait()

    async def job() -> None:
        hub = Hub("b")
        hub.put_on_air(1, "token", 1, {"a": ""})
        channel = hub.channel("token")
        assert channel
        hub.join(channel, Page(send))
        dropped = [hub.moment(1, f"m{n}", "a", str(n), 5) for n in range(50)]
        assert channel.values == {"a": "49"}
        # The snapshot waits as well, so that there is room for 39 of the 40 that may wait.
        assert dropped == [0] * 39 + [1] * 11
        assert hub.moment(9, "m99", "a", "nobody shows it", 5) == 0

    asyncio.run(job())


# Preferences


def test_choices_that_make_no_sense_fall_back(store: Store) -> None:
    def choose(session: Session) -> None:
        for name, value in (("zone", "Mars/Olympus"), ("keep_days", "soon"), ("locale", "de")):
            state.choose(session, name, value)

    store.write(choose)
    chosen = store.read(read_preferences)
    assert (chosen.locale, chosen.keep_days, chosen.folders) == ("de", None, ())
    assert chosen.style().decimal == ","
    assert "Europe/Lisbon" in zone_names()
    assert "Mars/Olympus" not in zone_names()


def test_a_text_that_comes_back_while_another_is_written_is_what_the_file_holds(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path, writing, go_on = tmp_path / "count.txt", threading.Event(), threading.Event()
    replace = text_files.replace_file

    def slow(path: Path, text: str) -> None:
        if text == "B":
            writing.set()
            assert go_on.wait(20)
        replace(path, text)

    async def job() -> None:
        files = FileWriter(lambda: SEVEN)
        files.put(path, "A")
        await soon(lambda: path.exists() and files.state(path))
        monkeypatch.setattr(text_files, "replace_file", slow)
        files.put(path, "B")
        await asyncio.to_thread(writing.wait, 20)
        files.put(path, "A")
        go_on.set()
        await files.stop()

    asyncio.run(job())
    assert path.read_text("utf-8") == "A"
