"""The pages of a scoreboard: scoring, correcting, sides in draft, matches as files; its buttons; who may count."""

from __future__ import annotations

import io
import json
from typing import Any

import pytest

from tesoura.core.instruments.scoreboard.piece import ARRANGEMENTS, SIZED
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.errors import InvalidField
from tesoura.settings import wall_clock
from tesoura.store import overlays as stored
from tests.conftest import Running, flat
from tests.runtime.test_devices import device, lay


def board(running: Running, **choices: Any) -> None:
    running.do("instrument.new?kind=scoreboard", {"title": "Match", "sport": "table_tennis", **choices})


def do(running: Running, command: str, **given: Any) -> str:
    """A command from the page; what the page says then."""
    return flat(running.press("/", f"/instruments/match/do/{command}", given, follow_redirects=True).text)


def points(running: Running, typed: str) -> None:
    for one in typed:
        do(running, "point", side="home" if one == "h" else "away")


def score(running: Running) -> tuple[Any, Any]:
    return running.signal("match.home_points")["value"], running.signal("match.away_points")["value"]


def test_a_match_is_counted_corrected_and_survives_a_restart(running: Running) -> None:
    board(running)
    points(running, "hhhha")
    assert score(running) == ("4", "1")
    page = flat(running.client.get("/instruments/match").text)
    assert "Switch to AWA" in page
    assert "Undo: Away: point" in page
    rows = running.client.get("/instruments/match/matches/0/match.json").json()["acts"]
    do(running, "correct", act=rows[1]["number"], side="away")
    assert score(running) == ("3", "2")
    assert "There is no such entry in this match" in do(running, "strike", act="4711")
    running.kill()
    anew = Running(running.folder)
    try:
        assert score(anew) == ("3", "2")
        do(anew, "take_back")
        assert score(anew) == ("3", "1")
    finally:
        anew.stop()


def test_names_wait_for_put_on_air_and_wrong_ones_say_so(running: Running) -> None:
    board(running)
    do(running, "side", side="home", name="Team Bobbin", colour="#C23A22")
    said = flat(running.client.get("/instruments/match/setup").text)
    assert "Not on air yet: Home, name: Home → Team Bobbin; Home, colour: #2F6B5E → #C23A22." in said
    assert "Team Bobbin and Away have the same colour" in said
    assert running.signal("match.home_name")["value"] == "Home"
    do(running, "put_on_air")
    assert running.signal("match.home_name")["value"] == "Team Bobbin"
    assert "at most 60 fit" in do(running, "side", side="home", name="x" * 61)
    assert "is not a colour" in do(running, "side", side="away", colour="reddish")


def test_rules_of_ones_own_are_checked_when_they_are_made(running: Running) -> None:
    wrong = running.do(
        "instrument.new?kind=scoreboard",
        {"title": "Yard", "sport": "own", "rules": 'title = "Yard"\n[[unit]]\nname = "game"\nto = 3\nby = 9'},
    )
    assert wrong.status_code == 422
    assert "needs a lead of 9" in flat(wrong.text)
    assert running.do("instrument.new?kind=scoreboard", {"title": "Yard", "sport": "own"}).status_code == 422


def test_a_match_is_taken_along_looked_at_from_a_file_and_kept_under_matches(running: Running) -> None:
    board(running)
    points(running, "h" * 11 + "a" * 3)
    told = running.client.get("/instruments/match/matches/0/match.json")
    assert told.headers["Content-Disposition"].endswith('filename="match-match.json"')
    table = running.client.get("/instruments/match/matches/0/match.csv").text.splitlines()
    assert (len(table), table[11].split(",")[4:6]) == (15, ["0–0", "11–0"])
    for raw, words in (
        (told.content, "Replayed from its log with its own rules"),
        (b"no json", "Not valid JSON"),
        (b"[]", "This is not a Tesoura match file"),
        (b"", "Choose a match"),
        (json.dumps({**told.json(), "acts": [{}]}).encode(), "file is damaged"),
    ):
        sent = {"file": ("match.json", io.BytesIO(raw), "application/json")}
        answer = running.press("/", "/instruments/match/matches/look", files=sent, follow_redirects=True)
        assert words in flat(answer.text)
    do(running, "new_match")
    page = flat(running.client.get("/instruments/match/history").text)
    assert "Home 1–0 Away" in page
    seq = running.client.get("/api/instruments/match/records", headers=running.auth).json()[0]["event"]
    shown = flat(running.client.get(f"/instruments/match/matches/{seq}").text)
    assert "View point by point" in shown
    assert running.client.get("/instruments/match/matches/999999").status_code == 404
    assert running.client.get("/instruments/nothing/matches/0").status_code == 404


