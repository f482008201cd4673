"""A map: two known points, a place, a trail."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence
from tesoura.core.forms.form import fill
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.map import KIND, Map

T = datetime(2026, 11, 26, 20, 0, tzinfo=UTC)
POINTS = {
    "a_x": "-100",
    "a_y": "400",
    "a_across_pct": "10",
    "a_down_pct": "20",
    "b_x": "300",
    "b_y": "0",
    "b_across_pct": "90",
    "b_down_pct": "60",
}


def made(**typed: str) -> Map:
    filled = fill(KIND.fields, {**POINTS, **typed})
    assert not filled.wrong
    it = KIND.begin("map", filled.choices, Almanac(), T)
    assert isinstance(it, Map)
    return it


def at(it: Map, x: Any, y: Any, actor: str = "mara_vane") -> Map:
    return it.on_event(Occurrence(0, 1, "position", {"actor": actor, "x": x, "y": y}))


def test_two_known_points_tell_where_every_other_one_lies() -> None:
    it = at(made(), 100, 200)
    # Half way between both points, along and up: the game's y grows upward, the picture's downward.
    assert (it.read(T)["across"], it.read(T)["down"]) == (0.5, 0.4)
    assert at(it, -100, 400).read(T)["across"] == 0.1
    assert it.read(T)["path"] == "M50.0 40.0"


def test_a_place_outside_the_picture_is_shown_at_its_edge_and_said() -> None:
    told = at(made(), 5_000, 200).read(T)
    assert (told["across"], told["down"], told["outside"]) == (1.0, 0.4, True)


def test_the_trail_keeps_so_many_places_and_begins_anew_with_a_match() -> None:
    it = made(trail="2")
    for x in (-100, 100, 300):
        it = at(it, x, 400)
    assert it.read(T)["path"] == "M50.0 20.0L90.0 20.0"
    assert it.handle(Command("clear"), T).after.read(T)["path"] == "M90.0 20.0"
    assert it.on_event(Occurrence(0, 2, "match.start", {})).read(T)["path"] == ""


def test_the_place_of_others_and_one_without_numbers_change_nothing() -> None:
    it = at(made(player="mara_vane"), 100, 200)
    assert at(it, 0, 0, "otto_knot") == it
    strange = at(it, "left", None)
    assert (strange.read(T)["x"], strange.strange) == (100, "A position event had no numeric x and y.")


def test_nothing_is_told_before_the_first_place() -> None:
    assert made().read(T) == dict.fromkeys(("across", "down", "outside", "path", "x", "y"))


def test_two_points_on_one_line_are_refused() -> None:
    wrong = KIND.check(fill(KIND.fields, {**POINTS, "b_x": "-100", "b_down_pct": "20"}).choices)
    assert wrong == {
        "b_x": "Choose two points of which one is not straight beside the other.",
        "b_y": "Choose two points of which one is not straight above the other.",
    }


def test_it_goes_on_after_a_restart() -> None:
    it = at(at(made(), 1, 2), 3, 4)
    choices = fill(KIND.fields, POINTS).choices
    assert KIND.restore("map", choices, Almanac(), it.saved()) == it


def test_it_is_tried_with_a_made_up_round_and_then_is_where_it_was() -> None:
    it = at(made(), 100, 200)
    after = it.handle(Command("try_it"), T).after
    assert isinstance(after, Map)
    it = after
    told = it.read(T + timedelta(seconds=2))
    # A quarter of the round: straight below the middle.
    assert (told["across"], told["down"], told["x"]) == (0.5, 0.85, None)
    assert it.next_change(T + timedelta(seconds=2)) == T + timedelta(seconds=2.2)
    over = T + timedelta(seconds=8)
    assert (it.read(over)["across"], it.next_change(over)) == (0.5, None)
    assert it.read(over)["x"] == 100
