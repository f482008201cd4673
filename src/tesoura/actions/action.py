"""The shape of all actions, and the one way to perform one."""

from __future__ import annotations

import asyncio
import uuid
from collections.abc import Awaitable, Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, TypeVar

from sqlmodel import Session

from tesoura.actions.roles import OPERATE, Role, role_of
from tesoura.core.forms.form import Fields, fill
from tesoura.core.values import Event
from tesoura.errors import InvalidField, InvalidPiece, NotYours
from tesoura.runtime.facade import Runtime
from tesoura.runtime.undoing import Undoable

T = TypeVar("T")
Given = Mapping[str, Any]
DONE = "tesoura.action"
"""The type of the event that tells that an action was done."""


@dataclass(frozen=True, slots=True)
class Call:
    """Another action that can be performed: its name, and what is given with it."""

    action: str
    given: Given = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Done:
    """What was done, in words for whoever did it; what it gives a program; and what takes it back, if anything does."""

    words: str
    result: Given = field(default_factory=dict)
    undo: Call | None = None
    undo_number: int = 0
    """Its number among what can be undone; 0 when it cannot."""


@dataclass(frozen=True, slots=True)
class Doing:
    """What an action is done with: the runtime, on whose loop it runs, who does it, and what led to it."""

    runtime: Runtime
    actor: str
    cause: int | None = None
    id: str = ""
    """The id of the event that comes of it, when it has one: what is done twice under the same id is done once."""

    def now(self) -> datetime:
        """The present instant."""
        return self.runtime.settings.clock()

    def must_be(self, roles: frozenset[Role], what: str) -> None:
        """Let only these go on. Raises NotYours, which says who may do this."""
        if role_of(self.actor) not in roles:
            raise NotYours(f"{what} is only allowed for: {', '.join(sorted(roles))}.")

    def by(self) -> str:
        """Who does it, in words for the history of what is on air."""
        return "this machine" if self.actor == "desk" else self.actor.removeprefix("desk:")

    async def read(self, question: Callable[[Session], T]) -> T:
        """Ask the database something, beside the loop."""
        return await asyncio.to_thread(self.runtime.store.read, question)

    async def write(self, job: Callable[[Session], T]) -> T:
        """Change the database; it is committed when this ends."""
        return await asyncio.wrap_future(self.runtime.store.writer.submit(job))


Run = Callable[[Doing, Given], Awaitable[Done]]
Foresee = Callable[[Doing, Given], Awaitable[str]]


@dataclass(frozen=True, slots=True)
class Action:
    """One thing that can be done.

    `run` does it and raises InvalidField, Gone, or another of Tesoura's errors when it cannot be; `foresee` says what
    it would do now and changes nothing. With `open`, further parameters than its fields are handed on, unchecked here:
    what they are depends on what it is done to.
    """

    name: str
    title: str
    about: str
    fields: Fields
    run: Run
    foresee: Foresee | None = None
    open: bool = False
    needs: tuple[str, ...] = ()
    """Parameters that must be given, because an empty one would mean something."""
    noted: bool = False
    """Whether its being done goes into the log as such, because it makes no event of its own."""
    may: frozenset[Role] = OPERATE
    """Who may do it."""
    takes_back: bool = True
    """Whether what it did stands in the line of what can be taken back."""

    def checked(self, given: Given) -> dict[str, Any]:
        """The parameters, each checked by its field. Raises InvalidPiece, which names every one that is wrong."""
        given = {name: value for name, value in given.items() if value is not None}
        filled = fill(self.fields, given)
        wrong = dict(filled.wrong)
        for name, value in given.items():
            if isinstance(value, dict | list) and name in self.fields and self.fields[name].kind != "data":
                wrong[name] = "Give a single value, not a list or a group of values."
        wrong |= {name: "Required." for name in self.needs if name not in given}
        if not self.open:
            known = ", ".join(self.fields) or "none"
            wrong |= {name: f"Unknown parameter. Known ones: {known}." for name in given if name not in self.fields}
        if wrong:
            raise InvalidPiece(wrong)
        more = {name: value for name, value in given.items() if name not in self.fields} if self.open else {}
        return {**more, **filled.choices}


async def perform(doing: Doing, action: Action, given: Given) -> Done:
    """Do it. Raises NotYours, InvalidPiece, Gone, or another of Tesoura's errors; then nothing was done."""
    doing.must_be(action.may, action.title)
    done = await action.run(doing, action.checked(given))
    if done.undo is not None and action.takes_back:
        done = replace(done, undo_number=doing.runtime.undo_line.add(_undoable(doing, done, action)))
        doing.runtime.touched("undo")
    if action.noted:
        # What is handed on unchecked, and what is covered, does not go into the log.
        shown = {
            name: str(value)[:200]
            for name, value in given.items()
            if name in action.fields and action.fields[name].kind not in ("data", "secret")
        }
        data = {"action": action.name, "given": shown, "words": done.words}
        event = Event(
            doing.id or uuid.uuid4().hex, "tesoura", DONE, doing.now(), data, action.name, doing.cause, doing.actor
        )
        await doing.runtime.journal.log([event])
    return done


def _undoable(doing: Doing, done: Done, action: Action) -> Undoable:
    """What was done, as it stands in the line; an action's first parameter is what it is done to."""
    assert done.undo is not None
    call = done.undo
    first = next(iter(action.fields), "")
    target = (first, str(call.given[first])) if first in call.given else None
    stepwise = set(call.given) <= {first, "command"} and "command" in call.given
    return Undoable(done.words, doing.now(), doing.actor, call.action, call.given, target, stepwise)


async def foresee(doing: Doing, action: Action, given: Given) -> str:
    """What it would do now, in words; what it is about, where that cannot be told before. Raises as `perform` does."""
    doing.must_be(action.may, action.title)
    checked = action.checked(given)
    return await action.foresee(doing, checked) if action.foresee else action.about


def one_of_these(what: str, name: str, known: list[str]) -> InvalidField:
    """What to say when nothing of this name is there."""
    return InvalidField(f"There is no {what} {name[:60]}. There are: {', '.join(known) or 'none yet'}.")
