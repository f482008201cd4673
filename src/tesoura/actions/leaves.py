"""The desk's leaves: buttons laid, changed, moved and taken off."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.actions.action import Action, Call, Doing, Done, Given, Run, one_of_these
from tesoura.actions.roles import SET_UP
from tesoura.core.desk.buttons import LONGEST_WORDS, DeskButton, button_of
from tesoura.core.desk.leaves import LONGEST_NAME, Leaves, leaves_of
from tesoura.core.forms.checks import text, whole
from tesoura.core.forms.fields import Field
from tesoura.errors import InvalidField, InvalidPiece

_LEAF = {"leaf": Field("Button page", text(20))}
_BUTTON = {"button": Field("Button", text(20))}


def _data(raw: object) -> dict[str, Any]:
    if not isinstance(raw, dict):
        raise InvalidField("Give the choices as an object.")
    return raw


def _free(doing: Doing, button: DeskButton) -> DeskButton:
    """It, unless a value that is set by hand has its key. Raises InvalidPiece."""
    for name, title in doing.runtime.feeds.titles("hand"):
        choices = doing.runtime.feeds.hand_choices(name) or {}
        if button.key and button.key in (choices.get("key_up"), choices.get("key_down")):
            raise InvalidPiece({"key": f"{button.key} is a key of {title}, which is set by hand. Choose another key."})
    return button


async def _keep(doing: Doing, leaves: Leaves, words: str, result: Given) -> Done:
    """Let them lie so; all of it can be taken back, because what lay before is kept with it."""
    before = doing.runtime.leaves.present.saved()
    await doing.runtime.leaves.keep(leaves)
    doing.runtime.touched("leaves")
    return Done(words, result, Call("leaves.put", {"leaves": before}))


async def _new(doing: Doing, given: Given) -> Done:
    leaves = doing.runtime.leaves.present.with_leaf(given["name"])
    leaf = leaves.leaves[-1]
    return await _keep(doing, leaves, f"The button page {leaf.name} was created.", {"leaf": leaf.id})


async def _rename(doing: Doing, given: Given) -> Done:
    leaves = doing.runtime.leaves.present.renamed(given["leaf"], given["name"])
    return await _keep(doing, leaves, f"The button page is now called {leaves.leaf(given['leaf']).name}.", {})


async def _remove(doing: Doing, given: Given) -> Done:
    present = doing.runtime.leaves.present
    name = present.leaf(given["leaf"]).name
    return await _keep(doing, present.without_leaf(given["leaf"]), f"The button page {name} was deleted.", {})


async def _lay(doing: Doing, given: Given) -> Done:
    wished = _free(doing, button_of("new", given["choices"]))
    leaves, button = doing.runtime.leaves.present.laid(given["leaf"], wished)
    return await _keep(doing, leaves, f"“{button.shown_words}” was added.", {"button": button.id})


async def _lay_set(doing: Doing, given: Given) -> Done:
    """Lay all that an instrument is operated with."""
    state = doing.runtime.instruments.standing(given["instrument"].lower())
    if state is None:
        known = [one.name for one in doing.runtime.instruments.setups("instruments")]
        raise one_of_these("instrument", given["instrument"], known)
    setup, leaves = state.setup, doing.runtime.leaves.present
    for ready in setup.kind_of.buttons_for(setup.choices):
        if isinstance(ready, Mapping):
            typed = {"board": setup.name, **ready}
        else:
            words, command, with_it = ready
            shown = f"{setup.choices['title']}: {words}"[:LONGEST_WORDS]
            typed = {"does": "command", "instrument": setup.name, "command": command, "with": with_it, "words": shown}
        leaves, _ = leaves.laid(given["leaf"], button_of("new", typed))
    return await _keep(doing, leaves, f"The buttons of “{setup.choices['title']}” were added.", {})


async def _change(doing: Doing, given: Given) -> Done:
    button = _free(doing, button_of(given["button"], given["choices"]))
    leaves = doing.runtime.leaves.present.changed(button)
    return await _keep(doing, leaves, f"“{button.shown_words}” was saved.", {})


async def _move(doing: Doing, given: Given) -> Done:
    leaves = doing.runtime.leaves.present.moved(given["button"], given["place"], given["leaf"])
    return await _keep(doing, leaves, "The button was moved.", {})


async def _take_off(doing: Doing, given: Given) -> Done:
    present = doing.runtime.leaves.present
    _, button = present.found(given["button"])
    return await _keep(doing, present.without(button.id), f"“{button.shown_words}” was taken off.", {})


async def _put(doing: Doing, given: Given) -> Done:
    try:
        leaves = leaves_of(given["leaves"])
    except (KeyError, TypeError, ValueError, AttributeError):
        raise InvalidField("These are not button pages.") from None
    return await _keep(doing, leaves, "The button pages were restored.", {})


def _setup(name: str, title: str, fields: dict[str, Field], run: Run) -> Action:
    return Action(name, title, "On the desk's button pages.", fields, run, noted=True, may=SET_UP)


_NAME = {"name": Field("Name", text(LONGEST_NAME))}
_CHOICES = {"choices": Field("Choices", _data, kind="data")}
ALL = (
    _setup("leaf.new", "Create button page", _NAME, _new),
    _setup("leaf.rename", "Rename a button page", {**_LEAF, **_NAME}, _rename),
    _setup("leaf.remove", "Delete a button page", _LEAF, _remove),
    _setup("button.lay", "Add a button", {**_LEAF, **_CHOICES}, _lay),
    _setup(
        "button.lay_set",
        "Add all buttons of an instrument",
        {**_LEAF, "instrument": Field("Instrument", text(60))},
        _lay_set,
    ),
    _setup("button.change", "Change a button", {**_BUTTON, **_CHOICES}, _change),
    _setup(
        "button.move",
        "Move a button",
        {
            **_BUTTON,
            "place": Field("Place", whole(0, 200), kind="number", default=0),
            "leaf": Field("Button page", text(20, empty=True)),
        },
        _move,
    ),
    _setup("button.remove", "Remove a button", _BUTTON, _take_off),
    _setup("leaves.put", "Restore all button pages", {"leaves": Field("Button pages", _data, kind="data")}, _put),
)
