"""The scoreboard: matches of each sport act by act, corrections, the clock, sides in draft, notices, files."""

from __future__ import annotations

import json
import random
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.forms.form import fill
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.items import InstrumentItem
from tesoura.core.instruments.scoreboard import KIND
from tesoura.core.instruments.scoreboard.acts import act_of
from tesoura.core.instruments.scoreboard.commands import Scoreboard
from tesoura.core.instruments.scoreboard.matches import board_of, match_file, table
from tesoura.core.instruments.scoreboard.plan import SPORTS
from tesoura.core.instruments.scoreboard.sides import Lineup, Side, colour_problems
from tesoura.core.overlays.fit.colours import contrast, rgb
from tesoura.core.sports.rally import AWAY, HOME
from tesoura.errors import CommandRefused, InvalidField, InvalidPiece

T0 = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)


class Match:
    """A scoreboard and the time of day; each command comes five seconds after the one before."""

    def __init__(self, sport: str = "table_tennis", **choices: Any) -> None:
        filled = fill(KIND.fields, {"title": "Break final", "sport": sport, **choices})
        assert filled.wrong == {}
        assert KIND.check(filled.choices) == {}
        self.choices = filled.choices
        self.it: Scoreboard = KIND.begin("match", self.choices, Almanac(), T0)  # type: ignore[assignment]
        self.now, self.seq, self.said = T0, 0, ""

    def do(self, command: str, after_s: float = 5.0, actor: str = "desk", **given: Any) -> Match:
        """A command: tried as it comes, then from the log."""
        self.now += timedelta(seconds=after_s)
        step = self.it.handle(Command(command, given, actor=actor), self.now)
        self.seq += 1
        done = self.it.handle(Command(command, {**step.given, "command": command}, self.seq), self.now)
        self.it, self.said = done.after, step.effect  # type: ignore[assignment]
        return self

    def points(self, typed: str, what: str = "") -> Match:
        """`h3 a2` is three points for home, then two for away."""
        for part in typed.split():
            for _ in range(int(part[1:] or 1)):
                self.do("point", side="home" if part[0] == "h" else "away", what=what)
        return self

    def tells(self, *names: str) -> tuple[Any, ...]:
        """The values of these signals."""
        told = self.it.read(self.now)
        return tuple(told[name] for name in names)

    def fired(self) -> list[str]:
        """The types of what it has told and nobody has put into the log, without the instrument's name."""
        return [one.type.partition(".")[2] for one in self.it.fires(self.now)]

    def heard(self) -> Match:
        """All that it has told is in the log."""
        for one in self.it.fires(self.now):
            self.it = self.it.on_event(Occurrence(micros(self.now), 0, one.type, one.data, "instrument:match"))
        return self


def cup() -> Match:
    """The break final, with its names."""
    match = Match()
    match.do("side", side="home", name="Team Bobbin", short="BOB", players="wren_bobbin")
    match.do("side", side="away", name="Team Keel", short="KEE", players="otto_knot")
    return match.do("put_on_air")


# By the rules


def test_the_rules_say_what_a_point_leads_to() -> None:
    match = cup().points("h10 a8")
    assert match.said == "point for Team Keel → 10–8 · game point Team Bobbin · otto_knot serves"
    match.points("a2")
    assert match.said == "point for Team Keel → 10–10 · deuce · wren_bobbin serves"
    match.points("h1")
    assert match.said == "point for Team Bobbin → 11–10 · game point Team Bobbin · otto_knot serves"
    match.points("h1")
    assert match.said == "12–10, game to Team Bobbin · change ends"
    assert match.tells("state", "spans", "score", "ends") == ("between", "12–10", "1–0", True)


def test_a_match_is_won_by_itself_and_takes_no_more_points() -> None:
    match = cup().points("h11 h11 h10")
    assert match.tells("call") == ("match point Team Bobbin",)
    match.points("h1")
    assert match.said == "3–0, match to Team Bobbin"
    assert match.tells("state", "winner", "call", "card") == ("over", "Team Bobbin", "Team Bobbin wins", True)
    assert match.tells("home_points", "away_points") == ("11", "0")
    with pytest.raises(InvalidField, match="The match has ended"):
        match.points("a1")


