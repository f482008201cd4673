"""Sports as tables: hand-worked matches, serve and ends, what the next point would be, the chance to win from here."""

from __future__ import annotations

import itertools
import random

import pytest

from tesoura.core.sports.own import read, unreachable
from tesoura.core.sports.rally import AWAY, HOME, RallyMatch, played
from tesoura.core.sports.tables import RALLY_SPORTS, RallySport
from tesoura.core.sports.timed import TIMED_SPORTS, TimedMatch
from tesoura.errors import InvalidField

TABLE_TENNIS, TENNIS, NO_ADVANTAGE, BADMINTON, VOLLEYBALL, BEACH = (
    RALLY_SPORTS[name]
    for name in ("table_tennis", "tennis", "tennis_no_advantage", "badminton", "volleyball", "beach_volleyball")
)


def rallies(typed: str) -> list[int]:
    """`h3 a2` is three points for the first side, then two for the other."""
    return [side for part in typed.split() for side in [HOME if part[0] == "h" else AWAY] * int(part[1:] or 1)]


def match(sport: RallySport, typed: str, server: int = HOME) -> RallyMatch:
    return played(sport, rallies(typed), server)


def servers(sport: RallySport, typed: str) -> str:
    """Who serves before each point and after the last one."""
    stages = itertools.accumulate(rallies(typed), RallyMatch.point, initial=RallyMatch.begun(sport))
    return "".join("ha"[one.server] for one in stages)


# Table tennis


def test_table_tennis_is_won_by_eleven_and_two_ahead() -> None:
    assert match(TABLE_TENNIS, "h10").counts == ((10, 0), (0, 0))
    assert match(TABLE_TENNIS, "h11").counts == ((0, 0), (1, 0))
    level = "h10 a10"
    assert match(TABLE_TENNIS, f"{level} h1").counts[0] == (11, 10)
    assert match(TABLE_TENNIS, f"{level} h1 a1 a2").counts == ((0, 0), (0, 1))
    assert match(TABLE_TENNIS, "h11 " * 3).winner == HOME
    assert match(TABLE_TENNIS, "h11 h11 a11 a11 h11").told == ("game", "match")


def test_table_tennis_is_served_by_twos_and_by_ones_from_ten_all() -> None:
    assert servers(TABLE_TENNIS, "h1 a1 h1 a1 h1") == "hhaahh"
    # At ten all the first server is due, and then they take turns.
    assert servers(TABLE_TENNIS, "h10 a10 h1 a1 h1")[20:] == "haha"
    # Who received first serves first in the next game.
    assert servers(TABLE_TENNIS, "h11 h1 h1")[11:] == "aah"


def test_table_tennis_changes_ends_after_each_game_and_at_five_in_the_last() -> None:
    assert match(TABLE_TENNIS, "h11").told == ("game", "ends")
    last = "h11 a11 h11 a11"
    assert [match(TABLE_TENNIS, f"{last} {more}").told for more in ("h4", "h4 a4 h1", "h5 a5")] == [(), ("ends",), ()]
    assert match(TABLE_TENNIS, "h11").swapped
    assert not match(TABLE_TENNIS, "h11 h11").swapped


# Tennis

LOVE_GAMES = "h4 a4 " * 6
"""Twelve games, six each, so that a tie-break follows."""


def test_tennis_is_called_as_it_is_called() -> None:
    for typed, called in (
        ("", ("0", "0")),
        ("h1", ("15", "0")),
        ("h2 a3", ("30", "40")),
        ("h3 a3", ("40", "40")),
        ("h3 a3 h1", ("advantage", "40")),
        ("h3 a3 h1 a1", ("40", "40")),
    ):
        stands = match(TENNIS, typed)
        assert (stands.called(HOME), stands.called(AWAY)) == called
    assert match(TENNIS, "h3 a3 h2").counts[1] == (1, 0)
    assert match(NO_ADVANTAGE, "h3 a3 a1").counts[1] == (0, 1)


def test_a_set_of_tennis_is_won_by_two_games_or_a_tie_break() -> None:
    assert match(TENNIS, "h4 " * 6).counts == ((0, 0), (0, 0), (1, 0))
    assert match(TENNIS, "h4 a4 " * 5 + "h4").counts[1] == (6, 5)
    assert match(TENNIS, "h4 a4 " * 5 + "h4 h4").counts[2] == (1, 0)
    tied = match(TENNIS, LOVE_GAMES + "h6 a6")
    assert (tied.counts, tied.called(HOME)) == (((6, 6), (6, 6), (0, 0)), "6")
    assert tied.point(HOME).point(HOME).told == ("tie-break", "set", "ends")
    assert tied.point(HOME).point(HOME).finished[-1].score == (7, 6)


