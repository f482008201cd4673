"""Looks: made, changed, put away, brought in as design tokens."""

from __future__ import annotations

import uuid
from dataclasses import replace
from functools import partial

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.media import file_bytes
from tesoura.actions.roles import SET_UP
from tesoura.core.forms.checks import choice, group, line
from tesoura.core.forms.fields import Field
from tesoura.core.forms.meanwhile import OPENED_WITH, merged
from tesoura.core.overlays.design_tokens import from_tokens
from tesoura.core.overlays.looks import FORMS, Look
from tesoura.core.overlays.shipped_looks import SHIPPED
from tesoura.core.values import from_json
from tesoura.errors import Gone, InvalidPiece, NotTokens
from tesoura.store import looks as stored

MAX_TOKENS = 200_000
_LOOK = {"look": Field("Look", line(60), kind="look")}


async def _look(doing: Doing, look_id: str) -> Look:
    found = (await doing.read(stored.all_looks)).get(look_id)
    if found is None:
        raise Gone(f"There is no look {look_id[:60]}.")
    return found


async def _change(doing: Doing, given: Given) -> Done:
    """What is right is kept; what is wrong is told by field in the result."""
    look, at, form = await _look(doing, given["look"]), doing.now(), given["form"]
    good, wrong = dict(given["set"]), dict[str, str]()
    try:
        changed = look.changed(good, form)
    except InvalidPiece as error:
        wrong |= error.wrong
        changed = look.changed(good := {name: raw for name, raw in good.items() if name not in wrong}, form)
    try:
        opened_with = {name: was for name, was in given["opened_with"].items() if name in good}
        merged(opened_with, changed.choices(form), look.choices(form))
    except InvalidPiece as error:
        wrong |= error.wrong
        changed = look.changed({name: raw for name, raw in good.items() if name not in wrong}, form)
    await doing.write(lambda session: stored.keep(session, changed, at))
    doing.runtime.touched("overlays", "looks")
    return Done(f"{changed.name} was saved.", {"wrong": dict(wrong)})


async def _new(doing: Doing, given: Given) -> Done:
    first, at = await _look(doing, given["like"]), doing.now()
    made = replace(first, id=uuid.uuid4().hex[:10], name=f"{first.name} of my own"[:60])
    await doing.write(lambda session: stored.keep(session, made, at))
    return Done(f"{made.name} was created.", {"look": made.id}, Call("look.remove", {"look": made.id}))


async def _remove(doing: Doing, given: Given) -> Done:
    look, at = await _look(doing, given["look"]), doing.now()
    await doing.write(lambda session: stored.remove(session, look.id, at))
    doing.runtime.touched("overlays", "looks")
    if look.id in SHIPPED:
        words = f"{look.name} was reset to the original."
    else:
        words = f"{look.name} was deleted. Pieces that used it are drawn plainly."
    return Done(words, {}, Call("look.restore", {"look": look.id}))


async def _restore(doing: Doing, given: Given) -> Done:
    def job(session: Session) -> None:
        if not stored.restore(session, given["look"]):
            raise Gone(f"There is no look {given['look'][:60]}.")

    await doing.write(job)
    doing.runtime.touched("overlays", "looks")
    return Done("It was restored.", {}, Call("look.remove", {"look": given["look"]}))


async def _bring_in(doing: Doing, given: Given) -> Done:
    at = doing.now()
    if len(given["file"]) > MAX_TOKENS:
        raise NotTokens("The file is too large for one look.")
    try:
        look, left = from_tokens(uuid.uuid4().hex[:10], from_json(given["file"]))
    except NotTokens:
        raise
    except ValueError:
        raise NotTokens("This is not JSON. Export a look to see the format.") from None
    await doing.write(lambda session: stored.keep(session, look, at))
    words = f"{look.name} was imported." + (f" Left out: {' '.join(left[:4])}" if left else "")
    return Done(words, {"look": look.id}, Call("look.remove", {"look": look.id}))


_setup = partial(Action, noted=True, may=SET_UP)
ALL = (
    Action(
        "look.change",
        "Change a look",
        "Every draft that uses it changes; what's on air stays.",
        {
            **_LOOK,
            "set": Field("Choices", group, kind="data"),
            "form": Field("Form", choice(FORMS), default="dark"),
            **OPENED_WITH,
        },
        _change,
        may=SET_UP,
    ),
    _setup(
        "look.new",
        "Create a look",
        "As a copy of another look.",
        {"like": Field("Like", line(60), kind="look", default="ink")},
        _new,
    ),
    _setup("look.remove", "Delete a look", "Or reset an included look.", _LOOK, _remove),
    _setup("look.restore", "Restore a look", "One that was deleted.", _LOOK, _restore),
    _setup(
        "look.bring_in",
        "Import a look",
        "From a file of design tokens; base64 in JSON.",
        {"file": Field("File", file_bytes, kind="data")},
        _bring_in,
    ),
)
