"""A run through a game: what counts, what is the best, what earlier attempts tell; and every press taken back."""

from __future__ import annotations

import json
import random
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.forms.form import fill
from tesoura.core.instruments.commands import PLACE, Command
from tesoura.core.instruments.run import KIND
from tesoura.core.instruments.run.commands import Run
from tesoura.core.instruments.run.piece import ARRANGEMENTS, PIECE
from tesoura.core.instruments.runner import Runner, Setup
from tesoura.core.overlays.document import new_piece
from tesoura.core.runs.history import LEAST_ATTEMPTS
from tesoura.errors import CommandRefused, Invalid, InvalidField

T0 = datetime(2026, 11, 26, 20, 0, tzinfo=UTC)
MILE = ("Gatekeeper", "The Twins of Salt", "Well of Bells", "Mother Ladder", "The Last Lamplighter")


class Lantern:
    """A run, the log it stands in, and the time of day. Each press comes ten seconds after the one before."""

    def __init__(self, names: tuple[str, ...] = MILE, **choices: str) -> None:
        filled = fill(KIND.fields, {"title": "Lantern Mile", **choices})
        assert filled.wrong == {}
        self.setup = Setup("run", "mile", filled.choices)
        self.runner, self.now, self.seq = Runner(self.setup, Almanac(), T0), T0, 0
        self.log: list[Occurrence] = []
        self.moments: list[str] = []
        if names:
            self.do("add_splits", names="\n".join(names))

    @property
    def it(self) -> Run:
        return self.runner.instrument  # type: ignore[return-value]

    def hear(self, kind: str, data: Any, source: str = "") -> None:
        self.seq += 1
        self.log.append(Occurrence(micros(self.now), self.seq, kind, data, source))
        self.runner.take(self.log[-1], self.now)

    def do(self, command: str, *, after: float = 10, **given: Any) -> str:
        self.now += timedelta(seconds=after)
        step = self.runner.attempt(Command(command, given), self.now)
        self.hear("tesoura.command.mile", {"command": command, **step.given})
        for one in self.runner.fires(self.now):
            self.moments.append(one.type.partition(".")[2])
            self.hear(one.type, dict(one.data), "instrument:mile")
        self.undo = step.undo
        return step.effect

    def press(self, *commands: str) -> Lantern:
        for one in commands:
            self.do(one)
        return self

    def take_back(self) -> None:
        """What takes the last command back, as pages send it."""
        assert self.undo
        name, told = self.undo
        place = max(one.seq for one in self.log if one.type == "tesoura.command.mile")
        given: dict[str, Any] = {
            key: one.replace(PLACE, str(place)) if isinstance(one, str) else one for key, one in told.items()
        }
        self.do(name, **given)

    def tells(self, *names: str) -> Any:
        told = self.it.read(self.now)
        return told[names[0]] if len(names) == 1 else tuple(told[one] for one in names)

    def marks(self) -> str:
        return str(self.tells("track"))

    def ids(self) -> list[str]:
        return [one.id for one in self.it.route.splits]


def attempt(run: Lantern, *hits: int, through: bool = True) -> None:
    """An attempt with so many hits in each split it comes to; given up in the last of them, or through."""
    run.do("next")
    for at, one in enumerate(hits):
        run.press(*["hit"] * one)
        if through or at + 1 < len(hits):
            run.do("next")
    run.do("start_over")


# What counts


@pytest.mark.parametrize(
    ("rule", "hits", "over"), [("every", 3, "Gatekeeper"), ("fights", 1, "Well of Bells"), ("worse", 3, "")]
)
def test_what_counts_is_a_rule_and_changing_it_counts_anew(rule: str, hits: int, over: str) -> None:
    # On the way to the Gatekeeper, on the way to the Twins, in the fight at the Well.
    run = Lantern(counts=rule).press("next", "way_hit", "next", "way_hit", "next", "hit")
    assert (run.tells("hits", "way_hits", "all_hits"), run.it.view(run.now)["over"]) == ((hits, 2, 3), over)
    assert run.tells("clean") is (rule == "worse")


def test_worse_than_the_best_is_over_once_there_are_more_hits_than_it_had() -> None:
    run = Lantern(counts="worse")
    attempt(run, 1, 1, 0, 0, 0)
    run.press("best", "next", "hit", "hit")
    assert run.tells("clean") is True
    run.press("next", "hit")
    assert (run.tells("clean"), run.it.view(run.now)["over"]) == (False, "The Twins of Salt")


