"""What pages say they painted: kept in the log, told to be kept, and what cannot be is left out."""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace
from typing import Any

import pytest
from websockets.sync.client import connect

from tesoura.core.values import Event
from tesoura.runtime import painted
from tesoura.runtime.clips import Clips
from tests.conftest import Running, until
from tests.runtime.test_clips import told


@pytest.fixture(autouse=True)
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(painted, "GATHERED_S", 0.05)


def said(running: Running, token: str, spans: Any, number: int = 7) -> dict[str, Any]:
    """What a page that says this is answered."""
    with connect(f"{running.address.replace('http', 'ws')}/live/{token}") as page:
        page.recv(timeout=10)
        page.send(json.dumps({"painted": number, "spans": spans}))
        while True:
            answer: dict[str, Any] = json.loads(page.recv(timeout=10))
            if answer["kind"] == "kept":
                return answer


def test_what_a_page_painted_is_in_the_log_and_told_to_be_kept(running: Running) -> None:
    token, now = running.add_overlay("always"), int(time.time() * 1000)
    spans = [
        ["tea:1", now - 9_000, now - 4_000, True, True, True, 1, 1],
        ["tea:1", now - 4_000, now, True, True, False, 1, 1],
    ]
    assert said(running, token, spans)["painted"] == 7
    (event,) = until(lambda: told(running, "tesoura.painted"))
    (page,) = event["pages"]
    assert page["spans"] == [
        ["tea:1", now - 9_000, now - 4_000],
        ["tea:1", now - 4_000, now, "another piece lay over it"],
    ]


@pytest.mark.parametrize(
    "span",
    [
        ["tea:1"],
        "tea",
        ["", 0, 1, True, True, True, 1, 1],
        ["tea:1", "a", "b", True, True, True, 1, 1],
        ["tea:1", -5_000, -6_000, True, True, True, 1, 1],
        ["tea:1", -500_000, 0, True, True, True, 1, 1],
        ["tea:1", 10_000, 20_000, True, True, True, 1, 1],
        ["tea:1", -90_000_000, -89_999_000, True, True, True, 1, 1],
        ["tea:1", float("inf"), 0, True, True, True, 1, 1],
        ["tea:1", -5_000, 0, True, True, True, 10**400, 1],
        ["x" * 200, -5_000, 0, True, True, True, 1, 1],
        [7, -5_000, 0, True, True, True, 1, 1],
    ],
)
def test_a_page_that_lies_is_believed_nothing_and_does_no_harm(running: Running, span: Any) -> None:
    token, now = running.add_overlay("always"), int(time.time() * 1000)
    if isinstance(span, list) and len(span) == 8 and isinstance(span[1], int):
        span = [span[0], now + span[1], now + span[2], *span[3:]]
    assert said(running, token, [span])["kind"] == "kept"
    assert told(running, "tesoura.painted") == []


def test_what_a_picture_of_tesouras_own_says_does_not_count(running: Running) -> None:
    token, now = running.add_overlay("always"), int(time.time() * 1000)
    spans = [["tea:1", now - 5_000, now, True, True, True, 1, 1]]
    with connect(f"{running.address.replace('http', 'ws')}/live/{token}?picture=1") as page:
        page.recv(timeout=10)
        page.send(json.dumps({"painted": 1, "spans": spans}))
        said(running, token, [["moon:1", now - 5_000, now, True, True, True, 1, 1]])
    (event,) = told(running, "tesoura.painted")
    assert [one["spans"][0][0] for one in event["pages"]] == ["moon:1"]


def test_trouble_that_comes_again_later_is_told_again_and_that_of_many_pages_once() -> None:
    now, ids = datetime(2026, 11, 26, 20, 0, tzinfo=UTC), list[str]()

    async def log(events: Sequence[Event]) -> None:
        ids.extend(one.id for one in events)

    for seconds in (0, 10, 70):
        settings = SimpleNamespace(clock=lambda at=seconds: now + timedelta(seconds=at))
        clips: Any = SimpleNamespace(_runtime=SimpleNamespace(settings=settings, journal=SimpleNamespace(log=log)))
        asyncio.run(Clips.trouble(clips, "Cup", "tea:i1", "its file can't be displayed"))
    assert ids[0] == ids[1] != ids[2]
