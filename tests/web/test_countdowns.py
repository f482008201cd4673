"""Countdowns through the pages and the API: set up, commanded, told on overlays, kept over a crash."""

from __future__ import annotations

import html
import json
import re
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Any

import pytest

from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.outputs.hub import Page
from tesoura.runtime.facade import Runtime
from tesoura.settings import wall_clock
from tesoura.store import overlays as stored_overlays
from tests.conftest import Clock, Running, flat, until

BREAK = {"title": "Kettle break", "counts": "duration", "length": "5 min", "end_words": "In we go", "leading": "no"}


@pytest.fixture
def clock() -> Clock:
    return Clock(datetime(2026, 11, 26, 20, 0, tzinfo=UTC))


@pytest.fixture
def still(tmp_path: Path, clock: Clock) -> Iterator[Running]:
    """A Tesoura whose clock stands still."""
    made = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
    yield made
    made.stop()


def make(running: Running, **more: Any) -> None:
    assert running.do("instrument.new?kind=countdown", {**BREAK, **more}).status_code == 302


def do(running: Running, command: str, name: str = "kettle_break", **given: Any) -> dict[str, Any]:
    answer = running.client.post(f"/api/instruments/{name}/{command}", json=given, headers=running.auth)
    return dict(answer.json())


async def _nobody(text: str) -> None:
    """Nothing is sent."""


def text(running: Running, name: str = "kettle_break") -> Any:
    return running.signal(f"{name}.text")["value"]


def test_a_countdown_is_set_up_started_changed_and_stopped(still: Running) -> None:
    make(still)
    assert text(still) == "5:00"
    assert do(still, "start")["effect"] == "ends at 20:05:00"
    assert do(still, "add", by="3 min")["effect"] == "ends at 20:05:00 → 20:08:00"
    assert text(still) == "8:00"
    assert do(still, "add", by="ten")["detail"].startswith("“ten” is not a length of time. Write it as 10 min")
    # No page has it: what is told of viewers is told as such.
    assert do(still, "stop")["effect"] == "viewers would see “5:00”; no page has it now"
    assert still.signal("kettle_break.state")["value"] == "ready"


def _ended_once(running: Running) -> bool:
    return running.signal("kettle_break_ended.count_this_session").get("value") == 1


def test_a_command_is_an_event_of_the_log(still: Running) -> None:
    make(still)
    do(still, "start")
    assert "tesoura.command.kettle_break" in still.client.get("/log/").text


def test_it_goes_on_after_a_crash_as_if_it_had_never_stopped(tmp_path: Path, clock: Clock) -> None:
    running = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
    make(running)
    do(running, "start")
    clock.now += timedelta(seconds=40)
    do(running, "add", by="1 min")
    running.kill()
    clock.now += timedelta(seconds=20)
    again = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
    assert text(again) == "5:00"
    assert do(again, "undo")["effect"] == "viewers would see “4:00”; no page has it now"
    again.stop()


def test_an_end_that_passed_during_a_crash_is_in_the_log_once(tmp_path: Path, clock: Clock) -> None:
    running = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
    make(running)
    do(running, "start")
    running.kill()
    clock.now += timedelta(minutes=6)
    for _ in range(2):
        again = Running(tmp_path / "data", clock=clock, lasting_s=clock.lasting_s)
        until(partial(_ended_once, again))
        again.kill()


def test_changing_its_form_while_it_runs_leaves_its_end(still: Running) -> None:
    make(still)
    do(still, "start", length="9 min")
    do(still, "pause")
    do(still, "add", by="1 min")
    do(still, "go_on")
    still.do("instrument.change?instrument=kettle_break", {**BREAK, "length": "2 min", "before": "Back in "})
    assert text(still) == "Back in 10:00"


def test_a_clock_set_by_the_system_does_not_shorten_a_break(running: Running) -> None:
    make(running, title="Break")
    do(running, "start", "break_")
    running.runtime.call(Runtime.clock_was_set, 3_600.0)
    left = running.signal("break_.left_s")["value"]
    assert 3_880 <= left <= 3_900


