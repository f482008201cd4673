"""What viewers have as a whole: everything hidden at once and brought back; what is private covered on all pages."""

from __future__ import annotations

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.roles import SET_UP
from tesoura.core.forms.checks import choice
from tesoura.core.forms.fields import Field


async def _clear(doing: Doing, given: Given) -> Done:
    cleared = given["cleared"] == "yes"
    await doing.runtime.showing.clear(cleared, doing.actor, doing.cause, doing.id)
    doing.runtime.touched("overlays")
    if not cleared:
        doing.runtime.show_waiting()
    words = "Everything is hidden from viewers." if cleared else "Everything is on screen again."
    return Done(words, {"cleared": cleared}, Call("air.clear", {"cleared": "no" if cleared else "yes"}))


async def _foresee_clear(doing: Doing, given: Given) -> str:
    is_so = doing.runtime.stage.curtain.cleared
    if (given["cleared"] == "yes") is is_so:
        return "no change"
    return "hides all overlays and queues alerts" if not is_so else "shows everything again"


CLEAR = Action(
    "air.clear",
    "Hide everything",
    "Hide all overlays at once, or show them again with `cleared` no.",
    {"cleared": Field("Cleared", choice(("yes", "no")), kind="switch", default="yes")},
    _clear,
    _foresee_clear,
)


async def _cover(doing: Doing, given: Given) -> Done:
    covered = given["covered"] == "yes"
    await doing.runtime.covering.choose(covered)
    doing.runtime.touched("covering")
    return Done(
        "Keys, addresses and e-mail are hidden on all pages." if covered else "Private data is shown.",
        {"covered": covered},
    )


async def _foresee_cover(doing: Doing, given: Given) -> str:
    present = "covered" if doing.runtime.covering.covered else "shown"
    return f"{present} → {'covered' if given['covered'] == 'yes' else 'shown'}"


COVER = Action(
    "private.cover",
    "Hide private data",
    "Keys, addresses, tokens and e-mail on all pages of Tesoura.",
    {"covered": Field("Covered", choice(("yes", "no")), kind="switch", default="yes")},
    _cover,
    _foresee_cover,
    may=SET_UP,
)

ALL = (CLEAR, COVER)
