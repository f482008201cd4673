"""Computed signals in a Tesoura that runs: over restarts, corrections, sessions, zones and a log that lets go."""

from __future__ import annotations

import html
import threading
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.forms.form import fill
from tesoura.runtime.computations import Computations
from tesoura.runtime.explaining import Because
from tesoura.runtime.facade import Runtime
from tesoura.standins.members import MembersService
from tesoura.store import computed as stored
from tesoura.store import log as event_log
from tesoura.store import state
from tests.conftest import Clock, Running, flat, until

SEVEN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
GIFTS = {"types": ["gift"], "amount": "amount", "by": "name", "stats": ["count", "sum", "largest", "top"]}


@pytest.fixture
def clock() -> Clock:
    return Clock(SEVEN)


@pytest.fixture
def show(tmp_path: Path, clock: Clock) -> Iterator[Running]:
    made = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
    yield made
    made.stop()


def compute(running: Running, kind: str, name: str, **choices: Any) -> int:
    filled = fill(COMPUTED[kind].fields, choices)
    assert not filled.wrong
    row_id = running.store.write(lambda s: stored.keep(s, None, kind, name, filled.choices, SEVEN).id) or 0
    running.runtime.call(Runtime.refresh_computed, row_id)
    return row_id


def gift(running: Running, name: str, amount: float, at: datetime | None = None) -> None:
    time = {"time": at.isoformat()} if at else {}
    assert running.event(type="gift", data={"name": name, "amount": amount}, **time).status_code == 202


def value(running: Running, name: str) -> Any:
    return running.signal(name).get("value")


def test_a_window_counts_what_was_there_before_it_was_made_and_all_that_comes(show: Running) -> None:
    gift(show, "tuck", 5)
    compute(show, "window", "gifts", **GIFTS, over="all")
    assert value(show, "gifts.sum") == 5
    gift(show, "TUCK", 2)
    assert (value(show, "gifts.sum"), value(show, "gifts.top_1_name")) == (7, "TUCK")


@pytest.mark.parametrize("crash", [True, False])
def test_after_a_restart_every_computation_goes_on(show: Running, clock: Clock, crash: bool) -> None:
    compute(show, "window", "gifts", **GIFTS, over="today")
    compute(show, "window", "last", **GIFTS, over="events", length="2")
    compute(show, "chain", "chain", types=["gift"], within_s="60", by="name")
    compute(show, "formula", "double", formula="gifts.sum * 2")
    for amount in (5, 3, 1):
        gift(show, "tuck", amount)
    before = {name: value(show, name) for name in ("gifts.sum", "last.sum", "chain.length", "own.double")}
    assert before == {"gifts.sum": 9, "last.sum": 4, "chain.length": 3, "own.double": 18}
    (show.kill if crash else show.stop)()
    again = Running(show.folder, clock=clock, lasting_s=clock.lasting_s)
    try:
        assert {name: value(again, name) for name in before} == before
        gift(again, "tuck", 1)
        assert value(again, "own.double") == 20
    finally:
        again.stop()


def test_the_session_begins_once_and_can_be_corrected_and_all_of_it_follows(show: Running, clock: Clock) -> None:
    compute(show, "window", "gifts", **GIFTS, over="session")
    compute(show, "chain", "chain", types=["gift"], within_s="3600")
    gift(show, "tuck", 5, SEVEN - timedelta(minutes=20))
    clock.now = SEVEN + timedelta(minutes=1)
    show.do("session.start")
    gift(show, "teacup_ana", 2)
    assert (value(show, "gifts.sum"), value(show, "chain.length")) == (2, 1)
    assert show.do("session.correct", {"began": "18:30"}).status_code == 302
    assert (value(show, "gifts.sum"), value(show, "chain.length")) == (7, 2)
    clock.now += timedelta(minutes=1)
    show.do("session.start")
    assert value(show, "gifts.sum") == 0
    page = show.do("session.correct", {"began": "18:00"}, follow_redirects=True).text
    assert "Sessions can't overlap. Choose a time after" in html.unescape(page)
    assert len(show.store.read(state.all_sessions)) == 2


def test_a_day_ends_at_midnight_of_the_users_zone_and_a_zone_can_be_changed(show: Running, clock: Clock) -> None:
    compute(show, "window", "gifts", **GIFTS, over="today")
    show.do("choose.calendar", {"zone": "Europe/Lisbon", "first_weekday": "6"})
    clock.now = datetime(2026, 11, 26, 23, 30, tzinfo=UTC)
    gift(show, "tuck", 5)
    assert value(show, "gifts.sum") == 5
    show.do("choose.calendar", {"zone": "Asia/Tokyo", "first_weekday": "0"})
    assert value(show, "gifts.sum") == 5  # both at 08:30 of 27 November there
    clock.now = datetime(2026, 11, 27, 15, 1, tzinfo=UTC)
    gift(show, "tuck", 1)
    assert value(show, "gifts.sum") == 1
    assert "There is no zone" in show.do("choose.calendar", {"zone": "Mars", "first_weekday": "0"}).text


