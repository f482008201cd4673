"""Rows of an instrument that are pasted, and saved all at once."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.items import ADD, COMMANDS, MOVE, SET, InstrumentItem, marks, rows_from_text, step
from tesoura.core.instruments.wheel.fields import ITEMS
from tesoura.errors import ChangedMeanwhile, CommandRefused, Invalid, InvalidField, InvalidPiece

TEA = InstrumentItem("i7", ITEMS.checked({"words": "tea", "weight": "2"}))


@pytest.mark.parametrize(
    ("pasted", "rows"),
    [
        ("tea * 5\nsing the score", [{"words": "tea", "weight": "5"}, {"words": "sing the score"}]),
        ("tea\t0.3\n\nsong\t2", [{"words": "tea", "weight": "0.3"}, {"words": "song", "weight": "2"}]),
        ('"tea, cold", 3', [{"words": "tea, cold", "weight": "3"}]),
        ("Weight,Text\n4,tea", [{"weight": "4", "words": "tea"}]),
        ("3 * 4 × 2", [{"words": "3 * 4", "weight": "2"}]),
        ("  ", []),
    ],
)
def test_a_pasted_table_becomes_rows(pasted: str, rows: list[dict[str, str]]) -> None:
    assert rows_from_text(ITEMS, pasted) == rows


def test_all_rows_are_set_at_once_and_undone_at_once() -> None:
    given = {"items": [{"words": "song", "weight": "1"}, {"id": "i7", "weight": "3"}, {"words": "", "weight": "1"}]}
    done = step(ITEMS, (TEA,), Command(SET, given))
    assert done is not None
    assert [one.values["words"] for one in done.items] == ["song", "tea"]
    assert done.effect == "Fields: 1 added, 1 changed"
    logged = step(ITEMS, (TEA,), Command(SET, done.given, seq=12))
    assert logged is not None
    assert [(one.id, one.values["weight"]) for one in logged.items] == [("i12-0", "1"), ("i7", "3")]
    back = step(ITEMS, logged.items, Command(SET, done.undo[1]))
    assert back is not None
    assert back.items == (TEA,)


def test_a_wrong_row_is_named_with_its_field_and_changes_nothing() -> None:
    with pytest.raises(InvalidPiece) as error:
        step(ITEMS, (TEA,), Command(SET, {"items": [{"id": "i7", "weight": "-1"}]}))
    assert list(error.value.wrong) == ["items.i7.weight"]
    with pytest.raises(CommandRefused, match="Nothing was changed"):
        step(ITEMS, (TEA,), Command(SET, {"items": [{"id": "i7"}]}))


def test_rows_changed_in_another_window_are_not_overwritten_unasked() -> None:
    given = {"items": [], "opened_with": marks(())}
    with pytest.raises(ChangedMeanwhile) as error:
        step(ITEMS, (TEA,), Command(SET, given))
    assert error.value.marks == marks((TEA,))


@pytest.mark.parametrize(
    ("command", "sent", "message"),
    [
        (SET, {"items": [{"id": [1], "words": "tea"}]}, "The id of a field is text. Leave it out for a new one."),
        (SET, {"items": [{"id": {}, "words": "tea"}]}, None),
        (SET, {"items": "tea"}, "Send a list of fields, each with its values by name."),
        (ADD, {"words": "tea", "at": "first"}, "“first” is not a number. Give a number from -1000 to 1000."),
        (MOVE, {"item": "i7", "by": {}}, "“{}” is not a number. Give a number from -1000 to 1000."),
    ],
)
def test_what_no_page_sends_is_refused_in_words(command: str, sent: dict[str, Any], message: str | None) -> None:
    if message is None:
        assert step(ITEMS, (TEA,), Command(command, sent)) is not None
        return
    with pytest.raises(InvalidField) as error:
        step(ITEMS, (TEA,), Command(command, sent))
    assert str(error.value) == message


json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=9),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["id", "words", "weight"]), inner, max_size=3)
    ),
    max_leaves=6,
)


@given(
    st.sampled_from(COMMANDS),
    st.dictionaries(st.sampled_from(["items", "at", "by", "item", "words", "opened_with"]), json_values),
)
def test_no_json_makes_a_command_to_items_fail_by_an_error_of_ours(command: str, sent: dict[str, Any]) -> None:
    with suppress(Invalid):
        step(ITEMS, (TEA,), Command(command, sent))


def test_a_row_with_an_unknown_field_is_refused_not_dropped() -> None:
    with pytest.raises(InvalidPiece) as error:
        step(ITEMS, (TEA,), Command(SET, {"items": [{"id": "i7", "words": "tea"}, {"text": "cake"}]}))
    assert "There is no such field" in str(error.value.wrong)
