"""Game statistics of evenings on which everything comes late, twice, or from two sides; counted again by the words."""

from __future__ import annotations

import json
import random
from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.statistics import KIND
from tesoura.errors import CommandRefused
from tests.core.test_statistics import ME, OTTO, PIP, Game, T, at, chosen

Told = list[tuple[int, int, str, dict[str, Any]]]
"""Events: the second, the place in the log, the type, the data."""


def test_a_kill_that_is_left_out_was_a_death_all_the_same() -> None:
    game = Game(deaths_by="kill", without_tags="gust bonus")
    game.tell(1, "kill", actor=OTTO, target=ME, tags=["gust bonus"]).tell(2, "kill", actor=ME, target=ME)
    game.tell(3, "kill", actor=OTTO, target=ME, friendly=True).tell(4, "kill", actor=OTTO, target=ME, warm_up=True)
    assert chosen(game.read(), "session_deaths", "session_kills") == [3, 0]


def test_sums_at_the_end_stand_for_each_field_of_which_nothing_single_was_told() -> None:
    game = Game(without_tags="gust bonus").tell(0, "match.start").kills(10)
    game.tell(60, "match.end", result="won", kills=9, deaths=3, assists=2)
    assert chosen(game.read(), "ended_kills", "ended_deaths", "ended_assists") == [1, 3, 2]
    game.tell(100, "match.start").kills(110, tags=["gust bonus"]).tell(160, "match.end", result="won", kills=4)
    # That kill was told, and does not count; the sum would count it.
    assert game.read()["ended_kills"] == 0


def test_an_end_of_another_match_leaves_the_present_one_alone() -> None:
    game = Game().tell(0, "match.start", match="m1").kills(10)
    game.tell(50, "match.end", match="m0", result="lost", kills=7, duration_s=300)
    told = game.kills(60).read(61)
    assert chosen(told, "state", "match_kills", "session_losses", "ended_kills") == ["on", 2, 1, 7]
    game.tell(70, "match.end", match="m1", result="won")
    assert chosen(game.read(), "session_wins", "session_losses", "ended_kills") == [1, 1, 2]


def test_old_matches_of_a_service_are_filed_where_they_belong() -> None:
    game = Game(Almanac(session_began=T)).tell(0, "match.start").kills(10)
    game.tell(-86_400, "match.end", match="s1", result="lost", kills=7, duration_s=600, rating=1_300)
    game.tell(-3_600, "match.end", match="s2", result="lost", kills=5, duration_s=600, rating=1_250)
    told = game.kills(60).read(61)
    assert chosen(told, "state", "match_kills", "session_kills", "session_losses", "day_losses") == ["on", 2, 2, 0, 1]
    assert chosen(told, "session_minutes", "day_kills", "rating", "ended_kills") == [1.02, 7, 1_250, 5]


def test_a_late_end_without_an_id_ends_the_match_of_its_time() -> None:
    game = Game().tell(0, "match.start").kills(10).tell(100, "match.start").kills(110)
    game.tell(60, "match.end", result="won")
    told = game.read(111)
    assert chosen(told, "state", "session_wins", "ended_kills", "match_kills") == ["on", 1, 1, 1]


def test_the_match_that_ended_last_is_told_by_time_and_not_by_arrival() -> None:
    game = Game().tell(300, "match.end", match="b", result="won", kills=2)
    game.tell(100, "match.end", match="a", result="lost", kills=9)
    assert chosen(game.read(), "ended_kills", "ended_result", "session_win_run") == [2, "won", 1]


def test_a_rivals_late_kill_counts_in_the_match_in_which_it_happened() -> None:
    game = Game().tell(0, "match.start").kills(10).tell(60, "match.end", result="won").tell(100, "match.start")
    game.kills(110).tell(20, "kill", actor=OTTO, target=PIP).tell(21, "kill", actor=OTTO, target=PIP)
    assert chosen(game.read(), "ended_rank", "match_rank") == [2, None]