def test_a_clock_set_back_over_midnight_counts_the_day_before_again(show: Running, clock: Clock) -> None:
    show.do("choose.calendar", {"zone": "Europe/Lisbon", "first_weekday": "0"})
    compute(show, "window", "gifts", **GIFTS, over="today")
    gift(show, "tuck", 5)
    clock.now = datetime(2026, 11, 27, 0, 10, tzinfo=UTC)
    gift(show, "tuck", 1)
    assert value(show, "gifts.sum") == 1
    clock.now -= timedelta(hours=1)
    until(lambda: value(show, "gifts.sum") == 5)


def test_a_correction_is_an_event_of_its_own_and_everything_follows(show: Running) -> None:
    compute(show, "window", "gifts", **GIFTS, over="all")
    gift(show, "tuck", 500)
    gift(show, "teacup_ana", 8)
    assert show.do("log.correct?event=1", {"field": "amount", "value": "5"}).status_code == 302
    got = {name: value(show, f"gifts.{name}") for name in ("sum", "largest_amount", "top_1_name")}
    assert got == {"sum": 13, "largest_amount": 8, "top_1_name": "teacup_ana"}
    log = show.store.read(lambda session: event_log.latest(session, 9))
    assert log[0].event.data == {"seq": 1, "field": "amount", "was": 500, "now": 5}
    assert log[-1].event.data["amount"] == 500
    page = flat(show.client.get("/log/1").text)
    assert "<b>500</b> → <b>5</b>" in page
    assert show.do("log.correct?event=1", {"field": "amount", "value": "many"}).status_code == 422
    assert show.do("log.correct?event=1", {"field": "nobody", "value": "1"}).status_code == 404
    show.kill()
    again = Running(show.folder, clock=show.settings.clock)
    try:
        assert value(again, "gifts.sum") == 13
    finally:
        again.stop()


def test_what_the_log_lets_go_stays_counted(show: Running, clock: Clock) -> None:
    compute(show, "window", "gifts", **GIFTS, over="all")
    for day in range(10):
        gift(show, "tuck", 1, SEVEN - timedelta(days=10 - day))
    show.do("choose.keep", {"keep_days": "5"})
    show.runtime.call(lambda self: self.persistence.let_go())
    assert show.store.read(event_log.first_time) == SEVEN - timedelta(days=5)
    gift(show, "tuck", 100)
    show.do("log.correct?event=12", {"field": "amount", "value": "2"})
    assert value(show, "gifts.sum") == 12
    show.kill()
    again = Running(show.folder, clock=clock, lasting_s=clock.lasting_s)
    try:
        assert value(again, "gifts.sum") == 12
        assert again.client.get("/log/?find=tuck").text.count('class="kind') == 6
    finally:
        again.stop()


def test_a_removed_computation_comes_back_as_it_was(show: Running) -> None:
    row_id = compute(show, "window", "gifts", **GIFTS, over="all")
    gift(show, "tuck", 5)
    show.do(f"computed.remove?computed={row_id}")
    assert show.client.get("/api/signals/gifts.sum", headers=show.auth).status_code == 404
    gift(show, "tuck", 2)
    show.do(f"computed.restore?computed={row_id}")
    assert value(show, "gifts.sum") == 7


def test_goals_and_changes_follow_their_signal(show: Running, clock: Clock) -> None:
    compute(
        show,
        "goal",
        "road",
        signal="script.members",
        start="1000",
        target="2000",
        began="2026-11-26T09:00+00:00",
        by="2026-11-27T19:00+00:00",
    )
    compute(show, "change", "growth", signal="script.members", since="minutes", minutes="10")

    def put(members: int) -> None:
        show.client.put("/api/signals/members", json={"value": members}, headers=show.auth)

    put(1250)
    got = {name: value(show, f"road.{name}") for name in ("pct", "done", "left", "needed_per_hour")}
    assert got == {"pct": 25.0, "done": 250, "left": 750, "needed_per_hour": 31.25}
    # A quarter took ten hours; the rest takes thirty at that pace.
    assert value(show, "road.expected_at") == (SEVEN + timedelta(hours=30)).timestamp()
    clock.now += timedelta(minutes=5)
    put(1300)
    assert (value(show, "growth.change"), value(show, "growth.per_minute")) == (50, 10.0)


def test_an_event_says_what_it_changed_and_why_not(show: Running) -> None:
    compute(show, "window", "gifts", **GIFTS, over="all", only_if="event.amount >= 2")
    gift(show, "tuck", 1)
    gift(show, "tuck", 5)
    assert "not counted: excluded by the rule" in show.client.get("/log/1").text
    assert "</code> counted" in show.client.get("/log/2").text


