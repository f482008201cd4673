"""All actions, by name."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from tesoura.actions import (
    air,
    clips,
    computed_setup,
    devices,
    drafts,
    feed_picks,
    feed_setup,
    feeds,
    leaves,
    links,
    listening,
    log,
    looks,
    machine,
    media,
    media_swap,
    overlay_setup,
    overlays,
    preferences,
    recipes,
    save_shelves,
    saves,
    session,
    shows,
    starters,
    text_files,
    values,
)
from tesoura.actions.action import Action, Call, Doing, Done, Given, foresee, perform
from tesoura.actions.roles import Role
from tesoura.core.forms.checks import text, whole
from tesoura.core.forms.fields import Field
from tesoura.errors import Gone
from tesoura.runtime.undoing import Undoable

ROOMS = (
    session,
    values,
    links,
    air,
    leaves,
    devices,
    overlays,
    overlay_setup,
    drafts,
    feeds,
    feed_setup,
    feed_picks,
    machine,
    listening,
    computed_setup,
    looks,
    media,
    media_swap,
    clips,
    text_files,
    recipes,
    starters,
    shows,
    preferences,
    log,
    saves,
    save_shelves,
)


def _to_undo(doing: Doing, given: Given) -> Undoable:
    """What is to be taken back. Raises Gone."""
    line = doing.runtime.undo_line
    found = line.found(given["number"])
    if found is None:
        raise Gone("This is already undone." if given["number"] else "Nothing to undo since Tesoura started.")
    if found.stepwise and (later := line.after(found)):
        raise Gone(f"Undo the later action first: “{later[0].words[:80]}”.")
    return found


async def _undo(doing: Doing, given: Given) -> Done:
    """Take back the last act that can be, or one further back. Raises Gone when it cannot be taken back any more."""
    found = _to_undo(doing, given)
    doing.runtime.undo_line.drop(found)
    doing.runtime.touched("undo")
    await perform(doing, replace(action_named(found.action), takes_back=False), found.given)
    return Done(f"Undone: {found.words}")


async def _foresee_undo(doing: Doing, given: Given) -> str:
    """What would be different, and what was done to the same since, which that may reach, too."""
    found = _to_undo(doing, given)
    undoes = action_named(found.action)
    told = await foresee(doing, undoes, found.given)
    words = f"{undoes.title}. {undoes.about}" if told == undoes.about else told
    later = [f"“{one.words[:80]}”" for one in doing.runtime.undo_line.after(found)]
    if not later:
        return words
    affected = f"{len(later)} later changes, the last {later[0]}" if len(later) > 1 else f"the later change {later[0]}"
    return f"{words}\nMay affect {affected}."


UNDO = Action(
    "desk.undo",
    "Undo",
    "The last action that can be undone, or the one with the given number.",
    {"number": Field("Number", whole(0, 2**53), kind="number", default=0)},
    _undo,
    _foresee_undo,
)


async def _press(doing: Doing, given: Given) -> Done:
    """Press a button of the desk. Raises Gone, and what its act raises."""
    return await do(doing, _pressed(doing, given))


async def _foresee_press(doing: Doing, given: Given) -> str:
    return await would(doing, _pressed(doing, given))


def _pressed(doing: Doing, given: Given) -> Call:
    leaves = doing.runtime.leaves
    _, button = leaves.present.found(given["button"])
    return Call(*button.press(leaves.is_on(button)))


PRESS = Action(
    "button.press",
    "Press a button",
    "One that lies on the desk.",
    {"button": Field("Button", text(20))},
    _press,
    _foresee_press,
    takes_back=False,
)
ACTIONS: Mapping[str, Action] = {one.name: one for one in (*(one for room in ROOMS for one in room.ALL), UNDO, PRESS)}


def allowed(role: Role) -> list[Action]:
    """The actions that somebody in this role may do, in order."""
    return [one for one in ACTIONS.values() if role in one.may]


def action_named(name: str) -> Action:
    """The action of this name. Raises Gone, which names those there are."""
    found = ACTIONS.get(name.lower())
    if found is None:
        raise Gone(f"There is no action {name[:60]}. There are: {', '.join(ACTIONS)}.")
    return found


async def do(doing: Doing, call: Call) -> Done:
    """Perform what is called. Raises Gone, InvalidPiece, or another of Tesoura's errors; then nothing was done."""
    return await perform(doing, action_named(call.action), call.given)


async def would(doing: Doing, call: Call) -> str:
    """What a call would do now, in words. Raises as `do` does."""
    return await foresee(doing, action_named(call.action), call.given)