def test_undoing_a_sessions_reset_brings_the_other_resets_back() -> None:
    game = Game().kills(1, 20)
    game.do(25, "reset", what="kills")
    game.kills(30).dies(35)
    game.do(40, "reset", what="session")
    game.do(41, "undo")
    assert chosen(game.read(42), "session_kills", "session_deaths") == [1, 1]


def test_an_undo_takes_back_what_it_took_back_whatever_rule_came_later() -> None:
    first = Game().kills(1, tags=["gust bonus"]).kills(2)
    step = first.it.handle(Command("correct", {"what": "kills", "by": "-1"}, 3), at(3))
    undo = step.after.handle(Command("undo", {}, 4), at(4))
    assert (step.given["of"], undo.given["of"]) == (2, 3)
    # Under the later rule the first kill is left out; what was taken and given back is the same one.
    later = Game(without_tags="gust bonus").kills(1, tags=["gust bonus"]).kills(2)
    taken = later.it.handle(Command("correct", step.given, 3), at(3)).after
    assert taken.read(at(5))["session_kills"] == 0
    assert taken.handle(Command("undo", undo.given, 4), at(5)).after.read(at(5))["session_kills"] == 1
    with pytest.raises(CommandRefused, match="Nothing to undo"):
        later.it.handle(Command("undo", {"of": 99}, 5), at(5))


def test_nothing_is_taken_from_the_session_that_is_not_in_the_match() -> None:
    game = Game().tell(0, "match.start").kills(10, 20)
    game.do(30, "reset", what="match")
    with pytest.raises(CommandRefused, match="no kills to remove"):
        game.do(31, "correct", what="kills", by="-1")
    assert game.read()["session_kills"] == 2


def test_a_previewed_correction_changes_nothing() -> None:
    game = Game().tell(0, "match.start").kills(10, 20)
    before = game.read(30)
    for typed in ({"what": "kills", "by": "1"}, {"what": "kills", "by": "-1"}, {"what": "deaths", "by": "1"}):
        game.it.handle(Command("correct", typed), at(30))
    assert game.read(30) == before
    assert game.kills(40).read(41)["match_streak"] == 3


def test_a_long_run_is_one_run_of_its_match_over_midnight_and_a_reset() -> None:
    midnight = (datetime(2026, 11, 27, tzinfo=UTC) - T).total_seconds()
    game = Game(within_s="5").tell(midnight - 60, "match.start").kills(midnight - 4, midnight - 1)
    game.do(midnight - 0.5, "reset", what="session")
    game.kills(midnight + 2, midnight + 6)
    told = game.read(midnight + 7)
    assert chosen(told, "match_best_multi", "match_multis", "day_best_multi", "session_best_multi") == [4, 1, 2, 2]


def test_minutes_go_on_by_themselves() -> None:
    game = Game(Almanac(session_began=at(30))).tell(0, "match.start")
    assert game.it.next_change(at(91)) == at(95)
    assert chosen(game.read(90), "session_minutes", "match_minutes") == [1.0, 1.5]
    game.do(120, "reset", what="session")
    assert chosen(game.read(150), "session_minutes", "match_minutes") == [0.5, 2.5]


def told_by(game: Game, source: str, seconds: float, kind: str, **data: Any) -> None:
    game.seq += 1
    game.it.on_event(Occurrence(micros(at(seconds)), game.seq, kind, data, source))


@pytest.mark.parametrize("service_first", [True, False])
def test_two_sources_of_the_same_match_tell_of_one(service_first: bool) -> None:
    game = Game()
    told_by(game, "key:game", 0, "match.start", match="g1", arena="The Pier")
    told_by(game, "key:game", 10, "kill", actor=ME, target=OTTO)
    ends: list[tuple[str, float, dict[str, Any]]] = [
        ("key:game", 300.0, {"match": "g1", "result": "won"}),
        ("feed:stats", 302.0, {"match": "77", "result": "won", "kills": 9, "rating": 1_412, "duration_s": 300}),
    ]
    for source, seconds, data in reversed(ends) if service_first else ends:
        told_by(game, source, seconds, "match.end", **data)
    told = game.read(400)
    assert chosen(told, "session_wins", "match_number", "ended_kills", "card_rating") == [1, 1, 1, 1_412]
    told_by(game, "feed:stats", 302, "match.end", match="77", result="won")
    assert game.read(400)["session_wins"] == 1