def test_marks_say_clean_hit_in_hand_and_not_yet() -> None:
    run = Lantern()
    assert run.marks() == "-----"
    run.press("next", "next", "hit", "next")
    assert (run.marks(), run.tells("split", "split_at", "next_split")) == (
        "chn--",
        ("Well of Bells", 3, "Mother Ladder"),
    )
    run.press("previous", "hit_back")
    assert run.marks() == "cn---"
    run.press("next", "next", "next", "next")
    assert (run.marks(), run.tells("state", "clean")) == ("ccccc", ("through", True))


def test_the_difference_counts_what_is_passed_and_the_split_in_hand_once_it_is_worse() -> None:
    run = Lantern()
    attempt(run, 2, 0, 1, 0, 0)
    run.press("best", "next")
    # In hand with none, where the best had two: it is not better yet.
    assert run.tells("difference_text") == "±0"
    run.do("next")
    assert run.tells("difference", "difference_text") == (-2, "−2")
    run.press("hit")
    assert run.tells("difference", "split_best", "best_hits") == (-1, 0, 3)
    rows = json.loads(run.tells("list"))["rows"]
    assert rows[:3] == [
        ["clean", "Gatekeeper", "clean", "2", "−2"],
        ["now", "The Twins of Salt", "1", "0", "+1"],
        ["not yet", "Well of Bells", "", "1", ""],
    ]


# Time


def test_time_runs_from_the_first_press_without_pauses_and_by_split() -> None:
    run = Lantern().press("next", "hit", "next")
    # Ten seconds from press to press: twenty at the Gatekeeper, none yet at the Twins.
    assert run.tells("time", "split_time", "seconds") == ("0:20", "0:00", 20)
    run.press("pause", "hit", "pause", "next")
    assert run.tells("time", "split_time") == ("0:40", "0:00")
    run.do("previous", after=5)
    assert run.tells("time", "split_time") == ("0:45", "0:20")
    assert run.it.next_change(run.now) == run.now + timedelta(seconds=1)
    run.press("pause")
    assert (run.it.next_change(run.now), run.tells("state")) == (None, "paused")


def test_a_clock_that_is_set_changes_no_time_of_the_run_also_when_a_press_is_taken_back() -> None:
    run = Lantern().press("next", "next")
    run.now -= timedelta(seconds=3_600)
    run.hear("tesoura.clock_set", {"by_s": -3600})
    run.do("hit")
    assert run.tells("time", "split_time") == ("0:20", "0:10")
    run.press("undo", "undo")
    # As if the Twins had never begun: all of it at the Gatekeeper.
    assert run.tells("split", "time", "split_time") == ("Gatekeeper", "0:40", "0:40")


def test_an_event_begins_it_and_a_hit_before_is_told_why_it_counts_for_nothing() -> None:
    run = Lantern(begins="event", event="gate.open")
    with pytest.raises(CommandRefused, match=r"it begins with gate\.open, or press Begin"):
        run.do("hit")
    run.hear("gate.open", {})
    run.hear("gate.open", {})
    run.do("hit")
    assert run.tells("state", "hits", "time") == ("running", 1, "0:10")
    by_hand = Lantern(begins="command")
    with pytest.raises(CommandRefused, match="nothing to pass: press Begin"):
        by_hand.do("next")
    assert by_hand.do("begin") == "attempt 1 begins in Gatekeeper"


def test_the_same_press_from_two_devices_counts_once_if_that_is_chosen() -> None:
    run = Lantern(apart_ms="250")
    run.do("next")
    run.do("hit")
    with pytest.raises(CommandRefused, match="It was pressed 120 ms ago; twice within 250 ms counts once"):
        run.do("hit", after=0.12)
    # Another press is another one, and a clock that was set back holds nothing up.
    run.do("way_hit", after=0.05)
    run.do("hit", after=0.25)
    run.now -= timedelta(seconds=60)
    run.do("hit", after=0)
    assert run.tells("all_hits") == 4
    both = Lantern()
    both.do("next")
    both.do("hit", after=0)
    both.do("hit", after=0)
    assert both.tells("hits") == 2


# Bests