def test_a_tie_break_is_served_once_then_twice_each_and_who_received_first_begins_the_next_set() -> None:
    assert servers(TENNIS, LOVE_GAMES + "h1 a1 h1 a1 h1")[48:] == "haahha"
    assert match(TENNIS, LOVE_GAMES + "h7").server == AWAY


def test_tennis_changes_ends_after_odd_games_and_after_six_points_of_a_tie_break() -> None:
    told = [match(TENNIS, "h4 " * games).told for games in range(1, 6)]
    assert told == [("game", "ends"), ("game",), ("game", "ends"), ("game",), ("game", "ends")]
    # Six games make a set, which is even: ends are changed after the first game of the next.
    assert match(TENNIS, "h4 " * 6).told == ("game", "set")
    assert match(TENNIS, "h4 " * 7).told == ("game", "ends")
    assert match(TENNIS, LOVE_GAMES + "h3 a3").told == ("ends",)


# Badminton, volleyball, beach


def test_badminton_ends_at_thirty_whatever_the_lead() -> None:
    assert match(BADMINTON, "h20 a20 h1 a1 " + "h1 a1 " * 8).counts[0] == (29, 29)
    assert match(BADMINTON, "h20 a20 " + "h1 a1 " * 9 + "a1").told == ("game", "ends")
    assert servers(BADMINTON, "h1 a1 a1 h1") == "hhaah"
    assert match(BADMINTON, "a21").server == AWAY
    assert match(BADMINTON, "h21 a21 h11").told == ("ends",)
    assert match(BADMINTON, "h21 a21 h10 a11 h1").told == ()


def test_volleyball_goes_to_fifteen_in_the_fifth_set() -> None:
    four = "h25 a25 h25 a25"
    assert match(VOLLEYBALL, f"{four} h14 a14 h1").winner is None
    assert match(VOLLEYBALL, f"{four} h15").winner == HOME
    assert match(VOLLEYBALL, f"{four} h8").told == ("ends",)
    assert match(VOLLEYBALL, "h24 a24 h1").counts[0] == (25, 24)
    assert servers(VOLLEYBALL, "a1 a1 h1") == "haah"


def test_beach_volleyball_changes_ends_every_seven_points_and_every_five_in_the_last_set() -> None:
    assert [match(BEACH, f"h{points}").told for points in (6, 7, 13, 14)] == [(), ("ends",), (), ("ends",)]
    assert [match(BEACH, f"h21 a21 h{points}").told for points in (5, 7, 10)] == [("ends",), (), ("ends",)]


# What the next point would be, and the chance


def test_set_and_match_point_are_told_for_who_has_them() -> None:
    stands = match(TENNIS, "h4 " * 11 + "h3")
    assert (stands.point_for(HOME), stands.point_for(AWAY)) == ("match", "")
    assert match(TENNIS, "h4 " * 5 + "h3").point_for(HOME) == "set"
    assert match(TABLE_TENNIS, "h10 a10 a1").point_for(AWAY) == "game"
    assert match(TABLE_TENNIS, "h11 " * 3).point_for(HOME) == ""


@pytest.mark.parametrize(
    ("sport", "typed", "chance"),
    [
        (TABLE_TENNIS, "", 0.5),
        # Two games ahead of three: one of three more is enough, 1 - 1/8.
        (TABLE_TENNIS, "h11 h11", 0.875),
        # Ten to nine in the deciding game: there at once, or ten all, 1/2 + 1/4.
        (TABLE_TENNIS, "h11 a11 h11 a11 h9 a9 h1", 0.75),
        (TABLE_TENNIS, "h11 a11 h11 a11 h10 a8", 0.875),
        (NO_ADVANTAGE, "h3 a3", 0.5),
        (VOLLEYBALL, "h25 a25 h25 a25 h14 a13", 0.75),
        (BADMINTON, "h21 a21 h20 a20 " + "h1 a1 " * 9, 0.5),
    ],
)
def test_the_chance_at_even_strength_is_exact(sport: RallySport, typed: str, chance: float) -> None:
    stands = match(sport, typed)
    assert stands.chance(HOME) == pytest.approx(chance, abs=1e-12)
    assert stands.chance(HOME) + stands.chance(AWAY) == pytest.approx(1, abs=1e-12)