def test_in_a_final_the_last_point_is_a_championship_point() -> None:
    assert Match(final="yes", wins="1").points("h10").tells("call") == ("championship point Home",)


def test_tennis_is_called_by_its_names() -> None:
    match = Match("tennis").points("h3 a3")
    assert match.tells("home_points", "away_points", "call") == ("40", "40", "deuce")
    assert match.points("a1").tells("home_points", "away_points", "call") == ("40", "AD", "break point Away")
    assert match.points("h1 h1").tells("call") == ("advantage Home",)
    # Between games it goes on; between sets it does not.
    assert match.points("h1").tells("state", "home_won", "spans") == ("playing", 0, "1–0")
    assert match.points("h4 h4 h4 h4 h4").tells("state", "spans", "score") == ("between", "6–0", "1–0")
    assert match.points("a1").tells("state", "spans") == ("playing", "6–0 0–0")


@pytest.mark.parametrize(
    ("sport", "typed", "told"),
    [
        ("tennis_no_advantage", "h3 a3", ("40", "40", "game point for both")),
        ("badminton", "h20 a20 h1", ("21", "20", "game point Home")),
        ("volleyball", "h24 a20", ("24", "20", "set point Home")),
        ("beach_volleyball", "h21 a20", ("0", "0", "")),
        ("table_tennis", "a10", ("0", "10", "game point Away")),
    ],
)
def test_each_sport_calls_its_own(sport: str, typed: str, told: tuple[str, str, str]) -> None:
    # Twenty-one to nothing is a set at the beach; then twenty for away.
    if sport == "beach_volleyball":
        assert Match(sport).points("h21").tells("home_points", "away_points", "call") == told
    elif sport == "tennis_no_advantage":
        # Home serves: for away it would be a break, so the two are not the same.
        assert Match(sport).points(typed).tells("home_points", "away_points") == told[:2]
    else:
        assert Match(sport).points(typed).tells("home_points", "away_points", "call") == told


def test_football_counts_goals_halves_and_added_time() -> None:
    match = Match("football").do("start_clock").do("point", 600, side="home")
    assert match.said == "goal for Home → 1–0"
    assert match.tells("clock", "span", "home_points") == ("10:00", "half 1", "1")
    match.do("add_time", 2_160, minutes="2").do("count", side="away", what="yellow")
    assert match.tells("clock", "over_time", "added", "away_count_yellow") == ("45:00", "+1:05", "+2", 1)
    match.do("end_period")
    assert (match.said, *match.tells("state", "clock", "span")) == ("half 2 of 2", "between", "45:00", "half 2")
    match.do("start_clock").do("point", 60, side="away").do("end_period", 2_700)
    assert (match.said, *match.tells("span", "spans", "clock")) == (
        "extra time",
        "extra time 1",
        "1–0 0–1 0–0",
        "90:00",
    )


def test_a_clock_that_counts_down_stands_at_nothing_and_says_that_the_time_is_up() -> None:
    match = Match("basketball").do("start_clock")
    match.now += timedelta(seconds=599.5)
    assert match.tells("clock", "over_time") == ("0:01", "")
    assert match.it.next_change(match.now) == match.now + timedelta(seconds=0.5)
    match.now += timedelta(seconds=60)
    assert match.tells("clock") == ("0:00",)
    assert match.fired() == ["time_up"]
    match.do("set_clock", to="0:30")
    match.now += timedelta(seconds=10)
    assert match.tells("clock") == ("0:20",)


def test_a_clock_is_corrected_while_it_runs_and_runs_on() -> None:
    match = Match("handball").do("start_clock").do("set_clock", 60, to="12:30")
    assert match.said == "1:00 → 12:30"
    match.now += timedelta(seconds=30)
    assert match.tells("clock") == ("13:00",)
    with pytest.raises(InvalidField, match="as 12:30"):
        match.do("set_clock", to="soon")


def test_a_clock_that_was_left_running_overnight_stands() -> None:
    match = Match("football").do("start_clock")
    match.now += timedelta(hours=14)
    # Forty-five minutes, and an hour beyond that; then nobody can have been playing.
    assert match.tells("clock", "over_time") == ("45:00", "+60:00")
    assert match.it.next_change(match.now) is None