def test_a_best_is_replaced_deliberately_and_the_one_before_is_kept() -> None:
    run = Lantern()
    attempt(run, 1, 0, 0, 0, 0)
    attempt(run, 0, 0, 0, 0, 0)
    assert run.tells("best_hits") is None
    assert run.do("use_best", attempt="1") == "the best: none → 1 of attempt 1"
    assert run.do("use_best", attempt="2") == "the best: 1 of attempt 1 → 0 of attempt 2"
    assert [one["number"] for one in run.it.view(run.now)["bests"]] == [1]
    run.take_back()
    assert run.tells("best_hits", "best_attempt") == (1, 1)
    with pytest.raises(CommandRefused, match="There is no attempt 9"):
        run.do("use_best", attempt="9")


def test_the_best_is_beaten_by_fewer_hits_then_less_time_and_only_by_those_that_come_through() -> None:
    run = Lantern()
    attempt(run, 1, 0, 0, 0, 0)
    run.press("best")
    run.moments.clear()
    attempt(run, 0, 0, through=False)
    assert "best_beaten" not in run.moments
    attempt(run, 0, 1, 0, 0, 0)
    assert "best_beaten" not in run.moments
    # As many hits in less time.
    run.do("next")
    run.do("hit", after=1)
    run.press("next", "next", "next", "next", "next")
    assert run.moments.count("best_beaten") == 1


def test_by_distance_the_best_is_who_came_further() -> None:
    run = Lantern(best_by="distance")
    attempt(run, 0, 1, through=False)
    run.press("best")
    run.moments.clear()
    attempt(run, 0, 0, 1, through=False)
    assert run.moments.count("best_beaten") == 1
    attempt(run, 1, through=False)
    assert run.moments.count("best_beaten") == 1
    # Who is hit at once has not come further by walking on.
    attempt(run, 1, 0, 0, 0, 0)
    assert run.moments.count("best_beaten") == 1


def test_moments_come_for_a_clean_split_a_hit_the_end_and_the_last_fight() -> None:
    run = Lantern().press("next", "next", "hit", "next", "next", "next")
    assert run.moments == ["clean_split", "hit", "ended", "clean_split", "clean_split", "last_begun"]
    run.press("next", "start_over")
    # It ended with its first hit, and ends once.
    assert run.moments[6:] == ["clean_split"]
    ended = next(one for one in run.log if one.type == "mile.ended")
    assert {name: ended.data[name] for name in ("split", "number", "why", "hits", "splits")} == {
        "split": "The Twins of Salt",
        "number": 2,
        "why": "over",
        "hits": 1,
        "splits": 1,
    }


# History


def test_where_runs_end_hits_a_split_the_chance_from_here_and_the_best_of_each_together() -> None:
    run = Lantern(("Gatekeeper", "The Twins", "The Well"))
    for _ in range(4):
        attempt(run, 1, through=False)
    for _ in range(3):
        attempt(run, 0, 2, 0)
    for _ in range(2):
        attempt(run, 0, 0, through=False)
    attempt(run, 0, 0, 0)
    told, [gate, twins, well] = run.it.told, run.ids()
    # Ten: four end at the Gatekeeper; three are hit at the Twins and two given up there; one comes through.
    assert (told.attempts, [round(one, 1) for one in told.going_on(run.it.route)]) == (10, [0.6, 0.1, 0.1])
    assert [told.of(one).average for one in (gate, twins, well)] == [0.4, 1.0, 0.0]
    # Who was hit at the Twins goes on, and comes to the Well no more.
    assert [(told.of(one).came, told.of(one).whole) for one in (gate, twins, well)] == [(10, 1), (6, 1), (1, 1)]
    assert (told.chance(gate), told.chance(twins)) == ((1, 10), None)
    # The fewest at each that was passed: none, none, none.
    assert run.tells("together", "chance_of", "chance") == (0, "1 of 10", 0.1)
    run.press("next", "next")
    assert run.tells("chance_of", "chance") == ("", None)
    assert LEAST_ATTEMPTS == 10
    # Those that ended in a split which is gone stand nowhere in the drawing.
    run.press("undo", "undo")
    run.do("remove_splits", splits=gate)
    assert (run.it.told.placed(run.it.route), [round(one, 2) for one in run.it.told.going_on(run.it.route)]) == (
        6,
        [0.17, 0.17],
    )