@pytest.mark.parametrize("sport", RALLY_SPORTS.values(), ids=RALLY_SPORTS)
def test_the_chance_is_the_mean_of_what_follows_and_every_match_ends(sport: RallySport) -> None:
    for seed in range(6):
        chance, stands = random.Random(seed), RallyMatch.begun(sport, seed % 2)
        points = 0
        while stands.winner is None:
            after = [stands.point(side).chance(HOME) for side in (HOME, AWAY)]
            assert stands.chance(HOME) == pytest.approx(sum(after) / 2, abs=1e-9)
            stands = stands.point(chance.randrange(2))
            points += 1
            assert points < 2_000
        assert stands.point(HOME) is stands
        assert stands.chance(stands.winner) == 1.0
        assert [one.level for one in stands.finished].count(len(sport.units) - 1) == 1


# Against the clock

FOOTBALL, FUTSAL, BASKETBALL, HANDBALL, HOCKEY, RUGBY, FENCING = (
    TimedMatch(TIMED_SPORTS[name])
    for name in ("football", "futsal", "basketball", "handball", "ice_hockey", "rugby", "fencing")
)


def test_each_score_counts_what_the_sport_says() -> None:
    tried = RUGBY.scored(HOME, "try").scored(HOME, "conversion").scored(AWAY, "penalty goal")
    assert tried.score == (7, 3)
    assert BASKETBALL.scored(AWAY, "three").scored(AWAY, "free throw").score == (0, 4)
    with pytest.raises(InvalidField, match="There are: goal"):
        FOOTBALL.scored(HOME, "try")


def test_football_goes_into_two_periods_of_extra_time_and_ends() -> None:
    level = FOOTBALL.scored(HOME, "goal").scored(AWAY, "goal").next_period()
    assert (level.told, level.period) == ("half 2 of 2", 2)
    extra = level.next_period()
    assert (extra.told, extra.in_extra_time) == ("extra time", True)
    # A goal in the first half of it does not end it: the second is played.
    ahead = extra.scored(HOME, "goal")
    assert not ahead.over
    assert ahead.next_period().period == 4
    assert ahead.next_period().next_period().winner == HOME
    assert extra.next_period().next_period().told == "a draw"
    assert FOOTBALL.scored(HOME, "goal").next_period().next_period().winner == HOME


def test_basketball_plays_on_until_somebody_leads() -> None:
    match = BASKETBALL
    for _ in range(6):
        match = match.next_period()
    assert (match.period, match.over) == (7, False)
    assert match.scored(AWAY, "field goal").next_period().winner == AWAY


def test_the_first_goal_of_extra_time_ends_ice_hockey_and_the_first_touch_fencing() -> None:
    extra = HOCKEY.next_period().next_period().next_period()
    assert extra.in_extra_time
    assert extra.scored(AWAY, "goal").winner == AWAY
    fifteen = FENCING
    for _ in range(15):
        fifteen = fifteen.scored(HOME, "touch")
    assert (fifteen.over, fifteen.told, fifteen.scored(AWAY, "touch").score) == (True, "the match is won", (15, 0))


def test_fouls_begin_anew_with_each_period_and_say_what_they_lead_to() -> None:
    match = BASKETBALL
    told = []
    for _ in range(5):
        match = match.count(HOME, "foul")
        told.append(match.told)
    assert told == ["", "", "", "", "free throws from now on"]
    assert (match.had(HOME, "foul"), match.had(AWAY, "foul")) == (5, 0)
    assert match.next_period().had(HOME, "foul") == 0