def test_penalties_run_with_the_clock_alone() -> None:
    match = Match("ice_hockey").do("start_clock").do("penalty", 60, side="away", what="minor")
    assert match.tells("call", "away_penalties") == ("Away one fewer", "2:00")
    match.do("stop_clock", 30)
    match.now += timedelta(hours=1)
    assert match.tells("away_penalties") == ("1:30",)
    match.do("start_clock")
    match.now += timedelta(seconds=91)
    assert match.tells("away_penalties") == ("",)
    match.do("penalty", side="home", what="major").do("end_penalty", side="home")
    assert match.tells("home_penalties", "call") == ("", "")


def test_a_clock_that_is_corrected_leaves_penalties_as_they_are() -> None:
    match = Match("ice_hockey").do("start_clock").do("penalty", 60, side="away", what="minor")
    # Five seconds of it were played; the four minutes that the clock is moved by were not.
    match.do("set_clock", to="14:55").do("stop_clock", 0)
    assert match.tells("clock", "away_penalties") == ("14:55", "1:55")


def test_fencing_ends_with_the_fifteenth_touch_and_fouls_lead_to_free_throws() -> None:
    assert Match("fencing").points("h14 a14 h1").tells("winner", "home_points") == ("Home", "15")
    match = Match("basketball")
    for _ in range(5):
        match.do("count", side="home", what="foul")
    assert match.said == "Home, team fouls: 5, free throws from now on"
    with pytest.raises(InvalidField, match="It counts: foul, time_out"):
        match.do("count", side="home", what="yellow")


def test_rules_of_ones_own_are_played() -> None:
    own = 'title = "Yard"\n[[unit]]\nname = "game"\nto = 3\n[[unit]]\nname = "match"\nto = 2'
    assert Match("own", rules=own).points("h3 a3 h3").tells("winner", "spans") == ("Home", "3–0 0–3 3–0")
    timed = 'title = "Yard ball"\nperiods = 2\nminutes = 5\ncounts_down = true\n[scores]\nbasket = 2'
    match = Match("own", rules=timed).points("h2", "basket")
    assert match.tells("home_points", "clock", "span") == ("4", "5:00", "period 1")


@pytest.mark.parametrize(
    ("rules", "words"),
    [
        ("", "Write the rules"),
        ("title = 3", "title"),
        ('title = "x"\n[[unit]]\nname = "game"', "never end"),
        ('title = "x"\n[[unit]]\nname = "game"\nto = 3\nby = 5', "needs a lead"),
        ('title = "x"\n[scores]\ngoal = 1\n[more]\n', "means nothing"),
        ('title = "x"\nsudden = true\n[scores]\ngoal = 1', "no extra time"),
        ('title = "x"\n[scores]\ngoal = 1\n[penalties]\nbench = 2', "Penalties never end"),
        ('title = "x"\n[scores]\ngoal = 1\n[[count]]\nname = "foul"\nbarred = true', "Give most"),
        ('title = "x"\n[scores]\ngoal = "one"', "is a number from"),
    ],
)
def test_rules_that_cannot_be_say_what_is_wrong(rules: str, words: str) -> None:
    filled = fill(KIND.fields, {"title": "x", "sport": "own", "rules": rules})
    assert words in " ".join((filled.wrong or KIND.check(filled.choices)).values())


# Corrections


def test_taking_back_has_no_end_and_stops_at_the_beginning() -> None:
    match = cup().points("h3 a2")
    for _ in range(5):
        match.do("take_back")
    assert match.tells("home_points", "away_points", "state") == ("0", "0", "ready")
    with pytest.raises(CommandRefused, match="Nothing left to undo in this match"):
        match.do("take_back")
    # They come back in the order in which they were scored.
    assert match.do("put_back").do("put_back").do("put_back").do("put_back").tells("home_points", "away_points") == (
        "3",
        "1",
    )