def test_beyond_the_best_an_attempt_ended_with_its_first_hit_more() -> None:
    run = Lantern(("Gatekeeper", "The Twins", "The Well"), counts="worse")
    attempt(run, 1, 1, 0)
    run.press("best")
    attempt(run, 1, 1, 1)
    attempt(run, 0, 2, 0)
    ended = [one.ended_in("worse") for one in run.it.history.attempts]
    assert ended == [None, run.ids()[2], None]


def test_other_rules_tell_another_history() -> None:
    run = Lantern(("Gatekeeper", "The Twins"), counts="fights")
    run.press("next", "way_hit", "next", "hit", "start_over")
    ended = {rule: run.it.history.attempts[0].ended_in(rule) for rule in ("every", "fights", "worse")}
    assert ended == {"every": run.ids()[0], "fights": run.ids()[1], "worse": run.ids()[1]}


# Routes


def test_a_route_is_typed_pasted_moved_renamed_and_all_of_it_is_taken_back() -> None:
    run = Lantern(())
    run.do("add_splits", names="Gatekeeper")
    run.do("add_splits", names="Lower town:\n- The Twins of Salt\n- Well of Bells\n\nMother Ladder")
    assert [(one.name, one.group) for one in run.it.route.splits] == [
        ("Gatekeeper", ""),
        ("The Twins of Salt", "Lower town"),
        ("Well of Bells", "Lower town"),
        ("Mother Ladder", ""),
    ]
    four = run.it.routes
    run.take_back()
    assert [one.name for one in run.it.route.splits] == ["Gatekeeper"]
    run.take_back()
    assert run.it.routes == four
    well = run.ids()[2]
    assert run.do("move_split", split=well, by=-2) == "place 3 → 1"
    run.take_back()
    run.do("change_split", split=well, name="Well of Whistles", group="")
    assert run.it.route.splits[2].name == "Well of Whistles"
    run.take_back()
    run.do("remove_splits", splits=f"{run.ids()[0]},{run.ids()[3]}")
    run.take_back()
    assert run.it.routes == four


def test_hits_stay_with_their_split_when_the_route_changes_in_mid_run() -> None:
    run = Lantern().press("next", "hit", "next", "hit", "hit")
    twins = run.ids()[1]
    run.do("add_splits", names="The Porter", at=0)
    run.do("move_split", split=twins, by=2)
    assert (run.tells("split", "hits", "split_hits"), run.it.attempt.of(twins).fight) == (
        ("The Twins of Salt", 3, 2),
        2,
    )
    words = run.do("remove_splits", splits=twins)
    assert words == "The Twins of Salt was removed; 2 hits in it count no more"
    # The run goes on in the one that has its place, and its time is not lost.
    assert run.tells("split", "hits", "time") == ("The Last Lamplighter", 1, "1:10")
    run.take_back()
    assert run.tells("split", "hits", "time") == ("The Twins of Salt", 3, "1:20")


def test_a_route_of_nothing_of_one_and_of_five_hundred() -> None:
    run = Lantern(())
    for command in ("hit", "next", "begin"):
        with pytest.raises(CommandRefused, match="The route has no splits"):
            run.do(command)
    assert run.tells("split", "list", "text") == ("", '{"at":0,"rows":[]}', "0 hits")
    run.do("add_splits", names="Only")
    assert run.press("next", "hit", "next").tells("state", "hits", "together") == ("through", 1, None)
    with pytest.raises(CommandRefused, match="The run is complete"):
        run.do("next")
    run.press("start_over")
    run.do("add_splits", names="\n".join(f"Split {at}" for at in range(499)))
    with pytest.raises(InvalidField, match="500 at most"):
        run.do("add_splits", names="One more")
    run.press(*["next"] * 100)
    rows = json.loads(run.tells("list"))
    assert (len(rows["rows"]), rows["at"], rows["rows"][20][1]) == (61, 20, "Split 98")


def test_groups_that_are_not_in_hand_are_one_row_each() -> None:
    run = Lantern(("Low:", "a", "b", "", "c", "High:", "d", "e")).press("next", "hit", "next", "next")
    rows = json.loads(run.tells("folded"))
    assert (rows["at"], [one[:3] for one in rows["rows"]]) == (
        1,
        [["hit", "Low · 2 splits", "1"], ["now", "c", "0"], ["not yet", "High · 2 splits", ""]],
    )
    run.press("previous")
    rows = json.loads(run.tells("folded"))
    assert (rows["at"], [one[1] for one in rows["rows"]]) == (1, ["a", "b", "c", "High · 2 splits"])


