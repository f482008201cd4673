"""What has changed since a page was drawn is told to it when its link opens, and nothing else."""

from __future__ import annotations

import json

from websockets.sync.client import connect

from tesoura.outputs.hub import Hub
from tesoura.outputs.topics import Topics
from tests.conftest import Running


def test_topics_are_told_from_a_mark_on() -> None:
    topics = Topics(Hub("build"))
    topics.touch("feeds")
    mark = topics.mark
    assert topics.since(mark) == []
    topics.touch("signals", "log")
    topics.touch("log")
    assert topics.since(mark) == ["signals", "log"]
    assert topics.since(topics.mark) == []


def test_a_mark_of_another_run_or_none_at_all_is_told_everything() -> None:
    topics = Topics(Hub("build"))
    topics.touch("feeds")
    for mark in (Topics(Hub("build")).mark, "", "x.y", "." + "9" * 40):
        assert topics.since(mark) == ["feeds"]


def test_a_desk_that_opens_its_link_late_is_told_what_it_missed(running: Running) -> None:
    running.client.get("/")
    mark = running.runtime.topics.mark
    running.runtime.call(lambda self: self.touched("feeds"))
    with connect(f"{running.address.replace('http', 'ws')}/live/desk/{running.ticket}") as desk:
        desk.send(json.dumps({"since": mark}))
        told = [json.loads(desk.recv(timeout=5)) for _ in range(2)]
    assert any("feeds" in one.get("topics", ()) for one in told)
