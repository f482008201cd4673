"""Drafts of overlays: edited in small steps, taken back, made as a version that was on air."""

from __future__ import annotations

import asyncio
import uuid
from collections.abc import Callable, Mapping
from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.roles import SET_UP
from tesoura.core.forms.checks import choice, text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.overlays import edits
from tesoura.core.overlays.document import Overlay, Piece
from tesoura.errors import Gone, InvalidField
from tesoura.store import drafts
from tesoura.store import overlays as stored
from tesoura.store.tables import OverlayRow
from tesoura.studio.previews import Previews

MAX_AT_ONCE = 50
OVERLAY = {"overlay": Field("Overlay", whole(1, 10**9), kind="number")}


def new_id() -> str:
    """An id for a new piece."""
    return uuid.uuid4().hex[:10]


def row_of(session: Session, overlay_id: int) -> OverlayRow:
    """An overlay that was not put away. Raises Gone."""
    row = stored.get(session, overlay_id)
    if row is None:
        raise Gone("There is no such overlay. It may have been deleted.")
    return row


async def edit_draft(
    doing: Doing, overlay_id: int, make: Callable[[Overlay], edits.Edited], window: str, seen: int | None = None
) -> Done:
    """Edit a draft. `result` has the pieces that are chosen then, what is wrong by field, and what other windows had
    done to the same meanwhile. Raises Gone, NotAnEdit, InvalidPiece."""
    at = doing.now()

    def job(session: Session) -> tuple[edits.Edited, list[str]]:
        row = row_of(session, overlay_id)
        done = make(stored.draft_of(session, row))
        told = edits.conflicts(done.touched, drafts.meanwhile(row, seen, window)) if seen is not None else []
        if done.words:
            drafts.keep(session, row, done.overlay, done.words, window, done.touched, at)
        return done, told

    done, told = await doing.write(job)
    doing.runtime.touched(f"draft:{overlay_id}", "overlays")
    chosen = None if done.chosen is None else list(done.chosen)
    undo = Call("draft.step", {"overlay": overlay_id, "way": "undo"}) if done.words else None
    return Done(done.words, {"chosen": chosen, "wrong": dict(done.wrong), "meanwhile": told}, undo)


async def boxes_for(doing: Doing, overlay_id: int) -> Callable[[Overlay], Callable[[Piece], Any]]:
    """How large the pieces of a draft are, with what they say now.

    Each is measured once here, so that no typeface has to be read while the writer is held up.
    """
    runtime = doing.runtime
    present = await doing.read(lambda session: stored.draft_of(session, row_of(session, overlay_id)))
    recent = await runtime.stage.recent(present)
    sights = Previews(runtime.engine, runtime.stage.drawings).of(present, recent)
    says = {name: sight.says["live"].get("", "") for name, sight in sights.items()}
    workshop = runtime.studio

    def measure() -> None:
        for piece in present.pieces:
            workshop.box(piece, present, says.get(piece.id, ""))

    await asyncio.to_thread(measure)
    return lambda draft: lambda piece: workshop.box(piece, draft, says.get(piece.id, ""))


def _edits(raw: object) -> list[dict[str, Any]]:
    if not (isinstance(raw, list) and 0 < len(raw) <= MAX_AT_ONCE and all(isinstance(one, dict) for one in raw)):
        raise InvalidField(f"Give a list of one to {MAX_AT_ONCE} edits, each an object.")
    return raw


async def _edit(doing: Doing, given: Given) -> Done:
    boxes = await boxes_for(doing, given["overlay"])
    made: list[Mapping[str, Any]] = given["edits"]
    seen = given["seen"] if given["seen"] >= 0 else None
    return await edit_draft(
        doing, given["overlay"], lambda draft: edits.apply_all(draft, made, boxes(draft), new_id), given["window"], seen
    )


async def _step(doing: Doing, given: Given) -> Done:
    def job(session: Session) -> str | None:
        row = row_of(session, given["overlay"])
        return drafts.step(session, row, -1 if given["way"] == "undo" else 1, given["window"])

    words = await doing.write(job)
    doing.runtime.touched(f"draft:{given['overlay']}", "overlays")
    back = given["way"] == "undo"
    if words is None:
        return Done("Nothing to undo." if back else "Nothing to redo.")
    other = Call("draft.step", {"overlay": given["overlay"], "way": "redo" if back else "undo"})
    return Done(f"{'Undone' if back else 'Redone'}: {words}", {}, other)


async def _from_version(doing: Doing, given: Given) -> Done:
    overlay, version = given["overlay"], given["version"]

    def ask(session: Session) -> Overlay:
        found = stored.version(session, row_of(session, overlay), version)
        if found is None:
            raise Gone(f"There is no version {version} of it.")
        return found

    earlier = await doing.read(ask)
    words = f"Version {version} as the draft"
    done = await edit_draft(doing, overlay, lambda _: edits.Edited(earlier, words), "versions")
    return Done(f"The draft is as version {version} was. You can undo this on the mat.", {}, done.undo)


_WINDOW = Field("Window", text(40, empty=True))
EDIT = Action(
    "draft.edit",
    "Edit a draft",
    "Several small edits as one step. You can undo it; nothing goes on air.",
    {
        **OVERLAY,
        "edits": Field("Edits", _edits, kind="data"),
        "window": _WINDOW,
        "seen": Field("Draft number", whole(-1, 10**9), kind="number", default=-1),
    },
    _edit,
    may=SET_UP,
)
STEP = Action(
    "draft.step",
    "Undo an edit",
    "Or redo it, with `way` redo.",
    {**OVERLAY, "way": Field("Way", choice(("undo", "redo")), default="undo"), "window": _WINDOW},
    _step,
    may=SET_UP,
)
FROM_VERSION = Action(
    "draft.from_version",
    "Use a version as the draft",
    "An earlier published version; what's on air stays.",
    {**OVERLAY, "version": Field("Version", whole(1, 10**9), kind="number")},
    _from_version,
    may=SET_UP,
)

ALL = (EDIT, STEP, FROM_VERSION)