def test_an_instrument_hears_the_sources_that_it_names() -> None:
    game = Game(sources="Stats, my-game")
    for source in ("feed:stats", "key:my-game", "feed:other", ""):
        told_by(game, source, 1, "kill", actor=ME, target=OTTO)
    assert game.read()["session_kills"] == 2


def test_a_kill_that_comes_hours_late_after_a_restart_counts_where_it_belongs() -> None:
    game = Game()
    for number in range(8):
        game.tell(number * 100, "match.start", match=f"m{number}").kills(number * 100 + 10)
        game.tell(number * 100 + 60, "match.end", match=f"m{number}", result="won")
    made = KIND.restore("game", game.choices, game.almanac, json.loads(json.dumps(game.it.saved())))
    late = Occurrence(micros(at(11)), 99, "kill", {"actor": ME, "target": OTTO, "match": "m0"})
    again = made.on_event(late)
    told = again.read(at(900))
    assert chosen(dict(told), "session_kills", "session_best_multi", "ended_kills") == [9, 2, 1]
    assert not getattr(again, "stale", False)
    undone = again.handle(Command("correct", {"what": "kills", "by": "-1"}, 100), at(901)).after
    assert undone.read(at(902))["session_kills"] == 8


# An independent recount


def recount(events: Told, session_from: int, now: int) -> dict[str, Any]:
    """The figures straight from the words: each match told by id, and what happened in it by its id or its time."""
    starts = {data["match"]: second for second, _, kind, data in events if kind == "match.start"}
    ends = {data["match"]: (second, data) for second, _, kind, data in events if kind == "match.end"}
    order = sorted(starts, key=lambda id: starts[id])

    def match_of(second: int, data: dict[str, Any]) -> str | None:
        if "match" in data:
            return str(data["match"])
        begun = [id for id in order if starts[id] <= second]
        return begun[-1] if begun and (begun[-1] not in ends or second <= ends[begun[-1]][0]) else None

    timed = sorted(events, key=lambda one: one[:2])
    told = [one for one in timed if one[2] in ("kill", "death")]
    mine = [
        (second, kind, match_of(second, data))
        for second, _, kind, data in timed
        if (kind == "kill" and data["actor"] == ME) or kind == "death"
    ]
    found = figures("session", [one for one in mine if one[0] >= session_from])
    finished = sorted((second, id) for id, (second, _) in ends.items())
    results = [ends[id][1]["result"] for second, id in finished if second >= session_from]
    found |= {"session_wins": results.count("won"), "session_losses": results.count("lost")}
    played = 0
    for place, id in enumerate(order):
        until = now
        if id in ends:
            until = ends[id][0]
        elif place < len(order) - 1:
            # Nobody told of its end: it lasted until the last thing that happened in it, whoever it happened to.
            until = max([starts[id], *(second for second, _, _, data in told if match_of(second, data) == id)])
        played += max(until - max(starts[id], session_from), 0)
    found["session_minutes"] = round(played / 60, 2)
    if finished:
        found |= figures("ended", [one for one in mine if one[2] == finished[-1][1]])
        kills: dict[str, int] = {}
        for second, _, kind, data in timed:
            if kind == "kill" and match_of(second, data) == finished[-1][1]:
                kills[data["actor"]] = kills.get(data["actor"], 0) + 1
        rivals = [count for name, count in kills.items() if name != ME]
        found["ended_rank"] = 1 + sum(count > kills.get(ME, 0) for count in rivals) if rivals else None
    return found


