"""Leaves of buttons: laid, moved, taken off, within bounds; and what a press of each kind is."""

from __future__ import annotations

import pytest

from tesoura.core.desk.buttons import KINDS, DeskButton, button_of
from tesoura.core.desk.leaves import MOST_BUTTONS, Leaves, leaves_of
from tesoura.errors import Gone, InvalidField, InvalidPiece


def scene(name: str) -> DeskButton:
    return button_of("new", {"does": "scene", "scene": name})


def laid(*names: str) -> Leaves:
    leaves = Leaves().with_leaf("Play")
    for name in names:
        leaves, _ = leaves.laid("l1", scene(name))
    return leaves


def words(leaves: Leaves, leaf: str = "l1") -> list[str]:
    return [one.shown_words for one in leaves.leaf(leaf).buttons]


def test_buttons_lie_in_the_order_in_which_they_were_laid_and_each_has_an_id_of_its_own() -> None:
    leaves = laid("Play", "Talk", "Break")
    assert words(leaves) == ["Play", "Talk", "Break"]
    assert [one.id for one in leaves.leaf("l1").buttons] == ["b2", "b3", "b4"]


@pytest.mark.parametrize(("place", "order"), [(0, "CAB"), (1, "ACB"), (2, "ABC"), (99, "ABC"), (-5, "CAB")])
def test_a_button_is_moved_to_a_place_at_most_to_the_ends(place: int, order: str) -> None:
    assert words(laid("A", "B", "C").moved("b4", place)) == list(order)


def test_a_button_is_moved_to_another_leaf_and_back_by_its_saved_form() -> None:
    leaves = laid("A", "B").with_leaf("Break").moved("b2", 0, "l4")
    assert (words(leaves), words(leaves, "l4")) == (["B"], ["A"])
    assert leaves_of(leaves.saved()) == leaves


def test_an_id_is_never_given_twice() -> None:
    leaves = laid("A").without("b2")
    leaves, button = leaves.laid("l1", scene("B"))
    assert button.id == "b3"


def test_a_leaf_has_sixty_buttons_and_no_more() -> None:
    leaves = laid(*(str(number) for number in range(MOST_BUTTONS)))
    with pytest.raises(InvalidField, match="60 buttons already"):
        leaves.laid("l1", scene("one more"))


@pytest.mark.parametrize("name", ["", "   ", "x" * 31, "pLAY"])
def test_a_leaf_needs_a_name_of_its_own(name: str) -> None:
    with pytest.raises(InvalidField):
        laid().with_leaf(name)


def test_what_is_no_longer_there_is_said() -> None:
    for ask in (lambda: laid().leaf("l9"), lambda: laid().without("b9"), lambda: laid().moved("b9", 0)):
        with pytest.raises(Gone):
            ask()


@pytest.mark.parametrize(
    ("typed", "on", "press"),
    [
        (
            {"does": "cue", "cue": "gift_cheer"},
            False,
            ("instrument.command", {"instrument": "gift_cheer", "command": "press", "by": "the desk"}),
        ),
        (
            {"does": "command", "instrument": "kettle", "command": "add", "with": "by 3 min"},
            False,
            ("instrument.command", {"instrument": "kettle", "command": "add", "by": "3 min"}),
        ),
        ({"does": "piece", "part": "Cup / Song"}, True, ("piece.show", {"piece": "Cup / Song", "shown": "no"})),
        ({"does": "piece", "part": "Cup / Song"}, False, ("piece.show", {"piece": "Cup / Song", "shown": "yes"})),
        ({"does": "step", "hand": "losses", "by": "-1"}, False, ("hand.set", {"name": "losses", "step": "-1"})),
        ({"does": "air"}, True, ("air.clear", {"cleared": "no"})),
        ({"does": "undo"}, False, ("desk.undo", {})),
    ],
)
def test_a_press_is_the_action_of_its_kind(typed: dict[str, str], on: bool, press: object) -> None:
    assert button_of("b1", typed).press(on) == press


@pytest.mark.parametrize(
    ("typed", "field"),
    [
        ({"does": "dance"}, "does"),
        ({"does": "cue"}, "cue"),
        ({"does": "say", "chat": "chat"}, "line"),
        ({"does": "air", "words": "w" * 500}, "words"),
        ({"does": "air", "colour": "pink"}, "colour"),
    ],
)
def test_a_button_that_lacks_something_names_it(typed: dict[str, str], field: str) -> None:
    with pytest.raises(InvalidPiece) as error:
        button_of("b1", typed)
    assert field in error.value.wrong


def test_a_button_of_a_kind_that_there_is_no_more_is_left_out() -> None:
    saved = laid("A").saved()
    saved["leaves"][0]["buttons"].append({"id": "b9", "does": "dance", "own": {}})
    assert words(leaves_of(saved)) == ["A"]


def test_no_two_kinds_of_button_have_a_choice_of_one_name_that_means_another() -> None:
    meant: dict[str, tuple[str, str]] = {}
    for kind in KINDS.values():
        for name, field in kind.fields.items():
            assert meant.setdefault(name, (field.label, field.default)) == (field.label, field.default), (
                kind.name,
                name,
            )


def test_a_button_that_an_earlier_version_stored_does_the_same() -> None:
    button = {
        "id": "b1",
        "does": "saves",
        "own": {"saves_of": "Mile", "what": "keep"},
        "words": "",
        "colour": "ink",
        "size": "one",
    }
    saved = {"leaves": [{"id": "l1", "name": "Tonight", "buttons": [button]}], "next_id": 3}
    (read,) = leaves_of(saved).leaves[0].buttons
    assert read.own == {"saves_of": "Mile", "saves_do": "keep"}
    assert read.shown_words == "Mile: save the current state"
    assert read.press(False) == ("saves.press", {"game": "Mile", "what": "keep"})
