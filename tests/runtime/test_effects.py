"""Effects: in the log before and after, too late, failed; and what instruments fire is never lost."""

from __future__ import annotations

import asyncio
import json
import logging
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from websockets.sync.client import connect

from tesoura.core.effects import Effect
from tesoura.core.values import Event
from tesoura.errors import DataFolderError
from tesoura.runtime.facade import Runtime
from tesoura.runtime.tasks import Tasks
from tesoura.store import log as event_log
from tesoura.store.log import Logged
from tests.conftest import Running, until

LONG_AGO = datetime(2026, 1, 1, tzinfo=UTC)


def told(running: Running, *kinds: str) -> list[Logged]:
    """The events of these types, oldest first."""
    newest = running.store.read(lambda session: event_log.latest(session, 50))
    return [one for one in reversed(newest) if one.event.type in kinds]


def perform(running: Running, *effects: Effect) -> list[str]:
    async def job(runtime: Runtime) -> list[str]:
        return await runtime.effects.perform(effects, 7, "desk")

    return running.runtime.call(job)


def test_an_effect_is_told_before_it_begins_and_when_it_is_done(running: Running) -> None:
    assert perform(running, Effect("scene", "Talk")) == ["done"]
    begun, scene, ended = told(running, "tesoura.effect", "tesoura.scene", "tesoura.effect_ended")
    assert (begun.event.cause, begun.event.actor, begun.event.data) == (
        7,
        "desk",
        {"effect": "scene", "target": "Talk"},
    )
    assert (scene.event.cause, scene.event.data["value"]) == (begun.seq, "Talk")
    assert (ended.event.cause, ended.event.data["outcome"]) == (begun.seq, "done")


def test_what_comes_too_late_is_not_done_and_said(running: Running) -> None:
    assert perform(running, Effect("scene", "Talk", not_after=LONG_AGO)) == ["too late"]
    assert told(running, "tesoura.effect", "tesoura.scene") == []
    assert running.runtime.call(lambda self: self.stage.scene) == ""


def test_one_that_fails_is_told_and_the_next_is_done(running: Running) -> None:
    assert perform(running, Effect("trumpet", "x"), Effect("scene", "Break")) == ["failed", "done"]
    failed = told(running, "tesoura.effect_ended")[0].event.data
    assert (failed["outcome"], failed["why"]) == ("failed", "not possible here")


def test_what_an_instrument_fired_is_logged_when_the_log_takes_it_again(
    running: Running, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("tesoura.runtime.instruments.RETRY_S", 0.05)
    journal = running.runtime.journal
    log, failures = journal.log, [1, 2]

    async def full(events: Sequence[Event], *more: Any) -> list[Logged]:
        if events and events[0].type == "kettle.ended" and failures:
            failures.pop()
            raise DataFolderError("The disk is full.")
        return await log(events, *more)

    monkeypatch.setattr(journal, "log", full)
    running.do("instrument.new?kind=countdown", {"title": "Kettle", "length": "1 s", "end_scene": "Talk"})
    running.client.post("/api/instruments/kettle/start", headers=running.auth)
    [ended] = until(lambda: told(running, "kettle.ended"))
    [begun] = until(lambda: told(running, "tesoura.effect"))
    assert failures == []
    assert (begun.event.cause, begun.event.data["target"]) == (ended.seq, "Talk")
    assert until(lambda: running.signal("scene.present").get("value")) == "Talk"


def test_a_page_says_what_it_has_painted_and_the_log_has_it_once(running: Running) -> None:
    token = running.add_overlay("a gift", appears="moment", moment_type="gift")
    with connect(f"ws://127.0.0.1:{running.port}/live/{token}") as page:
        name = json.loads(page.recv(5))["page"]
        running.event(type="gift", data={})
        gift = told(running, "gift")[0]
        moment = json.loads(page.recv(5))
        assert (moment["kind"], moment["text"]) == ("moment", "a gift")
        for ack in (moment["id"], moment["id"], "nobody-1"):
            page.send(json.dumps({"ack": ack}))
        [painted] = until(lambda: told(running, "tesoura.painted"))
        assert (painted.event.cause, painted.event.actor) == (gift.seq, f"page:{name}")
        assert painted.event.data["moment"] == moment["id"]
        running.event(type="later", data={})
    assert len(told(running, "tesoura.painted")) == 1


def test_of_a_crowd_of_pages_a_few_answers_are_kept(running: Running) -> None:
    running.add_overlay("a gift", appears="moment", moment_type="gift")
    running.event(type="gift", data={})
    [moment] = until(lambda: running.runtime.call(lambda self: list(self.stage.told._begun)))
    told = running.runtime.call(
        lambda self: [self.stage.told.painted(1, page, moment) for page in ("a", "a", *"bcdefghijk")]
    )
    assert [one is not None for one in told] == [True, False, *[True] * 7, *[False] * 3]
    assert running.runtime.call(lambda self: self.stage.told.painted(2, "z", moment)) is None


def test_a_task_that_fails_is_seen(caplog: pytest.LogCaptureFixture) -> None:
    async def job() -> None:
        async def fail() -> None:
            raise ZeroDivisionError

        tasks = Tasks()
        tasks.start(fail(), "Counting kites")
        await tasks.stop()

    with caplog.at_level(logging.ERROR):
        asyncio.run(job())
    assert "Counting kites failed" in caplog.text


def test_an_effect_knows_when_it_is_too_late() -> None:
    bell = Effect("sound", "kettle", {"sound": "bell"}, LONG_AGO)
    assert not bell.too_late(LONG_AGO)
    assert bell.too_late(LONG_AGO + timedelta(seconds=1))
    assert not Effect("scene", "Talk").too_late(LONG_AGO)