def test_time_outs_are_taken_until_there_are_none_left() -> None:
    # Two in the first half of a basketball match, three in the second, one in each extra period.
    first = BASKETBALL.count(HOME, "time_out").next_period().count(HOME, "time_out")
    with pytest.raises(InvalidField, match="all 2 of this half are taken"):
        first.count(HOME, "time_out")
    second = first.next_period()
    for _ in range(3):
        second = second.count(HOME, "time_out")
    with pytest.raises(InvalidField, match="all 3 of this half are taken"):
        second.count(HOME, "time_out")
    extra = second.next_period().next_period().count(HOME, "time_out")
    with pytest.raises(InvalidField, match="all 1 of this extra period are taken"):
        extra.count(HOME, "time_out")
    assert extra.next_period().count(HOME, "time_out").had(HOME, "time_out") == 1
    with pytest.raises(InvalidField, match="all 1 of this period are taken"):
        FUTSAL.count(AWAY, "time_out").count(AWAY, "time_out")
    # Three in a handball match, and two of them at most in one half.
    two = HANDBALL.count(HOME, "time_out").count(HOME, "time_out")
    with pytest.raises(InvalidField, match="at most 2 can be taken in one half"):
        two.count(HOME, "time_out")
    with pytest.raises(InvalidField, match="all 3 of this match are taken"):
        two.next_period().count(HOME, "time_out").count(HOME, "time_out")
    with pytest.raises(InvalidField, match="there are none in extra time"):
        HANDBALL.next_period().next_period().count(HOME, "time_out")
    with pytest.raises(InvalidField, match="It counts: time_out, yellow, red"):
        HANDBALL.count(HOME, "foul")


def test_penalties_run_with_the_playing_time() -> None:
    match = HOCKEY.penalised(HOME, "minor").penalised(AWAY, "major")
    assert [one.left_s for one in match.penalties] == [120, 300]
    after = match.passed(90)
    assert [(one.side, one.left_s) for one in after.penalties] == [(HOME, 30), (AWAY, 210)]
    ended = after.passed(30)
    assert ([one.name for one in ended.penalties], ended.told) == (["major"], "a penalty has ended")
    with pytest.raises(InvalidField, match="There are: none"):
        FOOTBALL.penalised(HOME, "minor")


# Rules of one's own

YARD = """
title = "Kites in the yard"
[[unit]]
name = "game"
to = 5
by = 2
cap = 8
last_to = 3
[[unit]]
name = "match"
to = 2
[serving]
kind = "turns"
each = 2
[ends]
each_unit = true
last_at = 2
"""


def test_rules_of_ones_own_are_played_as_they_are_written() -> None:
    sport = read(YARD)
    assert isinstance(sport, RallySport)
    assert (sport.name, sport.title, unreachable(sport)) == ("kites_in_the_yard", "Kites in the yard", [])
    assert match(sport, "h4 a4 h1 a1").counts[0] == (5, 5)
    assert match(sport, "h4 a4 h1 a1 h1 a1 h1 a1 h1").told == ("game", "ends")
    assert match(sport, "h5 a5 h2").told == ("ends",)
    assert match(sport, "h5 a5 h3").winner == HOME


@pytest.mark.parametrize(
    ("was", "becomes", "words"),
    [
        ("to = 5", "", "” would never end"),
        ("to = 5", "to = 0", "a whole number from 1 to 200"),
        ("to = 5", "to = true", "a whole number from 1 to 200"),
        ("to = 5", "too = 5", "“too” means nothing in a unit"),
        ('name = "match"', 'name = "match"\nlast_to = 1', "nothing is above it that it could decide"),
        ('kind = "turns"', 'kind = "dice"', "kind of serving is one of: rally, turns, games"),
        ("each_unit = true", "each_unit = 1", "true or false"),
        ('title = "Kites in the yard"', "", "Give title as a text"),
        ("[ends]", "[ends", "Not valid TOML"),
        ("cap = 8", "tie_at = 4", "”, tie and tie_at must be set together:"),
    ],
)
def test_rules_that_cannot_be_read_say_what_would_be_right(was: str, becomes: str, words: str) -> None:
    with pytest.raises(InvalidField, match=words):
        read(YARD.replace(was, becomes))


@pytest.mark.parametrize(
    ("was", "becomes", "words"),
    [
        ("cap = 8", "cap = 4", "“game” is won at 4 by its cap, so nobody ever comes to 5."),
        ("by = 2", "by = 1", "The cap of “game” at 8 never counts: it is won by the lead before."),
        ("last_at = 2", "last_at = 9", "Ends are never changed at 9: the deciding game ends earlier."),
        ("last_at = 2", "every_points_tie = 6", "every_points_tie never counts: there is no tie-break."),
        ('kind = "turns"', 'kind = "rally"', "each of serving never counts: with “rally” nobody serves in turns."),
        (
            'name = "match"\nto = 2',
            'name = "match"\nto = 2\ntie_at = 2\ntie = { name = "last", to = 7 }',
            "“match” never reaches 2 each: it is won earlier.",
        ),
    ],
)
def test_what_can_never_happen_is_said(was: str, becomes: str, words: str) -> None:
    assert words in unreachable(read(YARD.replace(was, becomes)))


