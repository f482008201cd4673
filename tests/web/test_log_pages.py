"""The log, its exports, moments, reports: and names that mean harm, everywhere shown as text."""

from __future__ import annotations

import csv
import io
import json
import re
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from tesoura.core.values import Event
from tesoura.runtime.facade import Runtime
from tesoura.settings import wall_clock
from tesoura.store import log as event_log
from tesoura.store import log_search
from tesoura.store.exports import csv_lines, markers
from tesoura.store.log import Logged
from tesoura.store.log_search import Search
from tesoura.store.tables import SessionRow
from tests.conftest import Clock, Running, flat, until
from tests.runtime.test_clips import act

SEVEN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
HARM = "<script>alert(1)</script>"
ODD = [HARM, "قوس قزح", "🪁 kite 🪁", "=cmd|' /C calc'!A0", "n" * 10_000, "", None, "a\u202eb", "x' OR 1=1 --"]


def shown(running: Running, query: str = "") -> list[str]:
    text = flat(running.client.get(f"/log/rows{query}").text)
    return re.findall(r'class="kind[^"]*" href="/log/\d+">([^<]+)<', text)


def test_names_that_mean_harm_are_shown_as_text_everywhere(running: Running) -> None:
    token = running.add_overlay("{gift.name}", nothing_yet="nobody")
    running.do("file.new", {"name": "last", "wording": "{gift.name}", "when_down": "keep"})
    for name in ODD:
        assert running.event(type="gift", data={"name": name, "amount": 1}).status_code == 202
    assert running.event(type="gift", data={"name": HARM, "amount": 1}).status_code == 202
    until(lambda: running.client.get(f"/o/{token}").text.count("&lt;script&gt;alert(1)&lt;/script&gt;"))
    for page in ("/", "/log/", "/log/1", "/signals/", "/files/", "/desk/happened"):
        text = running.client.get(page).text
        assert HARM not in text, page
    file = running.folder / "texts" / "last.txt"
    until(lambda: file.exists() and file.read_text() == HARM)
    exported = running.client.get("/log/export.csv").text
    cells = [row for row in csv.reader(io.StringIO(exported)) if row[2] == "gift"]
    assert len(cells) == len(ODD) + 1
    assert json.loads(cells[0][6])["name"] == HARM


def test_an_event_type_that_a_table_would_run_is_made_harmless(running: Running) -> None:
    running.event(type="=1+1", data={})
    row = list(csv.reader(io.StringIO(running.client.get("/log/export.csv").text)))[1]
    assert row[2] == "'=1+1"


def test_the_log_is_searched_and_filtered(running: Running) -> None:
    at = wall_clock() - timedelta(hours=3)
    for number, (kind, name) in enumerate([("gift", "Teacup_Ana"), ("follow", "tuck"), ("gift", "Éloïse")]):
        running.event(type=kind, data={"name": name}, time=(at + timedelta(hours=number)).isoformat())
    assert shown(running) == ["gift", "follow", "gift"]
    assert shown(running, "?type=follow") == ["follow"]
    assert shown(running, "?find=ana") == shown(running, "?find=teac") == ["gift"]
    assert shown(running, "?find=eloise") == ["gift"]
    assert shown(running, "?find=nobody") == []
    assert shown(running, "?feed=api:tests") == ["gift", "follow", "gift"]
    middle = (at + timedelta(minutes=30)).isoformat()
    assert shown(running, f"?since={middle.replace('+', '%2B')}") == ["gift", "follow"]
    assert shown(running, "?since=nonsense&before=nonsense") == ["gift", "follow", "gift"]
    assert "No log entries match" in running.client.get("/log/rows?find=nobody").text


