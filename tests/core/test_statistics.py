"""Game statistics, by cases worked out by hand."""

from __future__ import annotations

import random
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.forms.form import fill
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.statistics import KIND
from tesoura.core.instruments.statistics.statistics import Statistics
from tesoura.core.instruments.statistics.tally import KILL, Tally, TallyMark
from tesoura.errors import CommandRefused, InvalidField

T = datetime(2026, 11, 26, 20, 0, tzinfo=UTC)
ME, OTTO, PIP = "mara_vane", "otto_knot", "pip_gale"


def at(seconds: float) -> datetime:
    return T + timedelta(seconds=seconds)


class Game:
    """A game that tells what happens, and the statistics that hear it."""

    def __init__(self, almanac: Almanac | None = None, **typed: Any) -> None:
        filled = fill(KIND.fields, {"player": ME, **typed})
        assert not filled.wrong, filled.wrong
        self.choices = filled.choices
        self.almanac = almanac or Almanac(session_began=T)
        self.seq = 0
        made = KIND.begin("game", self.choices, self.almanac, T)
        assert isinstance(made, Statistics)
        self.it = made

    def tell(self, seconds: float, kind: str, **data: Any) -> Game:
        self.seq += 1
        self.it.on_event(Occurrence(micros(at(seconds)), self.seq, kind, data))
        return self

    def kills(self, *seconds: float, **data: Any) -> Game:
        for second in seconds:
            self.tell(second, "kill", **{"actor": ME, "target": OTTO, **data})
        return self

    def dies(self, seconds: float, **data: Any) -> Game:
        return self.tell(seconds, "death", **{"actor": OTTO, "target": ME, **data})

    def do(self, seconds: float, command: str, **given: Any) -> str:
        self.seq += 1
        step = self.it.handle(Command(command, given, self.seq), at(seconds))
        assert isinstance(step.after, Statistics)
        self.it = step.after
        return step.effect

    def read(self, seconds: float = 600) -> dict[str, Any]:
        return dict(self.it.read(at(seconds)))

    def odd(self) -> list[str]:
        return [one.why for one in self.it.odd]


def chosen(told: dict[str, Any], *names: str) -> list[Any]:
    return [told[name] for name in names]


# Kills, deaths, assists


def test_kills_deaths_and_assists_of_a_match() -> None:
    game = Game().tell(0, "match.start").kills(10, 30, 50).dies(60).kills(90)
    game.tell(100, "assist", actor=ME, target=PIP).tell(110, "kill", actor=OTTO, target=PIP)
    told = game.read(120)
    assert chosen(told, "match_kills", "match_deaths", "match_assists") == [4, 1, 1]
    assert chosen(told, "match_kd", "match_kda", "match_deathless") == [4.0, 5.0, False]
    assert chosen(told, "session_kills", "day_kills") == [4, 4]


def test_without_deaths_a_ratio_is_the_count_itself_and_says_so() -> None:
    told = Game().kills(1, 20, 40).tell(50, "assist", actor=ME).read()
    assert chosen(told, "session_kd", "session_kda", "session_deathless") == [3, 4, True]


def test_a_ratio_is_kept_to_four_places() -> None:
    assert Game().kills(1, 20).dies(30).dies(40).dies(50).read()["session_kd"] == 0.6667


def test_kills_a_minute_are_of_match_time_with_pauses_out() -> None:
    game = Game().tell(0, "match.start").kills(10, 20, 30).tell(60, "match.pause").tell(360, "match.resume")
    game.kills(400, 410, 420)
    # A minute before the pause and two after it: six kills in three minutes.
    assert chosen(game.read(480), "match_per_minute", "match_minutes") == [2.0, 3.0]
    game.tell(480, "match.end", result="won")
    # What comes between matches takes no match time.
    assert chosen(game.read(4_000), "session_per_minute", "session_minutes") == [2.0, 3.0]


def test_before_a_second_was_played_there_is_no_rate() -> None:
    assert Game().tell(0, "match.start").read(0.5)["match_per_minute"] is None
    assert Game().kills(1).read()["session_per_minute"] is None


