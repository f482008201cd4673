"""Keeping a stream going: opened again after a break, later each time, and from what was kept."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable
from typing import Any

import httpx
import pytest

from tesoura.errors import SourceError, SourceUnavailable
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.poller import Poller
from tesoura.feeds.probe import try_once
from tesoura.settings import wall_clock
from tests.conftest import soon

Follow = Callable[[FetchContext], AsyncIterator[Fetched]]


def kind(follow: Follow) -> FeedKind:
    return FeedKind("x", "X", "", {}, lambda choices: "", follow=follow)


def run(job: Callable[[FetchContext], Awaitable[Any]]) -> Any:
    async def inside() -> Any:
        async with httpx.AsyncClient() as client, asyncio.timeout(10):
            return await job(FetchContext(client, wall_clock, {}))

    return asyncio.run(inside())


def test_a_stream_that_breaks_is_opened_again_later_each_time() -> None:
    async def follow(context: FetchContext) -> AsyncIterator[Fetched]:
        raise SourceUnavailable("gone")
        yield Fetched()

    reports: list[Any] = []

    async def report(outcome: Any) -> None:
        reports.append(outcome)

    async def job(context: FetchContext) -> list[float]:
        poller = Poller("x", kind(follow), context, report, lambda: 0.5)
        return [await poller.follow() for _ in range(4)]

    assert run(job) == [1.0, 2.0, 4.0, 8.0]
    assert all(isinstance(one, SourceUnavailable) for one in reports)


def test_a_stream_that_tells_something_begins_anew_with_its_waits() -> None:
    breaks = iter([False, False, True, False])

    async def follow(context: FetchContext) -> AsyncIterator[Fetched]:
        if next(breaks):
            yield Fetched({"n": 1})
        raise SourceUnavailable("gone")

    async def report(outcome: Any) -> None:
        return None

    async def job(context: FetchContext) -> list[float]:
        poller = Poller("x", kind(follow), context, report, lambda: 0.5)
        return [await poller.follow() for _ in range(4)]

    assert run(job) == [1.0, 2.0, 1.0, 2.0]


def test_what_could_not_be_kept_is_taken_again_from_where_it_was(caplog: pytest.LogCaptureFixture) -> None:
    started_from: list[Any] = []

    async def follow(context: FetchContext) -> AsyncIterator[Fetched]:
        started_from.append(context.memory.get("at"))
        for at in (1, 2, 3):
            yield Fetched({"n": at}, memory={"at": at})

    async def report(outcome: Any) -> None:
        if isinstance(outcome, Fetched) and outcome.memory == {"at": 2} and len(started_from) == 1:
            raise OSError("disk full")

    async def job(context: FetchContext) -> FetchContext:
        poller = Poller("x", kind(follow), context, report, lambda: 0.5)
        for _ in range(2):
            await poller.follow()
        return context

    assert run(job).memory == {"at": 3}
    assert started_from == [None, 1]
    assert "its data couldn't be processed" in caplog.text


def test_asking_now_opens_a_stream_anew_at_once_and_the_end_ends_it() -> None:
    opened: list[int] = []
    closed: list[int] = []

    async def follow(context: FetchContext) -> AsyncIterator[Fetched]:
        opened.append(1)
        try:
            yield Fetched({"n": 1})
            await asyncio.Event().wait()
        finally:
            closed.append(1)

    async def report(outcome: Any) -> None:
        return None

    async def job(context: FetchContext) -> None:
        poller = Poller("x", kind(follow), context, report, lambda: 0.5)
        task = asyncio.create_task(poller.run())
        await soon(lambda: len(opened) == 1)
        poller.ask_now()
        await soon(lambda: len(opened) == 2)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)
        assert task.cancelled()

    run(job)
    assert (len(opened), len(closed)) == (2, 2)


@pytest.mark.parametrize(("count", "words"), [(0, "It ended before sending anything"), (1, "")])
def test_trying_a_stream_takes_the_first_that_comes(count: int, words: str) -> None:
    async def follow(context: FetchContext) -> AsyncIterator[Fetched]:
        for n in range(count):
            yield Fetched({"n": n})

    if words:
        with pytest.raises(SourceError, match=words):
            run(lambda context: try_once(kind(follow), context))
    else:
        assert run(lambda context: try_once(kind(follow), context)).payload == {"n": 0}


def test_trying_a_stream_that_says_nothing_tells_that_it_is_connected(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tesoura.feeds.probe.SILENCE_S", 0.05)
    monkeypatch.setattr("tesoura.feeds.probe.ANSWER_S", 0.05)

    async def connected(context: FetchContext) -> AsyncIterator[Fetched]:
        yield Fetched(note="Connected.")
        await asyncio.Event().wait()

    async def silent(context: FetchContext) -> AsyncIterator[Fetched]:
        await asyncio.Event().wait()
        yield Fetched()

    assert "Connected" in run(lambda context: try_once(kind(connected), context)).note
    with pytest.raises(SourceError, match="Nothing received in"):
        run(lambda context: try_once(kind(silent), context))