def test_what_a_team_is_called_is_shown_as_it_is_and_runs_nothing(running: Running) -> None:
    board(running)
    do(running, "side", side="home", name="<script>alert(1)</script>")
    do(running, "put_on_air")
    do(running, "notice", title="<b>", text="=1+1")
    points(running, "h")
    assert "<script>alert" not in running.client.get("/instruments/match").text
    assert "'=1+1" not in running.client.get("/instruments/match/matches/0/match.csv").text


def test_both_phones_tell_of_one_rally_and_it_counts_once(running: Running) -> None:
    board(running)
    button = lay(running, does="side", board="match", side="home")
    codes = [running.runtime.call(lambda self: self.devices.begin_pairing(("l1",))).digits]
    with device(running, code=codes[0], name="One") as one:
        second = running.runtime.call(lambda self: self.devices.begin_pairing(("l1",))).digits
        with device(running, code=second, name="Two") as two:
            first = one.ask("button.press", button=button, press="p1")
            again = one.ask("button.press", button=button, press="p1")
            other = two.ask("button.press", button=button, press="p2")
    assert first["result"]["words"] == "Point for Home → 1–0"
    assert again["result"]["words"] == "This press was already handled." or again == {**first, "id": again["id"]}
    assert other["result"]["done"] is False
    assert "scored" in other["result"]["words"]
    assert score(running) == ("1", "0")


def test_all_buttons_of_a_match_are_laid_at_once_and_show_how_it_stands(running: Running) -> None:
    board(running, sport="football")
    lay(running, does="undo")
    running.press("/", "/desk/leaves/l1/set", {"instrument": "match"})
    page = flat(running.client.get("/desk/leaves/?leaf=l1").text)
    for words in ("End of the half", "Yellow cards: home", "stopped · Start", "Put on air"):
        assert words in page
    do(running, "start_clock")
    assert "running · Stop" in flat(running.client.get("/desk/leaves/?leaf=l1").text)


def test_what_is_no_figure_or_clock_is_refused_with_what_is(running: Running) -> None:
    board(running, sport="ice_hockey")
    for command, given, words in (
        ("set", {"figure": "goals", "side": "home", "value": "1"}, "There are: points, time_out, period"),
        ("set", {"figure": "points", "side": "home", "value": "-1"}, "from 0 to 9999"),
        ("set_clock", {"to": "25:00"}, "goes from 0:00 to 20:00"),
        ("penalty", {"side": "home", "what": "yellow"}, "There are: minor, major, misconduct"),
        ("add_time", {"minutes": "2"}, "Added minutes exist only in sports whose clock runs past the end of a period"),
        ("point", {"side": "up"}, "“up” is not one of these: home, away"),
        ("end_penalty", {"side": "home"}, "serves no penalty"),
        ("stop_clock", {}, "already stopped"),
        ("nonsense", {}, "There is no command “nonsense”"),
        ("last_match", {}, "There was no match before"),
        ("take_team", {"side": "home", "team": "Gale"}, "There are: none yet"),
        ("drop_draft", {}, "Nothing queued"),
    ):
        assert words in do(running, command, **given)


def test_a_command_that_is_wrong_changes_nothing(running: Running) -> None:
    board(running)
    with pytest.raises(InvalidField):
        running.runtime.call(lambda self: self.instruments.attempt("match", "point", {"side": "both"}))
    assert running.client.get("/instruments/match/matches/0/match.json").json()["acts"] == []


@pytest.mark.parametrize("arranged", ARRANGEMENTS)
def test_each_arrangement_fits_as_it_comes(running: Running, arranged: str) -> None:
    board(running)
    given = {"scoreboard": "match", "arranged": arranged, "x": 200, "y": 90, **SIZED[arranged]}
    overlay = Overlay(1920, 1080, (new_piece("scoreboard", "board", **given),))
    row = running.store.write(lambda session: stored.new_overlay(session, "Match", overlay, wall_clock()))
    said = running.press("/", f"/overlays/{row.id}/publish", follow_redirects=True)
    assert "not fit" not in flat(said.text)


def test_what_is_never_seen_at_once_covers_nothing(running: Running) -> None:
    board(running)

    def said(second: str) -> str:
        given = {"scoreboard": "match", "arranged": "bar", "x": 300, "y": 200, **SIZED["bar"]}
        pieces = [new_piece("scoreboard", one, **{**given, "when": one}) for one in ("played", second)]
        overlay = Overlay(1920, 1080, tuple(pieces))
        row = running.store.write(lambda session: stored.new_overlay(session, "Match", overlay, wall_clock()))
        return flat(running.press("/", f"/overlays/{row.id}/publish", follow_redirects=True).text)

    assert "covers" not in said("end")
    assert "covers" in said("match")