def test_a_streak_ends_with_a_death_and_goes_on_from_match_to_match() -> None:
    game = Game().tell(0, "match.start").kills(10, 20, 30).dies(40).kills(50, 60).tell(70, "match.end", result="won")
    game.tell(80, "match.start").kills(90, 100)
    told = game.read()
    assert chosen(told, "match_streak", "match_best_streak") == [2, 2]
    assert chosen(told, "session_streak", "session_best_streak") == [4, 4]
    game.dies(110)
    assert chosen(game.read(), "session_streak", "session_best_streak") == [0, 4]


def test_multi_kills_are_runs_each_within_seconds_of_the_one_before() -> None:
    game = Game(within_s="5").tell(0, "match.start")
    game.kills(10, 14, 19).kills(30).kills(50, 55)
    told = game.read()
    # 10, 14, 19 are one run of three; 30 stands alone; 50 and 55 are a run of two.
    assert chosen(told, "match_multis", "match_best_multi") == [2, 3]
    assert Game(within_s="5").kills(10, 15.001).read()["session_multis"] == 0


def test_damage_and_accuracy_where_the_game_tells_them() -> None:
    game = Game().tell(1, "damage", actor=ME, target=OTTO, amount=40, shots=10, hits=4)
    game.tell(2, "damage", actor=OTTO, target=ME, amount=25).tell(3, "damage", actor=ME, amount="1,200.5")
    told = game.read()
    assert chosen(told, "session_damage", "session_taken", "session_accuracy_pct") == [1_240.5, 25, 40.0]
    assert chosen(Game().read(), "session_damage", "session_accuracy_pct") == [None, None]


# Which kills count


def test_reward_kills_can_be_left_out_by_tag_and_others_by_means() -> None:
    game = Game(without_tags="Gust Bonus", without_means="tail snap")
    game.kills(1, tags=["gust bonus"]).kills(2, tags=["opening"]).kills(3, means="Tail Snap").kills(4)
    assert game.read()["session_kills"] == 2
    [event] = [Occurrence(0, 9, "kill", {"actor": ME, "target": OTTO, "tags": ["GUST BONUS"]})]
    assert game.it.why_not(event) == "kills tagged gust bonus are left out"


def test_friendly_fire_and_warm_up_are_left_out_unless_wanted() -> None:
    for typed, kills in [({}, 1), ({"friendly": "yes"}, 2), ({"friendly": "yes", "warm_up": "yes"}, 4)]:
        game = Game(None, **typed).kills(1).kills(2, friendly=True).kills(3, warm_up=True).kills(4, tags=["warm-up"])
        assert game.read()["session_kills"] == kills


def test_nobody_kills_themselves() -> None:
    assert Game().kills(1, target=ME).read()["session_kills"] == 0


def test_the_rule_is_said_in_a_sentence() -> None:
    rule = Game(without_tags="gust bonus", warm_up="yes").it.plan.rule
    assert rule.words() == "All kills but these: tagged gust bonus, friendly fire."
    assert Game(friendly="yes", warm_up="yes").it.plan.rule.words() == "All kills count."


def test_a_player_who_was_renamed_keeps_the_kills_of_both_names_and_case_never_decides() -> None:
    game = Game(player="mara_vane, mara_of_the_pier").kills(1, actor="Mara_Vane").kills(2, actor="mara_of_the_pier")
    assert game.kills(3, actor="mara").read()["session_kills"] == 2


def test_without_a_name_every_kill_that_is_told_is_the_players() -> None:
    assert Game(player="").kills(1, actor="somebody").tell(2, "kill").read()["session_kills"] == 2


def test_deaths_may_be_told_by_kills_whose_target_one_is() -> None:
    game = Game(deaths_by="kill").tell(1, "kill", actor=OTTO, target=ME).dies(2)
    assert game.read()["session_deaths"] == 1


# Matches, results, rating


def test_wins_losses_draws_and_the_run_of_wins() -> None:
    game = Game()
    for number, result in enumerate(["lost", "won", "Victory", "draw", "win", "won", ""]):
        game.tell(number * 100, "match.start").tell(number * 100 + 60, "match.end", result=result)
    told = game.read(1_000)
    # The last match told no result: it neither counts nor breaks the run.
    assert chosen(told, "session_wins", "session_losses", "session_draws", "session_win_run") == [4, 1, 1, 2]
    assert told["session_win_rate_pct"] == 66.67
    assert told["match_number"] == 7


