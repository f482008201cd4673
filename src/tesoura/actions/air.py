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
    words = "The air is cleared: viewers see nothing of any overlay." if cleared else "All is seen again as it was."
    return Done(words, {"cleared": cleared}, Call("air.clear", {"cleared": "no" if cleared else "yes"}))


async def _foresee_clear(doing: Doing, given: Given) -> str:
    is_so = doing.runtime.stage.curtain.cleared
    if (given["cleared"] == "yes") is is_so:
        return "it is so already"
    return "all overlays are hidden at once, moments wait" if not is_so else "all that was seen is seen again"


CLEAR = Action(
    "air.clear",
    "Clear the air",
    "Hide all overlays at once; with `cleared` no, bring them back as they were.",
    {"cleared": Field("Cleared", choice(("yes", "no")), kind="switch", default="yes")},
    _clear,
    _foresee_clear,
)


async def _cover(doing: Doing, given: Given) -> Done:
    covered = given["covered"] == "yes"
    await doing.runtime.covering.choose(covered)
    doing.runtime.touched("covering")
    return Done(
        "Keys, addresses and e-mail are covered on all pages." if covered else "What is private is shown.",
        {"covered": covered},
    )


async def _foresee_cover(doing: Doing, given: Given) -> str:
    present = "covered" if doing.runtime.covering.covered else "shown"
    return f"{present} → {'covered' if given['covered'] == 'yes' else 'shown'}"


COVER = Action(
    "private.cover",
    "Cover what is private",
    "Keys, addresses, tokens and e-mail, on all pages of Tesoura.",
    {"covered": Field("Covered", choice(("yes", "no")), kind="switch", default="yes")},
    _cover,
    _foresee_cover,
    may=SET_UP,
)

ALL = (CLEAR, COVER)