@pytest.mark.parametrize("name", ["W" * 200, "مصباح", "🏮🪁", "a\u202eb", "O’Bell & Sons <i>"])
def test_names_of_any_script_are_kept_as_they_are(name: str) -> None:
    run = Lantern((name, name))
    assert [one.name for one in run.it.route.splits] == [name, name]
    run.press("next", "hit", "next")
    assert run.marks() == "hn"


@pytest.mark.parametrize(
    ("names", "why"),
    [
        ("", "at least one split"),
        ("\n \n", "at least one split"),
        ("W" * 201, "200 at most"),
        ("ok\n\x00", "Line 2: A split needs a name"),
    ],
)
def test_names_that_are_none_are_told(names: str, why: str) -> None:
    run = Lantern(())
    with pytest.raises(InvalidField, match=why):
        run.do("add_splits", names=names)


def test_several_routes_have_their_own_attempts_and_bests() -> None:
    run = Lantern()
    attempt(run, 1, 0, 0, 0, 0)
    run.press("best")
    run.do("copy_route")
    assert [one.name for one in run.it.routes] == ["Route", "Route 2"]
    run.do("choose_route", route="route 2")
    assert run.tells("best_hits", "attempts", "route") == (None, 0, "Route 2")
    run.do("rename_route", route="Route 2", title="Route")
    assert run.it.route.name == "Route 2"
    run.press("next")
    with pytest.raises(CommandRefused, match="is being run"):
        run.do("remove_route", route=run.it.route_id)
    with pytest.raises(CommandRefused, match="Start over first"):
        run.do("choose_route", route="Route")
    run.press("undo")
    run.do("remove_route", route=run.it.route_id)
    assert (run.it.route.name, run.tells("best_hits")) == ("Route", 1)
    run.take_back()
    assert [len(one.splits) for one in run.it.routes] == [5, 5]


def test_a_presses_end_is_told_and_nothing_is_pressed_twice() -> None:
    run = Lantern()
    for command, why in (
        ("undo", None),
        ("previous", "hasn't started"),
        ("start_over", "The run hasn't started"),
        ("pause", "hasn't started"),
        ("best", "No attempt yet"),
        ("hit_back", "No hit to undo"),
        ("fly", "no command “fly”"),
    ):
        if why:
            with pytest.raises(CommandRefused, match=why):
                run.do(command)
    run.do("next")
    with pytest.raises(CommandRefused, match="Gatekeeper is the first split"):
        run.do("previous")
    with pytest.raises(InvalidField, match="whole number from 0 to 9999"):
        run.do("set_hits", fight="many")
    run.do("set_hits", fight="4", way="2")
    assert run.tells("all_hits") == 6
    run.do("undo")
    assert run.tells("all_hits") == 0


# Laws

PRESSES = ("hit", "way_hit", "hit_back", "next", "previous", "pause", "start_over", "best", "begin")


@settings(max_examples=60)
@given(presses=st.lists(st.sampled_from(PRESSES), max_size=60), restart=st.integers(0, 60))
def test_taking_back_everything_comes_back_to_the_beginning(presses: list[str], restart: int) -> None:
    run = Lantern(MILE[:3])
    before, done = run.it, 0
    for at, one in enumerate(presses):
        if at == restart:
            again = Runner(run.setup, Almanac(), T0)
            again.restore(json.loads(json.dumps(run.runner.saved())))
            assert again.instrument == run.it
            run.runner = again
        try:
            run.do(one)
            done += 1
        except Invalid:
            continue
    for _ in range(done):
        run.do("undo")
    for name in ("routes", "attempt", "history", "bests", "debts"):
        assert getattr(run.it, name) == getattr(before, name)
    assert run.it.presses == ()


