"""All actions, by name."""

from __future__ import annotations

from collections.abc import Mapping

from tesoura.actions import (
    computed_setup,
    drafts,
    feed_picks,
    feed_setup,
    feeds,
    links,
    log,
    looks,
    machine,
    media,
    overlay_setup,
    overlays,
    preferences,
    recipes,
    session,
    text_files,
    values,
)
from tesoura.actions.action import Action, Call, Doing, Done, foresee, perform
from tesoura.actions.roles import Role
from tesoura.errors import Gone

ROOMS = (
    session, values, links, overlays, overlay_setup, drafts, feeds, feed_setup, feed_picks, machine,
    computed_setup, looks, media, text_files,
    recipes, preferences, log,
)  # fmt: skip
ACTIONS: Mapping[str, Action] = {one.name: one for room in ROOMS for one in room.ALL}


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