def test_the_last_matches_are_a_window_over_those_that_ended() -> None:
    game = Game(last="2")
    for number, kills in enumerate([5, 3, 1]):
        game.tell(number * 100, "match.start").kills(*(number * 100 + 10 * n + 1 for n in range(kills)))
        game.tell(number * 100 + 60, "match.end", result="won" if number else "lost")
    game.tell(400, "match.start").kills(410)
    told = game.read(420)
    assert chosen(told, "last_kills", "last_wins", "last_losses") == [4, 2, 0]
    assert chosen(told, "session_kills", "match_kills", "ended_kills") == [10, 1, 1]


def test_the_ratings_change_this_session_is_since_its_start_not_the_days() -> None:
    game = Game(Almanac(session_began=at(1_000)))
    game.tell(0, "match.start", rating=1_400).tell(60, "match.end", result="won", rating=1_420)
    game.tell(1_100, "match.start").tell(1_200, "match.end", result="lost", rating=1_405)
    game.tell(1_300, "match.start").tell(1_400, "match.end", result="won", rating="1,430")
    told = game.read(1_500)
    assert chosen(told, "rating", "session_rating_change", "day_rating_change") == [1_430, 10, 30]
    assert chosen(told, "session_rating_peak", "ended_rating_change") == [1_430, 25]
    assert told["session_wins"] == 1


def test_a_session_that_knows_no_rating_before_it_begins_with_the_first_one_told() -> None:
    game = Game().tell(10, "match.start").tell(60, "match.end", result="won", rating=1_412)
    assert game.read()["session_rating_change"] == 0
    game.tell(70, "match.start").tell(90, "match.end", result="won", rating=1_430)
    assert chosen(game.read(), "session_rating_change", "ended_rating_change") == [18, 18]


def test_the_place_among_rivals_of_a_match() -> None:
    game = Game().tell(0, "match.start").kills(10, 20)
    for second, actor in enumerate([OTTO, OTTO, OTTO, PIP, PIP], 30):
        game.tell(second, "kill", actor=actor, target="tuck")
    # Otto has three, Pip as many as the player; tuck none.
    assert chosen(game.read(), "match_rank", "match_rivals") == [2, 3]
    # From one's own kills alone no place can be told.
    assert Game().tell(0, "match.start").kills(5).read()["match_rank"] is None
    assert Game(player="").tell(0, "match.start").kills(5).read()["match_rank"] is None


def test_who_was_only_killed_is_a_rival_and_gives_no_place() -> None:
    told = Game().tell(0, "match.start").kills(5, target=PIP).read()
    assert chosen(told, "match_rank", "match_rivals") == [None, 1]


def test_kills_of_the_player_are_offered_as_deaths_until_a_death_is_told() -> None:
    game = Game().tell(0, "match.start").tell(1, "kill", actor=OTTO, target=PIP)
    assert game.it.view(at(1)) == {"beaten": 0}
    game.tell(2, "kill", actor=OTTO, target=ME)
    assert game.it.view(at(2)) == {"beaten": 3}
    again = KIND.restore("game", game.choices, game.almanac, game.it.saved())
    assert again.view(at(2)) == {"beaten": 3}
    game.dies(3)
    assert game.it.view(at(3)) == {"beaten": 0}
    by_kill = Game(deaths_by="kill").tell(2, "kill", actor=OTTO, target=ME)
    assert by_kill.it.view(at(2)) == {"beaten": 0}


def test_the_matches_of_others_are_not_the_players() -> None:
    game = Game().tell(10, "match.end", actor=OTTO, result="lost", rating=900)
    game.tell(20, "match.end", actor="Mara_Vane", result="won", rating=1_412)
    assert chosen(game.read(), "session_wins", "session_losses", "rating") == [1, 0, 1_412]


def test_a_match_of_which_only_the_sums_were_told_counts_with_them() -> None:
    game = Game().tell(600, "match.end", match="m7", result="won", kills=9, deaths=3, assists=2, duration_s=300)
    told = game.read(700)
    assert chosen(told, "ended_kills", "ended_deaths", "ended_kd", "ended_minutes", "ended_per_minute") == [
        9,
        3,
        3.0,
        5.0,
        1.8,
    ]
    # Sums belong to no run.
    assert chosen(told, "session_best_streak", "session_multis") == [0, 0]


# Sessions and days


