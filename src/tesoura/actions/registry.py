"""All actions, by name."""

from __future__ import annotations

from collections.abc import Mapping

from tesoura.actions import feeds, log, overlays, session, values
from tesoura.actions.action import Action, Call, Doing, Done, foresee, perform
from tesoura.errors import Gone

ACTIONS: Mapping[str, Action] = {
    one.name: one
    for one in (
        session.START, session.UNDO, session.CORRECT,
        values.SET_SCENE, values.SET_BY_HAND, values.SET_SIGNAL, values.COMMAND,
        overlays.PUBLISH, overlays.BACK,
        feeds.PAUSE, feeds.ASK,
        log.SAY, log.CORRECT, log.AGAIN, log.SKIP,
    )
}  # fmt: skip


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