def test_what_is_let_go_is_worked_out_beside_the_writer(
    tmp_path: Path, clock: Clock, monkeypatch: pytest.MonkeyPatch
) -> None:
    # Nothing is let go by itself meanwhile.
    show = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s, save_every_s=3600.0)
    compute(show, "window", "gifts", **GIFTS, over="all")
    for day in range(3):
        gift(show, "tuck", 1, SEVEN - timedelta(days=10 - day))
    gift(show, "tuck", 1)
    show.do("choose.keep", {"keep_days": "5"})
    threads: list[str] = []
    state = Computations._state

    def noted(self: Computations, *given: Any) -> Any:
        threads.append(threading.current_thread().name)
        return state(self, *given)

    monkeypatch.setattr(Computations, "_state", noted)
    assert show.runtime.call(lambda self: self.persistence.let_go()) == 3
    assert threads
    assert "tesoura-writer" not in threads
    assert value(show, "gifts.sum") == 4
    show.stop()


def explained(show: Running, name: str) -> Sequence[Because]:
    found = show.runtime.call(lambda self: self.explain(name))
    assert found is not None
    return found.events


def why(show: Running, name: str) -> list[tuple[object, object]]:
    return [(one.before, one.after) for one in explained(show, name)]


def test_why_tells_what_changed_a_window_a_total_and_an_events_own_signal(show: Running) -> None:
    compute(show, "window", "gifts", **GIFTS, over="session")
    for amount in (5, 7, 7):
        gift(show, "tuck", amount)
    assert why(show, "gifts.sum") == [(12, 19), (5, 12), (0, 5)]
    assert why(show, "gifts.largest_amount") == [(5, 7), (None, 5)]
    assert why(show, "gift.amount") == [(7, 7), (5, 7), (None, 5)]
    first = explained(show, "gifts.sum")[-1].logged.seq
    show.do(f"log.correct?event={first}", {"field": "amount", "value": "1"})
    assert why(show, "gifts.sum") == [(8, 15), (1, 8), (0, 1)]


def test_why_tells_who_set_a_value_and_what_a_formula_reads(show: Running) -> None:
    for value in (1, 2):
        show.client.put("/api/signals/lamp", json={"value": value}, headers=show.auth)
    compute(show, "formula", "twice", formula="script.lamp * 2")
    assert [(one.before, one.after, one.logged.event.actor) for one in explained(show, "script.lamp")] == [
        (1, 2, "key:tests"),
        (None, 1, "key:tests"),
    ]
    told = show.client.get("/api/signals/own.twice/why", headers=show.auth).json()
    assert ([one["name"] for one in told["computed_from"]], told["changed_by"]) == (["script.lamp"], [])
    assert show.client.get("/api/signals/script.nothing/why", headers=show.auth).status_code == 404


@pytest.mark.parametrize("killed", [True, False])
def test_after_a_restart_a_value_was_observed_when_it_was_and_not_when_tesoura_started(
    tmp_path: Path, clock: Clock, killed: bool
) -> None:
    running = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
    compute(running, "window", "gifts", **GIFTS, over="all")
    for minute in (1, 2):
        clock.now = SEVEN + timedelta(minutes=minute)
        gift(running, "tuck", 5)
    names = ("gifts.sum", "gift.amount", "gift.count_this_session")
    before = {name: running.signal(name) for name in names}
    (running.kill if killed else running.stop)()
    clock.now = SEVEN + timedelta(hours=3)
    again = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
    try:
        assert {name: again.signal(name) for name in names} == before
        assert before["gifts.sum"]["observed_at"] == (SEVEN + timedelta(minutes=2)).isoformat()
    finally:
        again.stop()


def test_what_a_feed_brought_is_down_with_it_in_signals_files_and_instruments(
    show: Running, members: MembersService, clock: Clock
) -> None:
    members.follow("tuck")
    show.add_feed(f"{members.address}/channels/mara_vane/followers", path="followers[0].id", period_s=3600.0)
    rule = {"type": "follow", "items": "followers", "id_path": "id", "fields": "name"}
    until(lambda: show.signal("reach.members").get("value"))
    assert show.do("feed.rule?feed=reach", rule).status_code == 302
    compute(show, "window", "follows", types=["follow"], over="all", stats=["count"])
    wording = {"name": "follows.txt", "wording": "{follows.count}", "when_down": "text", "down_text": "no word"}
    show.do("file.new", wording)
    path = show.folder / "texts" / "follows.txt"
    until(lambda: path.exists() and path.read_text("utf-8") == "0")
    assert show.signal("follows.count")["freshness"] == "live"
    members.fail("500")
    show.do("feed.ask?feed=reach")
    until(lambda: show.signal("follows.count")["freshness"] == "down")
    until(lambda: path.read_text("utf-8") == "no word")
