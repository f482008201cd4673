"""Values set by hand: what may be set, what a step leads to; and recipes as documents."""

from __future__ import annotations

import tomllib
from typing import Any

import pytest
import tomli_w

from tesoura.bundles.recipes import Recipe, document_of, read
from tesoura.core.signals.by_hand import checked, key, number, stepped
from tesoura.errors import InvalidField

COUNT: dict[str, Any] = {"what": "number", "start": "3", "step": 2, "low": 0, "high": 10}


@pytest.mark.parametrize(("typed", "value"), [("5", 5), (" 2,5 ", 2.5), ("−4", -4), ("1 000", 1000), ("-0.5", -0.5)])
def test_numbers_as_people_type_them(typed: str, value: float) -> None:
    assert number(typed) == value


@pytest.mark.parametrize("typed", ["", "many", "1e40", "nan", "1.2.3"])
def test_what_is_no_number_is_refused(typed: str) -> None:
    with pytest.raises(InvalidField):
        number(typed)


@pytest.mark.parametrize(
    ("present", "direction", "value"), [(None, 1, 5), (9, 1, 10), (1, -1, 0), (4.5, 1, 6.5), (0, -1, 0)]
)
def test_a_step_stays_within_its_bounds(present: float | None, direction: int, value: float) -> None:
    assert stepped(COUNT, present, direction) == value


def test_small_steps_add_up_exactly() -> None:
    choices = {**COUNT, "step": 0.1, "start": "0"}
    value: Any = 0
    for _ in range(3):
        value = stepped(choices, value, 1)
    assert value == 0.3


def test_a_switch_turns_and_a_text_has_no_steps() -> None:
    assert stepped({"what": "flag"}, True, 1) is False
    assert [checked({"what": "flag"}, typed) for typed in ("yes", "ON", "0", "")] == [True, True, False, False]
    assert checked({"what": "text"}, "a\x07b") == "ab"
    with pytest.raises(InvalidField):
        stepped({"what": "text"}, "hello", 1)
    with pytest.raises(InvalidField):
        checked({"what": "flag"}, "perhaps")
    with pytest.raises(InvalidField):
        checked(COUNT, "11")


def test_keys_that_the_pages_use_are_not_given_away() -> None:
    assert [key(typed) for typed in ("", "+", "U")] == ["", "+", "u"]
    for typed in ("g", "/", "?", "ab"):
        with pytest.raises(InvalidField):
            key(typed)


def test_a_recipe_written_and_read_again_is_the_same() -> None:
    recipe = Recipe(
        "Losses",
        "Counted by hand.",
        "hand",
        "losses",
        {"what": "number", "step": 1},
        {"start": "Start."},
        [{"name": "value", "path": "@", "unit": "lines", "wanted": "number"}],
        [{"type": "loss", "items": "", "id": "", "time": "", "fields": {"n": "value"}}],
        [{"kind": "formula", "name": "double", "formula": "losses.value * 2"}],
        [{"name": "Count", "wording": "{losses.value}"}],
    )
    text = tomli_w.dumps(document_of(recipe))
    assert tomllib.loads(text)["version"] == 1
    assert read(text, {"hand": []}) == recipe