def test_the_log_is_paged_by_time_and_by_place(running: Running) -> None:
    at = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
    told = [
        {"type": f"t{n:03}", "data": {"name": "ana"}, "time": (at + timedelta(seconds=n // 2)).isoformat()}
        for n in range(120)
    ]
    running.client.post("/api/events", json=told, headers=running.auth)
    for query in ("", "find=ana&"):
        seen: list[str] = []
        before = ""
        for _ in range(4):
            seen += shown(running, f"?{query}before={before}")
            text = running.client.get(f"/log/rows?{query}before={before}").text
            before = text.partition("before=")[2].partition('"')[0].partition("&")[0]
        assert seen == [f"t{n:03}" for n in reversed(range(120))]


def test_what_is_exported_can_be_sent_in_again(running: Running) -> None:
    running.event(type="gift", id="g1", data={"name": "Ana"}, subject="Ana")
    lines = running.client.get("/log/export.jsonl").text.splitlines()
    answer = running.client.post("/api/events", json=[json.loads(line) for line in lines], headers=running.auth)
    assert answer.json() == {"accepted": 0, "duplicates": 1}


def test_a_sessions_markers_count_from_its_beginning(running: Running) -> None:
    assert "Choose a session first" in running.client.get("/log/export.vtt", follow_redirects=True).text
    running.do("session.start")
    began = running.runtime.session_started_at
    assert began
    running.event(
        type="gift", data={"name": "A & B -->", "amount": 5}, time=(began + timedelta(seconds=3661.5)).isoformat()
    )
    assert running.client.get("/log/export.vtt?session=1").text == (
        "WEBVTT\n\n2\n01:01:01.500 --> 01:01:05.500\ngift A &amp; B --&gt; 5\n\n"
    )
    assert running.client.get("/log/export.exe").status_code == 404


def test_an_event_of_the_future_or_twice_or_out_of_order(running: Running) -> None:
    soon = (wall_clock() + timedelta(hours=5)).isoformat()
    assert running.event(type="gift", id="a", data={"amount": 1}, time=soon).json() == {"accepted": 1, "duplicates": 0}
    assert running.event(type="gift", id="a", data={"amount": 9}, time=soon).json() == {"accepted": 0, "duplicates": 1}
    running.event(type="gift", id="b", data={"amount": 2}, time=(wall_clock() - timedelta(minutes=5)).isoformat())
    running.event(type="gift", id="c", data={"amount": 3})
    assert running.signal("gift.count_this_session")["value"] == 3
    assert running.signal("gift.amount")["value"] in (1, 3)


def test_types_of_our_own_are_not_taken_from_outside(running: Running) -> None:
    answer = running.event(type="tesoura.correction", data={"seq": 1})
    assert answer.status_code == 422
    assert ", which is reserved for Tesoura" in answer.json()["detail"]


# Moments


def waiting(running: Running) -> list[str]:
    return [one.text for one in running.runtime.call(lambda self: self.stage.moments.waiting())]


def test_moments_wait_their_turn_can_be_skipped_and_shown_again(running: Running) -> None:
    token = running.add_overlay("{gift.name}", appears="moment", moment_type="gift", moment_s=60)
    assert "hidden><div" in running.client.get(f"/o/{token}").text
    for name in ("Ana", "rude", "Bolt"):
        running.event(type="gift", data={"name": name})
    until(lambda: ">Ana</span>" in running.client.get(f"/o/{token}").text)
    assert waiting(running) == ["rude", "Bolt"]
    page = running.client.get("/log/moments").text
    assert page.index("Ana") < page.index("rude") < page.index("Bolt")
    assert "t be shown" in running.do("moment.skip?moment=2", follow_redirects=True).text
    assert waiting(running) == ["Bolt"]
    assert "no longer queued or on screen" in running.do("moment.skip?moment=2", follow_redirects=True).text
    assert "Shown again on 1 piece" in running.do("moment.again?event=2", follow_redirects=True).text
    assert waiting(running) == ["Bolt", "Ana"]
    kinds = [one.event.type for one in running.store.read(lambda session: event_log.latest(session, 2))]
    assert kinds == ["tesoura.shown_again", "tesoura.skipped"]
    running.event(type="kill", data={})
    assert "Nothing on air shows this kind" in running.do("moment.again?event=7", follow_redirects=True).text


def test_all_that_waits_is_skipped_at_once_and_comes_back_at_once(running: Running) -> None:
    running.add_overlay("{gift.name}", appears="moment", moment_type="gift", moment_s=60)
    for name in ("Ana", "rude", "Bolt"):
        running.event(type="gift", data={"name": name})
    until(lambda: waiting(running) == ["rude", "Bolt"])
    assert "Skip all 2" in running.client.get("/log/moments").text
    answer = running.do("moments.skip", headers={"Referer": f"{running.address}/"})
    # Whoever pressed it on the desk stays there.
    assert (answer.headers["location"], waiting(running)) == ("/", [])
    assert "2 alerts won't be shown." in flat(running.client.get("/").text)
    running.do("desk.undo")
    assert waiting(running) == ["rude", "Bolt"]
    running.do("moments.skip")
    assert "Nothing queued" in flat(running.do("moments.skip", follow_redirects=True).text)


def test_the_moment_on_screen_is_taken_off_and_the_next_one_comes(running: Running) -> None:
    token = running.add_overlay("{gift.name}", appears="moment", moment_type="gift", moment_s=60)

    def shown() -> list[str]:
        return [one.text for one in running.runtime.call(lambda self: self.stage.moments.showing())]

    for name in ("rude", "Ana"):
        running.event(type="gift", data={"name": name})
    until(lambda: shown() == ["rude"])
    shown_now = flat(running.client.get("/log/moments").text)
    assert "Hide now “rude”" in shown_now
    assert "Not on any page" in shown_now, "no viewers' page is open"
    assert "On air" not in shown_now
    assert "t be shown" in running.do("moment.skip?moment=1", follow_redirects=True).text
    assert ">rude</span>" not in running.client.get(f"/o/{token}").text
    until(lambda: shown() == ["Ana"])
    running.do("desk.undo")
    assert waiting(running) == ["rude"]


def test_what_is_long_past_is_no_moment_and_too_many_are_dropped(
    running: Running, caplog: pytest.LogCaptureFixture
) -> None:
    running.add_overlay("{gift.name}", appears="moment", moment_type="gift", moment_s=60)
    running.event(type="gift", data={"name": "old"}, time=(wall_clock() - timedelta(minutes=10)).isoformat())
    assert waiting(running) == []
    running.client.post(
        "/api/events", json=[{"type": "gift", "data": {"name": str(n)}} for n in range(60)], headers=running.auth
    )
    assert len(waiting(running)) in (39, 40)
    assert "Too many moments wait" in caplog.text


def test_a_moment_says_its_own_events_values_only(running: Running) -> None:
    running.add_overlay("{gift.name} {gift.amount}", nothing_yet="", appears="moment", moment_type="gift")
    running.event(type="gift", data={"name": "Ana", "amount": 500})
    running.event(type="gift", data={"name": "Bolt"})
    until(lambda: running.runtime.call(lambda self: self.stage.moments.showing()))
    assert waiting(running) == []


# Reports


def test_a_session_tells_its_figures_and_its_ranking(running: Running) -> None:
    running.do(
        "computed.new?kind=window",
        {
            "name": "gifts",
            "types": "gift",
            "amount": "amount",
            "by": "name",
            "over": "session",
            "stats": ["count", "sum", "top"],
            "top": "3",
            "rank_by": "sum",
        },
    )
    running.do("session.start")
    for name, amount in (("Ana", 5), ("Bolt", 9), ("Ana", 6)):
        running.event(type="gift", data={"name": name, "amount": amount})
    running.do("session.start")
    running.event(type="gift", data={"name": "late", "amount": 1})
    assert running.client.get("/reports/").text.count("<b>3</b> gift") == 1
    page = running.client.get("/reports/1").text
    assert page.index(">Ana<") < page.index(">Bolt<")
    assert "--part: 81.8%" in page
    assert "late" not in page
    assert "<title>" in page.partition("ribbon")[2]
    wrong = running.do("session.correct?session=1", {"began": "soon"}, follow_redirects=True).text
    assert "is not a time of day" in wrong
    assert running.client.get("/reports/99").status_code == 404


def test_the_store_finds_nothing_for_words_that_are_none(running: Running) -> None:
    running.event(type="gift", data={"name": "Ana"})
    running.store.write(event_log.index_words)

    def found(words: str) -> list[Any]:
        return running.store.read(lambda session: log_search.page(session, Search(words=words), None, 10))

    assert found("!!!") == []
    assert found('"') == []
    assert len(found("ANA")) == 1


def test_the_log_is_searched_by_the_words_in_which_it_is_told(running: Running) -> None:
    wheel = {"title": "Tea time", "turn_s": "2", "hold_s": "1", "landing": "none"}
    running.do("instrument.new?kind=wheel", wheel)
    for words in ("sing", "tea"):
        running.do("instrument.command?instrument=tea_time&command=add_item", {"words": words, "weight": "1"})
    act(running, "instrument.command", instrument="tea_time", command="spin")
    running.do("instrument.change?instrument=tea_time", {**wheel, "title": "Kettle wheel"})
    running.event(type="gift", data={"name": "Ana"})
    seq = running.store.read(event_log.last_seq)
    act(running, "log.void", event=seq)
    spun = shown(running, "?find=kettle+spun")
    assert spun == ["Kettle wheel: spun by the desk"], "its new title, and what was done"
    assert shown(running, "?find=kettle+voided") == []
    assert shown(running, "?find=voided") == ["event voided by the desk"]
    assert shown(running, "?find=desk+voided") == ["event voided by the desk"], "Name field"
    exported = running.client.get("/log/export.jsonl?find=kettle+spun").text
    assert [json.loads(one)["type"] for one in exported.splitlines()] == ["tesoura.command.tea_time"]


def test_the_log_answers_when_a_value_reached_a_number(running: Running) -> None:
    for value in (900, 1_000, 950, 1_200):
        running.client.put("/api/signals/count", json={"value": value}, headers=running.auth)

    def asked(**given: str) -> str:
        params = {"signal": "script.count", "level": "1,000", **given}
        return flat(running.client.get("/log/reached", params=params).text)

    page = asked()
    assert "<b>script.count</b> reached 1,000 <b>2 times</b> in the last 12 hours." in page
    assert re.findall(r"script.count reached ([\d.]+)", page) == ["1000", "1200"]
    assert "fell to 950 <b>1 time</b>" in asked(way="down", level="950")
    assert "at no time" in asked(level="5000")
    assert "There is no signal script.kites." in asked(signal="script.kites")
    assert "Give a number, such as 4." in asked(level="many")
    assert "When did a value reach a number?" in running.client.get("/log/").text
    assert '<option value="script.count">' in running.client.get("/log/").text


def test_the_log_answers_for_earlier_sessions_too(tmp_path: Path) -> None:
    clock = Clock(datetime(2026, 11, 26, 19, 0, tzinfo=UTC))
    running = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
    try:
        gifts = {"types": ["gift"], "over": "session", "stats": ["count"]}
        act(running, "computed.new", kind="window", name="gifts", choices=gifts)
        for count in (3, 1):
            act(running, "session.start")
            for _ in range(count):
                clock.now += timedelta(minutes=1)
                running.event(type="gift", data={"name": "Ana"})
            clock.now += timedelta(minutes=1)

        def asked(past: str) -> str:
            given = {"signal": "gifts.count", "level": "2", "past": past}
            return flat(running.client.get("/log/reached", params=given).text)

        assert "reached 2 <b>1 time</b> in that session" in asked("1")
        assert "at no time in this session" in asked("2") == asked("")
        does = {"do_1": "set", "signal_1": "script.x", "value_of_1": "1"}
        cue = {"title": "It", "when": "event", "event": "gift", **does}
        would = {past: flat(running.press("/", "/cues/would", {**cue, "past": past}).text) for past in ("1", "2")}
        assert "Would have run <b>3 times</b> in that session." in would["1"]
        assert "Would have run <b>1 time</b> in this session." in would["2"]
        of_values = {**cue, "when": "crosses", "signal": "gifts.count", "level": "2", "past": "1"}
        assert "Would have run <b>1 time</b> in that session." in flat(
            running.press("/", "/cues/would", of_values).text
        )
    finally:
        running.stop()


def test_words_go_into_the_index_once_and_some_at_a_time(running: Running) -> None:
    for name in ("Ana", "Bo", "Chi"):
        running.event(type="gift", data={"name": name})
    counts = [running.store.write(lambda session: event_log.index_words(session, 2)) for _ in range(3)]
    assert counts[2] == 0
    assert sum(counts) <= 3
    assert shown(running, "?find=chi") == ["gift"]
    running.event(type="kill", data={"name": "Chi"})
    assert shown(running, "?find=chi") == ["kill", "gift"]


def test_a_full_disk_says_so_and_loses_nothing_that_was_taken(running: Running) -> None:
    running.event(type="gift", data={"name": "Ana"})
    pages: int = running.store.read(
        lambda session: session.connection().exec_driver_sql("PRAGMA page_count").scalar_one()
    )

    def limit(count: int) -> None:
        # The limit stands with a connection, and the log is written by one of its own.
        running.store.writer.submit_plain(lambda driver: driver.execute(f"PRAGMA max_page_count = {count}")).result()

    limit(pages + 2)
    told = [{"type": "gift", "data": {"text": "x" * 20_000}} for _ in range(40)]
    answer = running.client.post("/api/events", json=told, headers=running.auth)
    assert answer.status_code == 507
    assert "The disk is full. Free some space. Nothing was saved." in answer.json()["detail"]
    assert running.client.get("/log/").status_code == 200

    def room_again() -> int | None:
        limit(1_000_000)
        taken: int | None = running.client.post("/api/events", json=told, headers=running.auth).json().get("accepted")
        return taken

    assert until(room_again) == 40
    assert running.signal("gift.count_this_session")["value"] == 41
    assert running.runtime.call(Runtime.event_types) == ["gift"]


def test_an_events_page_says_who_did_it_and_what_led_to_what(running: Running) -> None:
    running.client.post("/api/actions/event.say", json={"type": "gift"}, headers=running.auth)
    running.add_overlay("a gift", appears="moment", moment_type="gift")
    running.do("moment.again?event=1")
    first = flat(running.client.get("/log/1").text)
    assert '<dt>By</dt><dd class="break">a program, key “tests”</dd>' in first
    assert "Effects</h2>" in first
    # Putting the overlay on air stands between them.
    again = flat(running.client.get("/log/3").text)
    assert '<h2>Cause</h2><p><a href="/log/1">gift</a>' in again


def test_values_that_scripts_set_are_listed_when_asked_for(running: Running) -> None:
    running.client.put("/api/signals/heat", json={"value": 21}, headers=running.auth)
    running.event(type="gift", data={})
    assert shown(running) == ["gift"]
    assert shown(running, "?type=tesoura.signal") == ["script.heat set to 21 by a program, key “tests”"]
    assert "tesoura.signal" not in running.client.get("/desk/happened").text


def test_a_filter_stays_chosen_though_nothing_of_it_has_come(running: Running) -> None:
    running.event(type="gift", data={})
    page = flat(running.client.get("/log/?type=follower&feed=feed:reach").text)
    assert "<option selected>follower</option>" in page
    assert '<option value="feed:reach" selected' in page


def test_a_log_with_what_was_done_here_comes_in_again_without_it(running: Running, tmp_path: Path) -> None:
    running.do("session.start")
    running.press("/", "/scene", {"scene": "Talk"})
    running.event(type="gift", id="g1", data={"name": "Ana"})
    lines = [json.loads(line) for line in running.client.get("/log/export.jsonl").text.splitlines()]
    other = Running(tmp_path / "other")
    try:
        answer = other.client.post("/api/events", json=lines, headers=other.auth)
        assert answer.json() == {"accepted": 1, "duplicates": 0, "passed_over": len(lines) - 1}
        assert other.client.post("/api/events", json=lines[-1], headers=other.auth).status_code == 202
        assert other.signal("gift.name")["value"] == "Ana"
    finally:
        other.stop()


def test_a_marker_is_cut_between_letters_and_never_within_an_escape(running: Running) -> None:
    cue = "".join(markers([Logged(1, Event("a", "s", "gift", SEVEN, {"name": "&" * 400}), SEVEN)], SEVEN))
    text = cue.splitlines()[-2]
    assert text == "gift " + "&amp;" * 294 + "…"


@pytest.mark.parametrize("cell", ["\n=1+1", " =1", "\uff1d1+1", "\t@x", "+1", "\u00a0-1"])
def test_what_a_table_program_would_take_for_a_formula_is_marked(cell: str) -> None:
    [_, row] = csv_lines([Logged(1, Event("a", "s", cell, SEVEN, {}), SEVEN)])
    assert f"'{cell}" in row


def test_the_hours_of_a_ribbon_are_those_that_went_by_when_the_clocks_go_back(running: Running) -> None:
    running.do("choose.calendar", {"zone": "Europe/Lisbon", "first_weekday": "0"})
    began = datetime(2026, 10, 24, 23, 0, tzinfo=UTC)
    running.store.write(lambda session: session.add(SessionRow(id=1, started_at=began)))
    running.store.write(lambda session: session.add(SessionRow(id=2, started_at=began + timedelta(hours=4))))
    running.event(type="gift", data={}, time=(began + timedelta(hours=3.9)).isoformat())
    page = running.client.get("/reports/1").text
    ticks = re.findall(r'<text x="([\d.]+)" [^>]*class="tick-word">(\d\d:\d\d)<', flat(page))
    hours = [words for _, words in ticks if words.endswith(":00")]
    # Midnight in Lisbon is 23:00 UTC; the hour from one to two comes twice.
    assert hours == ["01:00", "01:00", "02:00"]
    places = [float(x) for x, words in ticks if words.endswith(":00")]
    assert places == sorted(places)
    assert len(set(places)) == 3


@pytest.mark.parametrize("micros", [-62_135_647_200_000_000, 253_402_300_800_000_000, 2**62])
def test_a_row_with_a_time_that_is_none_breaks_no_page_and_no_export(running: Running, micros: int) -> None:
    for name in ("Ana", "Bo", "Chi"):
        running.event(type="gift", data={"name": name})
    act(running, "session.start")
    seq = running.store.read(event_log.last_seq)
    running.store.write(
        lambda session: session.connection().exec_driver_sql(
            "UPDATE event SET time = ? WHERE seq = (SELECT min(seq) FROM event WHERE type = 'gift')", (micros,)
        )
    )
    damaged = running.store.read(lambda session: next(event_log.happenings(session, ["gift"], None, 2**62)))
    running.kill()
    again = Running(running.folder)
    try:
        assert "invalid time" in again.client.get("/log/?type=gift").text
        for page in (f"/log/{damaged.seq}", "/log/?find=Ana", "/reports/", "/reports/1", "/", f"/log/{seq}"):
            assert again.client.get(page).status_code == 200, page
        for form in ("csv", "jsonl"):
            told = again.client.get(f"/log/export.{form}?type=gift").text
            assert all(name in told for name in ("Ana", "Bo", "Chi")), form
        again.event(type="gift", data={"name": "Dot"})
        assert again.signal("gift.name")["value"] == "Dot"
    finally:
        again.stop()


def test_an_event_that_claims_a_time_beyond_every_calendar_is_refused(running: Running) -> None:
    for time in ("0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-14:00"):
        answer = running.client.post(
            "/api/events", json={"type": "gift", "time": time, "data": {}}, headers=running.auth
        )
        assert answer.status_code == 422
    assert shown(running) == []