def test_what_was_taken_back_last_comes_back_before_what_was_struck_long_ago() -> None:
    match = cup().points("h3 a2")
    match.do("strike", act=match.it.acts[0].number).do("take_back")
    assert match.do("put_back").tells("home_points", "away_points") == ("2", "2")
    assert match.do("put_back").tells("home_points", "away_points") == ("3", "2")


def test_a_point_of_ten_rallies_ago_is_corrected_and_all_after_it_told_again() -> None:
    match = cup().points("h10 a3 h1 a5")
    assert match.tells("spans", "away_points") == ("11–3 0–5", "5")
    # The eleventh of home was the other side's: the game goes on, ten to nine.
    number = match.it.acts[13].number
    match.do("correct", act=number, side="away")
    assert match.tells("spans", "home_points", "away_points", "call") == ("10–9", "10", "9", "game point Team Bobbin")
    match.do("strike", act=number)
    assert match.tells("home_points", "away_points") == ("10", "8")
    with pytest.raises(InvalidField, match="There is no such entry in this match"):
        match.do("correct", act="999999", side="home")


def test_what_a_correction_leaves_without_a_place_counts_nothing_and_says_why() -> None:
    match = Match(wins="1").points("h10 a1 h1")
    assert match.tells("winner") == ("Home",)
    first = match.it.acts[0].number
    match.do("strike", act=first).points("h1")
    assert match.tells("winner") == ("Home",)
    match.do("put_back", act=first)
    rows = match.it.view(match.now)["acts"]
    assert rows[-1]["why"].startswith("The match has ended")


def test_any_figure_is_set_by_hand() -> None:
    match = cup().do("set", figure="points", side="home", value="9").do("set", figure="games", side="away", value="2")
    assert match.tells("home_points", "away_won", "score") == ("9", 2, "0–2")
    match.points("h2")
    assert match.tells("home_won", "spans") == (1, "11–0")
    assert match.do("set", figure="games", side="away", value="3").tells("winner") == ("Team Keel",)
    match.do("take_back")
    with pytest.raises(InvalidField, match="There are: points, games"):
        match.do("set", figure="sets", side="home", value="1")
    with pytest.raises(InvalidField, match="not a number"):
        match.do("set", figure="points", side="home", value="many")
    football = (
        Match("football").do("count", side="home", what="yellow").do("set", figure="yellow", side="home", value="3")
    )
    assert football.tells("home_count_yellow") == (3,)
    assert football.do("set", figure="yellow", side="home", value="0").tells("home_count_yellow") == (0,)
    assert football.do("set", figure="period", value="2").tells("span", "clock") == ("half 2", "45:00")


def test_with_points_set_by_hand_who_serves_follows_from_them() -> None:
    match = cup().do("set", figure="points", side="home", value="2")
    assert match.tells("server", "away_serves") == ("otto_knot", True)
    assert match.points("h2").tells("server") == ("wren_bobbin",)
    assert Match("volleyball").do("set", figure="points", side="home", value="2").tells("home_serves") == (True,)


def test_who_serves_is_set_by_hand_and_goes_on_from_there() -> None:
    match = cup().do("serve", side="away")
    assert match.tells("server", "away_serves") == ("otto_knot", True)
    assert match.points("h2").tells("server") == ("wren_bobbin",)
    with pytest.raises(InvalidField, match="has no player tuck"):
        match.do("serve", side="home", player="tuck")


def test_two_phones_that_tell_of_one_rally_count_one_point() -> None:
    match = cup().do("point", side="home", actor="device:Court phone")
    for side in ("home", "away"):
        with pytest.raises(CommandRefused, match=r"Court phone scored 0\.4 s ago for Team Bobbin"):
            match.do("point", 0.4, side=side, actor="device:Second phone")
        match.now -= timedelta(seconds=0.4)
    # The same phone may press quickly, and two seconds later it was another rally.
    match.do("point", 0.2, side="home", actor="device:Court phone")
    assert match.do("point", 2, side="away", actor="device:Second phone").tells("home_points", "away_points") == (
        "2",
        "1",
    )