def naive(presses: list[tuple[str, float]], splits: int, rule: str) -> tuple[Any, ...]:
    """The same in plain words: three lists, gone through for each press."""
    hits, way, time = [0] * splits, [0] * splits, [0.0] * splits
    at, begun, through, runs, line = 0, False, False, True, list[tuple[int, str]]()
    past = list[list[int]]()
    for name, waited in presses:
        if begun and runs and not through:
            time[at] += waited
        if name in ("hit", "way_hit") and not through:
            begun = True
            (hits if name == "hit" else way)[at] += 1
            line.append((at, name))
        elif name == "hit_back" and line:
            place, kind = line.pop()
            (hits if kind == "hit" else way)[place] -= 1
        elif name == "next" and not through:
            if not begun:
                begun = True
            elif at + 1 == splits:
                through = True
            else:
                at += 1
        elif name == "previous" and begun and (at or through):
            # From behind the last one it is back in the last, and the clock runs whatever it did.
            runs, at, through = runs or through, at if through else at - 1, False
        elif name == "pause" and begun and not through:
            runs = not runs
        elif name == "start_over" and begun:
            counted = [one + (0 if rule == "fights" else other) for one, other in zip(hits, way, strict=True)]
            past.append([at if not through else splits, *counted])
            hits, way, time, line = [0] * splits, [0] * splits, [0.0] * splits, []
            at, begun, through, runs = 0, False, False, True
    counted = [one + (0 if rule == "fights" else other) for one, other in zip(hits, way, strict=True)]
    first = [next((place for place, one in enumerate(counts) if one), None) for _, *counts in past]
    ended = [stood if over is None else over for (stood, *_), over in zip(past, first, strict=True)]
    going = [sum(one > place for one in ended) for place in range(splits)]
    return sum(counted), sum(way), at, through, round(sum(time)), len(past), going


@pytest.mark.parametrize("rule", ["every", "fights"])
def test_a_naive_count_comes_to_the_same(rule: str) -> None:
    chance = random.Random(rule)
    for _ in range(60):
        splits = chance.randint(1, 4)
        run = Lantern(MILE[:splits], counts=rule)
        presses = [(chance.choice(PRESSES[:7]), float(chance.randint(1, 30))) for _ in range(chance.randint(1, 50))]
        for name, waited in presses:
            try:
                run.do(name, after=waited)
            except CommandRefused:
                # do() has let the time pass.
                continue
        hits, way, at, through, time, attempts, going = naive(presses, splits, rule)
        told = run.it.told
        assert run.tells("hits", "way_hits", "state")[:2] == (hits, way), presses
        assert (run.it.attempt.through, run.it.attempt.place(run.it.route)) == (through, splits if through else at)
        assert (run.tells("seconds"), told.attempts) == (time, attempts), presses
        assert [round(one * attempts) for one in told.going_on(run.it.route)] == (going if attempts else [0] * splits)


# The piece


def test_the_list_says_when_its_rows_or_its_names_have_no_room() -> None:
    choices = dict(new_piece("run", "a", run="mile", width_px=640, height_px=640, size_px=34).choices)

    def found(*names: str, **more: Any) -> list[str]:
        says = {"longest": json.dumps(names)}
        return list(PIECE.fits({**choices, **more}, says, lambda words, size: (len(words) * size / 2, size)))

    # Nine rows of 1.45, one of 1.96, a head of 1.3 and a foot of 1.9, in letters of 34 px: 619 px.
    assert found("Gatekeeper") == []
    assert found("Gatekeeper", after=8) == [
        "12 rows need 718 px of height, and there are 640: 9 rows beside the current one fit."
    ]
    # The names' place is 388 px; in hand a letter of them takes 19.55.
    assert found("x" * 19) == []
    assert found("x" * 20) == [
        f"“{'x' * 20}” needs 391 px as the current split, but the space is 388: it will be cut off."
    ]
    track = {**choices, "arranged": "track", "width_px": 900}
    assert list(PIECE.fits(track, {"track": "-" * 300}, lambda words, size: (0, 0))) == [
        "300 marks have 3.0 px each, too small to tell apart. Use the list layout."
    ]


def test_each_of_the_five_arrangements_says_what_it_shows() -> None:
    assert list(ARRANGEMENTS) == ["list", "track", "hand", "line", "count"]
    for name, one in ARRANGEMENTS.items():
        piece = new_piece("run", "a", run="mile").changed({"arranged": name})
        assert (piece["width_px"], piece["height_px"]) == one.size
        assert set(piece.parts()) == {"", *one.tells}
    assert new_piece("run", "a").parts() == {}
