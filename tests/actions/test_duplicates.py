"""Duplicates of feeds, computed signals, cues and instruments."""

from __future__ import annotations

from tesoura.store import feeds, rules
from tests.conftest import Running
from tests.runtime.test_clips import act
from tests.web.test_cue_pages import CHEER


def test_a_feed_is_duplicated_with_its_key_its_signals_and_its_events_and_paused(running: Running) -> None:
    choices = {"address": "http://127.0.0.1:9/count", "key_in": "header", "key_name": "X-Key"}
    act(running, "feed.new", kind="http", title="Count", choices=choices, secrets={"key": "paper4711kite"})
    act(running, "feed.pick", feed="count", field="members", path="members", unit="friends")
    act(running, "feed.rule", feed="count", type="follow", items="newest", id_path="id", fields={"name": "name"})
    act(running, "feed.copy", feed="count")

    def ask(session: object) -> tuple[object, ...]:
        row = feeds.by_name(session, "count_2")  # type: ignore[arg-type]
        assert row is not None
        copied = feeds.secrets_of(session, row.id or 0, running.store.secrets)  # type: ignore[arg-type]
        picked = [one.name for one in feeds.signals_of(session, row.id or 0)]  # type: ignore[arg-type]
        events = [(one.type, one.primed) for one in rules.of_feed(session, row.id or 0)]  # type: ignore[arg-type]
        return row.paused, row.choices["address"], copied.get("key"), picked, events

    assert running.store.read(ask) == (
        True,
        "http://127.0.0.1:9/count",
        "paper4711kite",
        ["count_2.members"],
        [("follow", False)],
    )


def test_a_computed_signal_is_duplicated_under_the_next_free_name(running: Running) -> None:
    act(running, "computed.new", kind="formula", name="half", choices={"formula": "10 / 4"})
    act(running, "computed.copy", computed=1)
    act(running, "computed.copy", computed=1)
    assert [running.signal(f"own.half_{at}")["value"] for at in (2, 3)] == [2.5, 2.5]


def test_a_wheel_is_duplicated_with_its_rows_and_a_cue_with_its_settings(running: Running) -> None:
    act(running, "instrument.new", kind="wheel", choices={"title": "Wheel"})
    act(running, "instrument.command", instrument="wheel", command="add_item", words="tea", weight="2")
    act(running, "instrument.copy", instrument="wheel")
    act(running, "instrument.new", kind="cue", choices=CHEER)
    act(running, "instrument.copy", instrument="cheer")
    names = {one["name"]: one for one in running.client.get("/api/instruments", headers=running.auth).json()}
    assert [(row["words"], row["weight"]) for row in names["wheel_2"]["items"]] == [("tea", "2")]
    assert f"{CHEER['title']} 2" in running.client.get("/cues/").text


def test_a_second_duplicate_gets_the_next_number_in_its_title(running: Running) -> None:
    act(running, "feed.new", kind="hand", title="Lines", choices={"what": "number"})
    act(running, "instrument.new", kind="countdown", choices={"title": "Tea"})
    for _ in range(2):
        act(running, "feed.copy", feed="lines")
        act(running, "instrument.copy", instrument="tea")
    feed_titles, setups = running.runtime.call(lambda self: (self.feeds.titles(), self.instruments.setups()))
    assert [title for _, title in feed_titles] == ["Lines", "Lines 2", "Lines 3"]
    assert [one.title for one in setups] == ["Tea", "Tea 2", "Tea 3"]