def test_with_a_referee_his_phone_and_the_desk_count() -> None:
    match = Match(counts_by="one", referee="Referee")
    for command, with_it in (("point", "home"), ("take_back", "")):
        with pytest.raises(CommandRefused, match="Referee scores this match"):
            match.do(command, actor="device:Phone", side=with_it)
    match.do("point", side="home", actor="device:referee").do("point", side="away", actor="desk")
    assert match.tells("home_points", "away_points") == ("1", "1")
    # Who gives it is known, whatever he says of himself.
    with pytest.raises(CommandRefused, match="Referee scores this match"):
        match.do("point", actor="device:Phone", side="home", by="desk")
    match.do("notice", actor="device:Phone", text="A break for tea")
    assert match.tells("notice") == ("A break for tea",)


# What it tells


def test_moments_are_told_once() -> None:
    match = cup().points("h4")
    assert match.fired() == ["point"] * 4
    match.heard().points("h1")
    assert match.fired() == ["point", "run"]
    match.heard().points("a6")
    assert match.fired() == [*["point"] * 5, "run", "point", "lead"]
    match.heard().points("a4")
    assert match.fired() == ["point"] * 4 + ["set_point"]
    assert match.it.fires(match.now)[-1].data["name"] == "Team Keel"
    # It has it still, and is not told so again.
    match.heard().points("h1")
    assert match.fired() == ["point"]
    match.heard().points("a1")
    assert match.fired() == ["point", "set", "ends"]
    assert match.it.fires(match.now)[1].data["words"] == "6–11, game to Team Keel · otto_knot serves · change ends"


def test_whose_point_it_is_does_not_hang_on_the_names() -> None:
    match = Match()
    for side in ("home", "away"):
        match.do("side", side=side, name="Team Keel")
    match.do("put_on_air").points("h9").heard().points("h1")
    assert [(one.type, one.data["side"]) for one in match.it.fires(match.now)] == [
        ("match.point", "home"),
        ("match.set_point", "home"),
    ]


def test_a_lead_is_one_within_a_game_and_who_wins_it_takes_none() -> None:
    # In the next game nobody has led yet.
    match = cup().points("h11").heard().points("a1")
    assert match.fired() == ["point"]
    # Away led 3–2; the point that decides at three all wins the game, and is no change of lead.
    match = Match("tennis_no_advantage").points("h2 a3 h1").heard().points("h1")
    assert match.fired() == ["point", "set", "ends"]


def test_a_point_that_was_taken_back_before_it_was_told_is_not_told() -> None:
    match = cup().points("h1").do("take_back")
    assert match.fired() == []


def test_a_correction_that_ends_the_match_tells_so() -> None:
    match = Match(wins="1").points("h10 a1").heard()
    match.do("correct", act=match.it.acts[-1].number, side="home")
    assert match.fired() == ["match"]


def test_the_chance_is_that_of_the_rules() -> None:
    assert cup().tells("chance") == (0.5,)
    assert Match(wins="1").points("h9 a9 h1").tells("chance") == (0.75,)
    assert Match("football").tells("chance") == (None,)


# Sides, in draft and on air


def test_names_and_colours_wait_for_put_on_air_and_points_never_do() -> None:
    match = cup().do("side", side="home", name="Team Bobbin of the Pier", colour="#8A5A00").points("h1")
    assert match.tells("home_name", "home_points") == ("Team Bobbin", "1")
    assert match.it.view(match.now)["differences"] == [
        "Team Bobbin, name: Team Bobbin → Team Bobbin of the Pier",
        "Team Bobbin, colour: #2F6B5E → #8A5A00",
    ]
    match.do("put_on_air")
    assert match.tells("home_name", "colours", "home_points") == (
        "Team Bobbin of the Pier",
        "#8A5A00 #FFFFFF #C23A22 #FFFFFF",
        "1",
    )
    with pytest.raises(CommandRefused, match="The draft matches what's on air"):
        match.do("put_on_air")
    match.do("exchange").do("drop_draft")
    assert match.it.draft == match.it.lineup


def test_names_of_sixty_letters_fit_and_longer_ones_are_refused() -> None:
    match = cup().do("side", side="home", name="x" * 60)
    with pytest.raises(InvalidPiece, match="61 characters"):
        match.do("side", side="home", name="x" * 61)
    with pytest.raises(InvalidPiece, match="is not a colour"):
        match.do("side", side="home", colour="greenish")
    with pytest.raises(InvalidField, match="Give the side: home or away"):
        match.do("side", side="left", name="Team Keel")