def test_a_day_begins_at_midnight_in_the_users_zone_within_a_match_too() -> None:
    zone = ZoneInfo("Europe/Paris")
    evening = datetime(2026, 11, 26, 22, 50, tzinfo=UTC)
    game = Game(Almanac(zone, session_began=evening))
    seconds = (evening - T).total_seconds()
    game.tell(seconds, "match.start").kills(seconds + 60, seconds + 120)
    # Midnight in Paris is 23:00 UTC, ten minutes after the match began.
    game.kills(seconds + 660)
    told = game.read(seconds + 720)
    assert chosen(told, "day_kills", "session_kills", "match_kills", "match_streak") == [1, 3, 3, 3]
    assert chosen(told, "day_minutes", "match_minutes") == [2.0, 12.0]


def test_a_session_that_begins_within_a_match_counts_from_there() -> None:
    game = Game(Almanac(session_began=at(100))).tell(0, "match.start").kills(50, 150)
    assert chosen(game.read(160), "session_kills", "match_kills", "day_kills") == [1, 2, 2]


# Strange events


def test_an_end_without_a_start_counts_its_result_and_says_what_is_not_known() -> None:
    game = Game().kills(10).tell(60, "match.end", result="won", rating=1_412)
    assert chosen(game.read(), "session_wins", "session_kills", "ended_minutes") == [1, 1, 0.0]
    assert game.odd() == ["no match had started; its length is unknown"]


def test_a_game_that_crashed_in_a_match_leaves_it_without_a_result_until_its_last_event() -> None:
    game = Game().tell(0, "match.start").kills(60, 120).tell(1_000, "match.start").kills(1_060)
    told = game.read(1_060)
    # Two minutes of the first match and one of the second.
    assert chosen(told, "session_minutes", "session_kills", "match_kills", "session_wins") == [3.0, 3, 1, 0]
    assert game.odd() == ["the previous match never ended; closed at its last event"]


@pytest.mark.parametrize(
    ("kind", "data"),
    [
        ("kill", {"actor": OTTO, "target": PIP}),
        ("kill", {"actor": OTTO, "target": PIP, "tags": ["friendly"]}),
        ("death", {"target": PIP}),
        ("assist", {"actor": OTTO}),
        ("damage", {"actor": OTTO, "target": PIP, "amount": 10}),
        ("round.end", {}),
    ],
)
def test_a_match_that_never_ended_is_over_since_an_event_of_others_too(kind: str, data: dict[str, Any]) -> None:
    game = Game().tell(0, "match.start").kills(60).tell(150, kind, **data).tell(1_000, "match.start")
    assert game.read(1_000)["session_minutes"] == 2.5
    late = Game().tell(0, "match.start").tell(1_000, "match.start").kills(60).tell(150, kind, **data)
    assert late.read(1_000)["session_minutes"] == 2.5


def test_the_same_start_twice_is_one_match_and_the_same_end_too() -> None:
    game = Game().tell(0, "match.start", match="m1").tell(1, "match.start", match="m1").kills(10)
    game.tell(60, "match.end", match="m1", result="won").tell(61, "match.end", match="m1", result="won")
    assert chosen(game.read(), "session_wins", "match_number", "match_kills") == [1, 1, 1]
    assert game.odd() == ["this match has already started", "this match has already ended"]


def test_an_event_older_than_the_match_belongs_to_the_one_it_happened_in() -> None:
    game = Game().tell(0, "match.start").kills(10).tell(60, "match.end", result="won").tell(100, "match.start")
    game.kills(110).kills(50)
    told = game.read()
    assert chosen(told, "match_kills", "ended_kills", "session_kills") == [1, 2, 3]


def test_a_start_that_comes_after_its_first_kill_takes_the_kill_in() -> None:
    game = Game().kills(10).tell(5, "match.start")
    assert game.read()["match_kills"] == 1


def test_numbers_that_are_none_are_told_and_harm_nothing() -> None:
    game = Game().tell(1, "match.start").tell(2, "vitals", health=-20, shield="full")
    game.tell(3, "damage", actor=ME, amount=-5).kills(4, target="").tell(5, "kill", target=PIP)
    game.tell(60, "match.end", result="flawless", rating="gold")
    told = game.read()
    assert chosen(told, "vital_health", "vital_health_share", "vital_shield", "rating") == [0, 0, None, None]
    assert told["session_kills"] == 1
    assert game.odd() == [
        "its health is -20; counted as 0",
        "its shield is “full”, which is not a number",
        "it does -5 damage, which is negative",
        "it names no player; counted anyway",
        "it has no actor",
        "its result is “flawless”; won, lost and drawn are known",
        "its rating is “gold”, which is not a number",
    ]