@pytest.mark.parametrize(
    ("typed", "wrong"),
    [
        ({"title": ""}, "Enter a name."),
        ({"length": "ten"}, "“ten” is not a length of time. Write it as 10 min, 10:00, 90 s or 1h 5m."),
        ({"length": "0"}, "Give at least 1 s."),
        ({"length": "400 days"}, "That's more than 366 days. Count down to a date instead"),
        ({"counts": "time", "to": "at tea"}, "“at tea” is not a time. Write it as 20:15"),
        ({"counts": "event", "signal": ""}, "Choose the signal with the event's start time, such as shows.starts_at"),
        ({"last_minute": "{lft} to go"}, "Write {left} in place of the time"),
        ({"end_s": "-4"}, "Give a number from 0 to 3600"),
    ],
)
def test_what_cannot_be_set_up_says_what_would_be_right(running: Running, typed: dict[str, str], wrong: str) -> None:
    answer = running.do("instrument.new?kind=countdown", {**BREAK, **typed})
    assert answer.status_code == 422
    assert wrong in answer.text.replace("&#39;", "'")
    assert running.client.get("/api/instruments", headers=running.auth).json() == []


def test_a_time_that_is_over_offers_tomorrows(still: Running) -> None:
    make(still, counts="time", to="19:00")
    answer = still.press("/", "/instruments/kettle_break/do/start", headers={"HX-Request": "true"})
    assert answer.status_code == 422
    assert "Today's 19:00 has passed. Do you mean tomorrow's?" in answer.text.replace("&#39;", "'")
    assert 'value="tomorrow 19:00"' in answer.text
    still.press("/", "/instruments/kettle_break/do/start", {"to": "tomorrow 19:00"})
    assert text(still) == "23:00:00"


def test_the_effect_is_told_before_anything_is_done(still: Running) -> None:
    make(still)
    do(still, "start")
    told = still.client.get("/instruments/kettle_break/effect/set", params={"length": "11 min"}).text
    assert "Ends at 20:05:00 → 20:11:00." in told
    assert text(still) == "5:00"


def test_the_preview_foretells_ten_changes(still: Running) -> None:
    # A name is missed only once it is to be made.
    shown = still.press("/", "/instruments/try/countdown", {**BREAK, "title": "", "before": "Back in "}).text
    assert shown.count("<time>") == 10
    assert "Back in 4:50" in shown
    assert "In we go" in shown


def test_it_is_put_away_and_brought_back_with_its_time(still: Running) -> None:
    make(still)
    do(still, "start")
    still.do("instrument.remove?instrument=kettle_break")
    assert still.client.get("/instruments/kettle_break").status_code == 404
    assert "Restore" in still.client.get("/instruments/").text
    still.do("instrument.restore?instrument=kettle_break")
    assert still.signal("kettle_break.state")["value"] == "running"


def test_the_api_names_what_there_is_when_a_name_is_wrong(still: Running) -> None:
    make(still)
    assert do(still, "start", "kettle")["detail"] == "There are: kettle_break."
    assert "There is no command “fly”" in do(still, "fly")["detail"]
    answer = still.client.post("/api/instruments/kettle_break/add", json=[1], headers=still.auth)
    assert answer.status_code == 422


class Ear(Page):
    """A page that keeps what it is told once."""

    def __init__(self, heard: list[str]) -> None:
        super().__init__(_nobody)
        self.heard = heard

    def show(self, message: str) -> bool:
        self.heard.append(message)
        return True


def _overlay(session: Any, name: str, overlay: Overlay) -> Any:
    return stored_overlays.new_overlay(session, name, overlay, wall_clock())