def test_colours_that_cannot_be_told_apart_are_said() -> None:
    alike = Lineup("", (Side("Team Bobbin", colour="#2F6B5E"), Side("Team Keel", colour="#2F6B5E")))
    assert colour_problems(alike) == [
        "Team Bobbin and Team Keel have the same colour: viewers can't tell them apart. Change one of them."
    ]
    near = replace(alike, sides=(alike.sides[0], Side("Team Keel", colour="#2F6F5E")))
    assert "nearly the same colour" in colour_problems(near)[0]
    far = replace(alike, sides=(alike.sides[0], Side("Team Keel", colour="#C23A22")))
    assert colour_problems(far) == []
    assert colour_problems(far, {"Score": "#C23A22"}) == [
        "The colour of Team Keel is lost on the backing of “Score”, #C23A22."
    ]


@given(st.integers(0, 0xFFFFFF))
def test_letters_on_a_sides_colour_can_always_be_read(number: int) -> None:
    side = Side("Team Keel", colour=f"#{number:06X}")
    assert contrast(rgb(side.letters), rgb(side.colour)) >= 4.5


def test_a_team_is_taken_from_the_shelf() -> None:
    match = cup()
    team = InstrumentItem("i1", {"name": "Team Gale", "short": "GAL", "colour": "#8A5A00", "players": "pip_gale, tuck"})
    match.it = match.it.with_items((team,))
    match.do("take_team", side="away", team="team gale").do("put_on_air")
    assert match.tells("away_name", "away_short", "away_players") == ("Team Gale", "GAL", "pip_gale, tuck")
    with pytest.raises(InvalidField, match="There are: Team Gale"):
        match.do("take_team", side="away", team="Team Nobody")


# Notices


def test_notices_wait_their_turn() -> None:
    match = cup().do("notice", title="Next", text="Team Gale against Team Knot", for_s="10").do("notice", 2, text="Tea")
    assert match.said == "queued: Tea"
    assert match.tells("notice_title", "notice") == ("Next", "Team Gale against Team Knot")
    match.now += timedelta(seconds=8)
    assert match.tells("notice_title", "notice", "notice_there") == ("", "Tea", True)
    match.do("notice", text="A new ball", when="after_rally").do("end_notice")
    assert match.tells("notice_there") == (False,)
    assert match.points("h1").tells("notice") == ("A new ball",)
    with pytest.raises(InvalidField, match="empty"):
        match.do("notice", text=" ")
    for _ in range(19):
        match.do("notice", text="x")
    with pytest.raises(CommandRefused, match="20 notices are queued"):
        match.do("notice", text="x")


# Kept, told again, taken along


def test_a_notice_that_waited_has_its_own_time_from_when_the_one_before_it_went() -> None:
    match = cup().do("notice", text="Tea", for_s="10").do("notice", 0, text="Biscuits", for_s="5")
    match.now += timedelta(seconds=14.5)
    assert match.tells("notice") == ("Biscuits",)
    match.now += timedelta(seconds=0.5)
    assert match.tells("notice") == ("",)


def test_a_new_match_keeps_the_last_one_and_can_be_taken_back() -> None:
    match = cup().points("h11").do("new_match")
    record = match.it.recorded()[0].data
    assert (record["home"], record["result"], record["sets"], record["winner"]) == ("Team Bobbin", "1–0", "11–0", "")
    assert match.tells("state", "home_name", "score") == ("ready", "Team Bobbin", "0–0")
    with pytest.raises(CommandRefused, match="This match is still empty"):
        match.do("new_match")
    assert match.do("last_match").tells("score") == ("1–0",)
    assert board_of(record["match"]).stage.match == match.it.stage.match


def test_a_match_goes_along_as_a_file_and_as_a_table() -> None:
    match = cup().points("h3 a1").do("take_back")
    told = json.loads(json.dumps(match_file(match.it)))
    again = board_of(told)
    assert (again.stage, again.lineup, again.acts) == (match.it.stage, match.it.lineup, match.it.acts)
    rows = table(match.it)
    assert rows[0][3:6] == ["what", "points", "sets"]
    assert rows[3][2:7] == ["home", "Team Bobbin: point", "3–0", "3–0", "otto_knot"]
    assert rows[4][-1] == "undone"