def figures(scope: str, things: list[tuple[int, str, str | None]]) -> dict[str, Any]:
    """Counts, streaks and quick runs of kills and deaths in the order of time."""
    streak = best = 0
    runs: list[int] = []
    last: tuple[int, str | None] | None = None
    for second, kind, match in things:
        streak = streak + 1 if kind == "kill" else 0
        best = max(best, streak)
        if kind == "kill":
            if last is not None and last[1] == match and second - last[0] <= 5:
                runs[-1] += 1
            else:
                runs.append(1)
            last = (second, match)
    return {
        f"{scope}_kills": sum(runs),
        f"{scope}_deaths": len(things) - sum(runs),
        f"{scope}_streak": streak,
        f"{scope}_best_streak": best,
        f"{scope}_multis": sum(run > 1 for run in runs),
        f"{scope}_best_multi": max([run for run in runs if run > 1], default=0),
    }


THINGS = st.lists(st.tuples(st.integers(0, 200), st.sampled_from("kkkkdr"), st.booleans()), max_size=40)
MATCHES = st.lists(
    st.tuples(st.integers(0, 150), st.one_of(st.none(), st.integers(0, 80))), max_size=4, unique_by=lambda one: one[0]
)


@settings(max_examples=250, deadline=None)
@given(THINGS, MATCHES, st.integers(0, 120), st.randoms(use_true_random=False))
def test_nasty_evenings_are_counted_as_the_words_say(
    things: list[tuple[int, str, bool]], matches: list[tuple[int, int | None]], session_from: int, chance: random.Random
) -> None:
    matches = sorted(matches, key=lambda one: one[0])
    came: list[tuple[int, str, dict[str, Any]]] = []
    for number, (began, length) in enumerate(matches):
        # A match ends before the next one starts, or never.
        room = (matches[number + 1][0] if number + 1 < len(matches) else 400) - began - 1
        came.append((began, "match.start", {"match": f"m{number}"}))
        if length is not None and room > 0:
            result = chance.choice(["won", "lost"])
            came.append((began + min(length, room), "match.end", {"match": f"m{number}", "result": result}))
    for second, what, with_id in things:
        kind, data = {
            "k": ("kill", {"actor": ME, "target": OTTO}),
            "d": ("death", {"target": ME}),
            "r": ("kill", {"actor": OTTO, "target": PIP}),
        }[what]
        here = [f"m{number}" for number, (began, _) in enumerate(matches) if began <= second]
        came.append((second, kind, {**data, **({"match": here[-1]} if with_id and here else {})}))
    chance.shuffle(came)
    events = [(second, seq, kind, data) for seq, (second, kind, data) in enumerate(came, 1)]
    game = Game(Almanac(session_began=at(session_from)))
    for second, seq, kind, data in events:
        game.it.on_event(Occurrence(micros(at(second)), seq, kind, data))
        game.read(450)
    told, wanted = game.read(450), recount(events, session_from, 450)
    assert {name: told[name] for name in wanted} == wanted
    made = KIND.restore("game", game.choices, game.almanac, json.loads(json.dumps(game.it.saved())))
    assert dict(made.read(at(450))) == told


def test_what_happens_at_the_very_instant_of_an_end_is_the_matchs() -> None:
    game = Game().tell(0, "match.start").tell(60, "match.end", result="won").kills(60).kills(61)
    assert chosen(game.read(), "ended_kills", "session_kills") == [1, 2]


def test_a_reset_counts_what_stands_behind_it_in_the_log_at_the_same_instant() -> None:
    game = Game().kills(10)
    game.do(10, "reset", what="session")
    assert game.read()["session_kills"] == 0
    assert game.kills(10).read()["session_kills"] == 1


def test_a_pause_that_is_told_after_the_end_changes_no_match_time() -> None:
    game = Game().tell(0, "match.start", match="m1").tell(60, "match.end", match="m1", result="won")
    game.tell(90, "match.pause", match="m1")
    assert chosen(game.read(), "ended_minutes", "session_minutes") == [1.0, 1.0]
