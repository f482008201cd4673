"""Large answers are taken apart beside the loop, within a time; what takes longer is ended and said."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Awaitable, Callable, Iterator
from datetime import UTC, datetime
from typing import Any

import pytest

from tesoura.core.values import Wanted
from tesoura.errors import NothingPicked, ResponseNotUnderstood, TooMuch
from tesoura.feeds.apart import take_apart
from tesoura.feeds.follow.cost import MOST, cost
from tesoura.feeds.follow.tail import Finder
from tesoura.feeds.formats import read
from tesoura.feeds.picks import Pick, is_plain, pick, pick_value
from tesoura.workers import Worker

NOW = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)


@pytest.fixture
def worker() -> Iterator[Worker]:
    made = Worker(limit_s=20.0)
    yield made
    made.stop()


def run(job: Callable[[], Awaitable[Any]]) -> Any:
    async def outer() -> Any:
        return await job()

    return asyncio.run(outer())


def test_a_payload_comes_whole_from_the_other_process(worker: Worker) -> None:
    assert run(lambda: take_apart(worker, read, '{"members": 1284}', "json", "the count", what="the count")) == {
        "members": 1284
    }
    picks = [Pick("reach.members", "members", Wanted.NUMBER), Pick("reach.name", "name", Wanted.TEXT)]
    picked = run(lambda: take_apart(worker, pick, {"members": 1284}, picks, NOW, what="the count"))
    assert [(one.name, one.value) for one in picked.readings] == [("reach.members", 1284)]
    assert list(picked.problems) == ["reach.name"]


def test_errors_come_as_they_are(worker: Worker) -> None:
    with pytest.raises(ResponseNotUnderstood, match="other than JSON") as found:
        run(lambda: take_apart(worker, read, "hello", "json", "the count", what="the count"))
    assert found.value.payload == "hello"
    with pytest.raises(NothingPicked, match="matches nothing"):
        run(lambda: take_apart(worker, pick_value, {}, "members", None, what="the count"))


def test_what_takes_too_long_is_ended_and_the_next_job_is_done() -> None:
    slow = Worker(limit_s=1.0)

    async def both() -> object:
        with pytest.raises(TooMuch, match="longer than 1 s"):
            await take_apart(slow, sum, range(10**12), what="the count")
        slow.limit_s = 20.0
        return await take_apart(slow, read, "[1]", "json", "the count", what="the count")

    assert run(both) == [1]
    slow.stop()


def test_a_job_that_waits_for_its_turn_is_given_its_time() -> None:
    patient = Worker(limit_s=0.5)
    assert run(lambda: take_apart(patient, _waiting, 1.5, what="the count")) == "done"
    patient.stop()


def _waiting(seconds: float) -> str:
    """Last for so long without taking any of the processor, as a job does while the machine is busy."""
    time.sleep(seconds)
    return "done"


def test_the_loop_goes_on_while_a_large_page_is_read(worker: Worker) -> None:
    page = "<html>" + "<p class='x'><b>1</b> kite</p>" * 30_000 + "</html>"

    async def beside() -> int:
        reading = asyncio.create_task(take_apart(worker, read, page, "html", "a page", ".x b", what="a page"))
        steps = 0
        while not reading.done():
            await asyncio.sleep(0.01)
            steps += 1
        found: Any = await reading
        assert found["text"] == "1"
        return steps

    # Read on the loop, the loop would come to its first step when all is over.
    assert run(beside) > 10


def test_what_takes_too_much_memory_ends_the_process_and_not_tesoura(worker: Worker) -> None:
    with pytest.raises(TooMuch, match="too much memory"):
        run(lambda: take_apart(worker, bytes, 3_000_000_000, what="the count"))
    assert run(lambda: take_apart(worker, len, "kite", what="the count")) == 4


@pytest.mark.parametrize(
    "path",
    ["[" + ",".join(["@"] * 8) + "]" + "|[" + ",".join(["@"] * 8) + "]" * 1, "a.b[*]", "a[?b>`1`]", "sort_by(a, &b)"],
)
def test_paths_that_do_more_than_go_down_are_followed_within_bounds(path: str) -> None:
    assert not is_plain(path)


@pytest.mark.parametrize("path", ["", "members", "channel.members", 'a."b c"[0].d', "@", "a[-1]"])
def test_paths_that_only_go_down_are_followed_at_once(path: str) -> None:
    assert is_plain(path)


@pytest.mark.parametrize(
    ("pattern", "large"),
    [
        (r"((a{1,1000}){1,1000}){1,1000}", True),
        (r"(?P<a>\w+) cut (?P<b>\w+)", False),
        (r"x{30000}", True),
        (r"[{1,99999}]{3}\{9999}", False),
        (r"(?:ab{2,40}){1,20}", False),
    ],
)
def test_a_patterns_size_is_known_before_it_is_compiled(pattern: str, large: bool) -> None:
    assert (cost(pattern) > MOST) is large


def test_a_pattern_that_is_slow_over_many_lines_pauses_its_feed() -> None:
    finder = Finder(r"(?P<a>(a|aa)+)$", "line")
    with pytest.raises(TooMuch, match="Simplify it"):
        finder.items(["a" * 60 + "!"] * 2_000)


@pytest.mark.parametrize("path", ["&n", "list[::0]", "n | &n", "sort_by(list, &@[::0])", "abs('x')", "list[:", "\x00"])
def test_a_path_that_reaches_no_value_says_so_whatever_the_library_makes_of_it(path: str) -> None:
    with pytest.raises(NothingPicked):
        pick_value({"n": 1, "list": [3, 1, 2]}, path, None)