def test_nothing_in_the_sports_that_ship_is_unreachable() -> None:
    assert [unreachable(one) for one in RALLY_SPORTS.values()] == [[]] * 6


# Extra time, goals against fewer players, and tie-breaks of one's own


def timed(sport: str, *steps: tuple[str, ...]) -> TimedMatch:
    """A match after these: `next`, or what happened, with the side and its name."""
    match = TimedMatch(TIMED_SPORTS[sport])
    for what, *rest in steps:
        if what == "next":
            match = match.next_period()
        else:
            side, name = int(rest[0]), rest[1]
            match = getattr(match, what)(side, name)
    return match


@pytest.mark.parametrize(("sport", "periods"), [("basketball", 4), ("futsal", 2)])
def test_team_fouls_of_the_last_period_go_on_in_extra_time(sport: str, periods: int) -> None:
    before = [("count", "0", "foul"), *[("next",)] * (periods - 1), ("count", "0", "foul"), ("count", "0", "foul")]
    match = timed(sport, *before)
    assert match.had(0, "foul") == 2
    extra = match.next_period()
    assert (extra.in_extra_time, extra.had(0, "foul"), extra.had(1, "foul")) == (True, 2, 0)
    assert extra.count(0, "foul").had(0, "foul") == 3
    assert extra.next_period().had(0, "foul") == 2


def test_a_minor_penalty_ends_with_a_goal_against_and_a_major_does_not() -> None:
    short = timed("ice_hockey", ("penalised", "0", "minor"), ("penalised", "0", "major"), ("penalised", "0", "minor"))
    after = short.scored(1, "goal")
    assert ([one.name for one in after.penalties], after.told) == (["major", "minor"], "a minor penalty has ended")
    assert [one.name for one in short.scored(0, "goal").penalties] == ["minor", "major", "minor"]
    # With as many players on both sides nothing ends, and a misconduct takes nobody away.
    even = timed("ice_hockey", ("penalised", "0", "minor"), ("penalised", "1", "minor"))
    assert len(even.scored(1, "goal").penalties) == 2
    alone = timed("ice_hockey", ("penalised", "0", "misconduct"))
    assert len(alone.scored(1, "goal").penalties) == 1
    assert timed("futsal", ("penalised", "0", "sent off")).scored(1, "goal").penalties == ()
    assert len(timed("handball", ("penalised", "0", "suspension")).scored(1, "goal").penalties) == 1


def test_handball_has_a_second_overtime_of_two_halves_and_football_only_one() -> None:
    level = timed("handball", *[("next",)] * 3)
    assert (level.period, level.over) == (4, False)
    second = level.next_period()
    assert (second.period, second.over, second.told) == (5, False, "extra time")
    # Whoever leads after its first half must play the second, too.
    led = second.scored(0, "goal").next_period()
    assert (led.period, led.over) == (6, False)
    assert (led.next_period().over, led.next_period().winner) == (True, 0)
    assert timed("handball", *[("next",)] * 6).told == "a draw"
    assert timed("football", *[("next",)] * 4).told == "a draw"


TIES = """
title = "Yard tennis"
[[unit]]
name = "game"
to = 1
[[unit]]
name = "set"
to = 2
by = 2
tie_at = 2
tie = { name = "tie-break", to = 3, by = 1, last_to = 5 }
[[unit]]
name = "match"
to = 2
"""


def test_a_tie_break_of_another_length_decides_the_match() -> None:
    sport = read(TIES)
    assert isinstance(sport, RallySport)
    match = RallyMatch.begun(sport)
    for side in (0, 1, 0, 1):
        match = match.point(side)
    assert (match.unit(0).name, match.to_win(0)) == ("tie-break", 3)
    for _ in range(3):
        match = match.point(0)
    assert match.counts[2] == (1, 0)
    for side in (1, 0, 1, 0):
        match = match.point(side)
    for _ in range(3):
        match = match.point(1)
    assert match.counts[2] == (1, 1)
    for side in (0, 1, 0, 1):
        match = match.point(side)
    # It decides the match now: five win it, and not three.
    assert (match.unit(0).name, match.to_win(0)) == ("tie-break", 5)
    for _ in range(4):
        match = match.point(0)
    assert match.winner is None
    assert match.point(0).winner == 0