def test_vitals_are_shares_of_what_they_are_full_at() -> None:
    told = Game(vitals="health 120, shield 50").tell(1, "vitals", health=90, shield=75).read()
    assert chosen(told, "vital_health", "vital_health_share", "vital_shield_share") == [90, 0.75, 1]


# Resets and corrections


def test_a_reset_counts_anew_and_can_be_taken_back_with_what_came_since() -> None:
    game = Game().tell(0, "match.start").kills(10, 20).dies(30)
    assert game.do(40, "reset", what="session") == "this session: 2 kills, 1 death → 0 kills, 0 deaths"
    game.kills(50)
    assert chosen(game.read(60), "session_kills", "match_kills", "day_kills") == [1, 3, 3]
    assert game.do(60, "undo") == "this stream session: 1 kill, 0 deaths → 3 kills, 1 death"
    assert chosen(game.read(60), "session_kills", "session_streak", "session_minutes") == [3, 1, 1.0]


def test_a_match_or_one_statistic_is_reset_by_itself() -> None:
    game = Game().tell(0, "match.start").kills(10, 20).dies(30)
    game.do(40, "reset", what="match")
    assert chosen(game.read(), "match_kills", "session_kills") == [0, 2]
    assert game.do(41, "reset", what="kills") == "kills: 2 → 0"
    game.kills(50)
    # Kills are counted anew, deaths are not.
    assert chosen(game.read(), "session_kills", "session_deaths", "session_kd") == [1, 1, 1.0]
    game.do(60, "undo")
    game.do(61, "undo")
    assert chosen(game.read(), "match_kills", "session_kills") == [3, 3]


def test_a_kill_is_added_and_taken_by_hand_and_streaks_follow() -> None:
    game = Game().tell(0, "match.start").kills(10, 20)
    assert game.do(30, "correct", what="kills", by="1") == "kills this match: 2 → 3"
    assert game.read()["match_streak"] == 3
    assert game.do(31, "correct", what="kills", by="-1") == "kills this match: 3 → 2"
    assert game.do(32, "correct", what="kills", by=-1) == "kills this match: 2 → 1"
    assert chosen(game.read(), "match_best_streak", "session_kills") == [1, 1]
    game.do(33, "undo")
    assert game.read()["session_kills"] == 2
    with pytest.raises(CommandRefused, match="no deaths to remove"):
        game.do(34, "correct", what="deaths", by="-1")


def test_commands_that_are_not_understood_say_what_would_be() -> None:
    game = Game()
    for command, given_, why in [
        ("reset", {"what": "everything"}, "Choose session, match, or kills"),
        ("correct", {"what": "goals"}, "Choose kills, deaths, assists"),
        ("correct", {"what": "kills", "by": "7"}, "one at a time"),
        ("undo", {}, "Nothing to undo"),
        ("show_card", {}, "No match has ended yet. Show it with made-up ones"),
    ]:
        with pytest.raises(InvalidField, match=why):
            game.do(1, command, **given_)


def test_trying_a_command_changes_nothing() -> None:
    game = Game().kills(1, 20)
    game.it.handle(Command("reset", {"what": "session"}), at(30))
    game.it.handle(Command("correct", {"what": "kills", "by": "-1"}), at(30))
    game.kills(40)
    assert chosen(game.read(), "session_kills", "session_streak") == [3, 3]


# The card


def test_the_end_of_a_match_is_fired_once() -> None:
    game = Game().tell(0, "match.start", match="m1").tell(60, "match.end", match="m1", result="won")
    [ended] = game.it.fires(at(61))
    assert (ended.type, ended.at, ended.data["result"]) == ("game.match_ended", at(60), "won")
    game.tell(60, ended.type, **ended.data)
    assert game.it.fires(at(62)) == []


def test_an_end_that_is_heard_of_later_is_history() -> None:
    game = Game().tell(0, "match.start").tell(60, "match.end", result="won")
    assert game.it.fires(at(60 + 121)) == []