@pytest.mark.parametrize("kind", ["none", "else", "acts", "act", "sides", "value", "at", "colour", "rules", "sport"])
def test_a_match_that_tesoura_did_not_write_is_refused(kind: str) -> None:
    told = json.loads(json.dumps(match_file(cup().points("h1").it)))
    act, side = told["acts"][0], told["sides"]["sides"][0]
    wrong: dict[str, Any] = {
        "none": {"format": None},
        "else": {"format": "else"},
        "acts": {"acts": 3},
        "act": {"acts": [{"kind": "x"}]},
        "sides": {"sides": {}},
        "value": {"acts": [{**act, "value": float("nan")}]},
        "at": {"acts": [{**act, "at": 10**30}]},
        "colour": {"sides": {"heading": "", "sides": [{**side, "colour": "red"}, side]}},
        "rules": {"rules": {"sport": "own", "rules": "x"}},
        "sport": {"rules": {"sport": "chess"}},
    }
    with pytest.raises(InvalidField):
        board_of({**told, **wrong[kind]})


SPORT_NAMES = [*SPORTS]
COMMANDS = (
    *["point"] * 4,
    "take_back",
    "put_back",
    "correct",
    "strike",
    "serve",
    "swap_ends",
    "set",
    "start_clock",
    "stop_clock",
    "end_period",
    "count",
    "notice",
)


def _wild(chance: random.Random, match: Match) -> dict[str, Any]:
    acts = match.it.acts
    return {
        "side": chance.choice(("home", "away")),
        "act": chance.choice(acts).number if acts else 1,
        "value": "2",
        "figure": "points",
        "text": "tea",
        "what": next(iter(getattr(match.it.plan.sport, "scores", {"": 1}))),
    }


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10**9))
def test_a_match_told_again_from_its_acts_is_the_same_and_so_is_one_restored(seed: int) -> None:
    chance = random.Random(seed)
    match = Match(chance.choice(SPORT_NAMES))
    for _ in range(chance.randrange(80)):
        name = chance.choice(COMMANDS)
        wanted = set(KIND.command(name).fields) if KIND.command(name) else set()  # type: ignore[union-attr]
        given_ = {key: value for key, value in _wild(chance, match).items() if key in wanted}
        try:
            match.do(name, **given_)
        except (InvalidField, InvalidPiece):
            continue
    assert match.it.told_again(match.it.acts) == match.it
    assert KIND.restore("match", match.choices, Almanac(), json.loads(json.dumps(match.it.saved()))).read(
        match.now
    ) == match.it.read(match.now)
    assert board_of(match_file(match.it)).stage == match.it.stage


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from([name for name in SPORT_NAMES if name in ("table_tennis", "tennis", "badminton", "football")]),
    st.lists(st.booleans(), max_size=90),
    st.integers(1, 6),
)
def test_a_point_that_was_taken_back_is_as_if_it_never_was(sport: str, sides: list[bool], more: int) -> None:
    def scored(match: Match, home: bool) -> None:
        if not match.it.stage.over:
            match.do("point", side="home" if home else "away")

    one, other = Match(sport), Match(sport)
    for home in sides:
        scored(one, home)
        scored(other, home)
    before = len(other.it.acts)
    for at in range(more):
        scored(other, at % 2 == 0)
    for _ in range(len(other.it.acts) - before):
        other.do("take_back")
    same = ("score", "spans", "home_points", "away_points", "server", "call", "state", "chance", "ends", "leader")
    assert one.tells(*same) == other.tells(*same)


def test_an_act_that_is_none_is_refused() -> None:
    assert act_of({"number": 3, "at": 5, "kind": "point", "side": "home"}).side == HOME
    for wrong in ({"number": 3, "at": 5, "kind": "point", "side": "left"}, {"kind": "point"}, {"number": "x", "at": 1}):
        with pytest.raises(InvalidField):
            act_of(wrong)
    assert AWAY == 1