def test_a_sound_is_heard_on_the_overlays_that_show_it_and_on_no_other(still: Running) -> None:
    make(still, end_sound="bell")
    piece = new_piece("countdown", "cd", look="ink", countdown="kettle_break")
    tokens = {}
    for name, pieces in (("With it", (piece,)), ("Without", ())):
        row = still.store.write(partial(_overlay, name=name, overlay=Overlay(pieces=pieces)))
        still.publish(row.id)
        tokens[name] = row.token
    heard: dict[str, list[str]] = {name: [] for name in tokens}

    def listen(self: Any) -> None:
        for name, token in tokens.items():
            channel = self.hub.channel(token)
            channel.pages.add(Ear(heard[name]))
        self.stage.sound("kettle_break", "bell")
        for token in tokens.values():
            self.hub.channel(token).pages.clear()

    still.runtime.call(listen)
    assert [json.loads(one)["source"] for one in heard["With it"]] == ["/static/sounds/bell.wav"]
    assert heard["Without"] == []


def test_a_sound_that_is_added_is_checked_by_its_content(running: Running) -> None:
    sound = (Path(__file__).parents[2] / "src/tesoura/web/static/sounds/wood.wav").read_bytes()
    kept = running.press("/", "/media/sound", files={"file": ("knock.wav", sound)})
    assert kept.json()["title"] == "knock.wav"
    assert running.client.get(f"/media/{kept.json()['name']}").content == sound
    # Well over a megabyte, which is what a form may have; a sound may have five.
    long = sound[:4] + (2_000_000).to_bytes(4, "little") + sound[8:] + b"\0" * 2_000_000
    assert running.press("/", "/media/sound", files={"file": ("long.wav", long)}).status_code == 200
    bad = [
        (b"<svg/>", "Browsers can't play this sound"),
        (sound[:30], "The WAV file is damaged, or browsers can't play it"),
        (b"", "is empty"),
    ]
    for data, why in bad:
        refused = running.press("/", "/media/sound", files={"file": ("knock.wav", data)})
        assert refused.status_code == 422
        assert why in refused.json()["wrong"]


def test_a_piece_is_laid_on_an_overlay_and_knows_its_last_word(still: Running) -> None:
    make(still, end_words="Kettle's on, in we go, everybody who can hear this")
    went = still.press("/", "/instruments/kettle_break/place", {"piece": "countdown", "overlay": ""})
    assert went.status_code == 302
    mat = still.client.get(went.headers["location"]).text.replace("&#39;", "'")
    assert 'data-say="' in mat
    assert "With its last text, “Kettle's on, in we go, " in mat


def test_the_countdowns_text_is_kept_in_a_text_file(still: Running) -> None:
    make(still)
    form = still.client.get("/files/new", params={"name": "break.txt", "wording": "{kettle_break.text}"}).text
    assert "{kettle_break.text}" in form


def test_the_end_is_rehearsed_for_oneself_alone_with_its_last_words(running: Running) -> None:
    given = {"title": "Tea", "counts": "duration", "length": "5 min", "leading": "no", "end_words": "In we go"}
    running.do("instrument.new?kind=countdown", given)
    page = running.client.get("/instruments/tea").text
    assert json.loads(html.unescape(re.findall(r'data-rehearse="([^"]+)"', page)[0])) == [
        "0:05",
        "0:04",
        "0:03",
        "0:02",
        "0:01",
        "In we go",
    ]
    assert running.signal("tea.text")["value"] == "5:00"


def test_a_countdown_to_a_time_of_day_shows_how_it_will_look_and_says_when_that_is_over(running: Running) -> None:
    given = {"title": "Tea", "counts": "time", "to": "2001-01-01 20:15"}
    told = flat(running.press("/instruments/new/countdown", "/instruments/try/countdown", given).text)
    assert "2001-01-01 20:15 has passed. Give a future time." in told
    past = flat(running.press("/", "/instruments/try/countdown", {**given, "to": "0:00"}).text)
    assert "Today's 0:00 has passed: this is how tomorrow 0:00 would look." in past.replace("&#39;", "'")
    assert 'preview-now">05:00<' not in past