def test_the_card_keeps_the_match_that_ended_while_the_next_one_goes_on() -> None:
    game = Game().tell(0, "match.start", opponent=OTTO).kills(10, 20)
    game.tell(60, "match.end", result="lost", rating=1_400).tell(61, "match.start").kills(62)
    told = game.read(63)
    assert chosen(told, "card_kills", "card_result", "card_opponent", "card_rating") == [2, "lost", OTTO, 1_400]
    assert told["card_row_lost"] == "M292.2 2.2l5.6 5.6M297.8 2.2l-5.6 5.6"


def test_the_card_is_shown_with_made_up_matches_until_a_real_one_ends() -> None:
    game = Game().tell(0, "match.start")
    game.do(10, "show_card", of="30")
    told = game.read(11)
    assert (told["card_result"], len(told["card_opponent"]), told["card_row_won"].count("Z")) == ("won", 30, 7)
    assert [one.data for one in game.it.fires(at(11))] == [{"trial": True, "by_hand": True}]
    game.kills(20).tell(60, "match.end", result="drawn")
    assert chosen(game.read(61), "card_kills", "card_result") == [1, "drawn"]


def test_with_one_match_the_line_is_level() -> None:
    game = Game().tell(0, "match.start").tell(60, "match.end", result="won", rating=1_400)
    assert game.read()["card_rating_line"] == "M0 50L100 50"


# Laws


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 300), st.sampled_from("kkkda")), max_size=40), st.randoms())
def test_the_order_in_which_a_matchs_events_come_does_not_matter(
    events: list[tuple[int, str]], chance: random.Random
) -> None:
    order = list(enumerate(events, 1))
    mixed = list(order)
    chance.shuffle(mixed)
    told = []
    for sequence in (sorted(order, key=lambda one: (one[1][0], one[0])), mixed):
        game = Game().tell(0, "match.start")
        for seq, (second, what) in sequence:
            kind = {"k": "kill", "d": "death", "a": "assist"}[what]
            data = {"actor": ME, "target": OTTO} if what != "d" else {"target": ME}
            game.it.on_event(Occurrence(micros(at(second)), seq + 10, kind, data))
        told.append(game.read(301))
    assert told[0] == told[1]


@settings(max_examples=30, deadline=None)
@given(st.lists(st.tuples(st.integers(1, 40), st.sampled_from("kkdseru")), max_size=40))
def test_a_restart_goes_on_exactly(steps: list[tuple[int, str]]) -> None:
    games, second = [Game(), Game()], 0
    for wait, what in steps:
        second += wait
        for game in games:
            if what in "ru":
                game.do(second, *{"r": ("reset",), "u": ("correct",)}[what])
            else:
                kind = {"k": "kill", "d": "death", "s": "match.start", "e": "match.end"}[what]
                game.tell(second, kind, actor=ME, target=ME if what == "d" else OTTO, result="won", rating=second)
        saved = games[1].it.saved()
        made = KIND.restore("game", games[1].choices, games[1].almanac, saved)
        assert isinstance(made, Statistics)
        games[1].it = made
    assert games[0].read(second) == games[1].read(second)


def test_memory_does_not_grow_with_the_matches_of_days_gone_by() -> None:
    game = Game(Almanac(session_began=None))
    day = 86_400
    for number in range(200):
        second = number * day / 4
        game.tell(second, "match.start").kills(second + 5).tell(second + 60, "match.end", result="won")
    assert len(game.it.course.matches) < 80
    assert game.read(50 * day)["last_wins"] == 12


def test_one_mark_more_counts_without_looking_at_the_others() -> None:
    tally = Tally()
    for n in range(3):
        tally.add(TallyMark(n, n, KILL), None, 5)
    assert (tally.kills, tally.multi(2), tally.longest_multi()) == (3, 1, 3)


def test_a_share_is_worded_with_its_sign_and_a_ratio_with_two_places() -> None:
    ready = {given["label"]: given["value"] for words, given in KIND.ready_wordings("statistic", "game")}
    assert ready["Win rate"].endswith("_win_rate_pct:.0f} %")
    assert ready["Accuracy"].endswith("_accuracy_pct:.0f} %")
    assert ready["K/D"].endswith("_kd:.2f}")
    assert KIND.ready_wordings("song", "game") == []
