"""The mat: where a draft is made. Every edit is small, is kept at once, and can be taken back."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping, Sequence
from typing import Any, TypeGuard

from flask import Blueprint, abort, render_template, request
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.core.overlays import edits
from tesoura.core.overlays.document import SIZES, Overlay, Piece
from tesoura.core.overlays.pieces.registry import KINDS
from tesoura.errors import InvalidPiece, NewerDocument
from tesoura.store import drafts
from tesoura.store import overlays as stored
from tesoura.studio.previews import SHOWN_WITH
from tesoura.web.mat.draft import draft_of, laid, sights_of
from tesoura.web.mat.view_data import WITH_WORDS, boxes_of, marked, scenery, scenes_of, view
from tesoura.web.shared.doors import now, runtime, store, studio

blueprint = Blueprint("mat", __name__, url_prefix="/overlays")
MAX_AT_ONCE = 50


def new_id() -> str:
    """An id for a new piece."""
    return uuid.uuid4().hex[:10]


# The page


@blueprint.get("/<int:overlay_id>")
def show(overlay_id: int) -> ResponseReturnValue:
    """The mat."""
    try:
        there = laid(overlay_id)
    except NewerDocument as error:
        return render_template("mat/newer.html", why=str(error)), 409
    wanted = request.args.get("piece", "").split(",")
    chosen = [piece.id for piece in there.draft.pieces if piece.id in wanted]
    if not chosen and there.draft.pieces and "piece" not in request.args:
        chosen = [there.draft.pieces[-1].id]
    return render_template(
        "mat/show.html",
        **view(there, chosen, "", "live"), kinds=KINDS, sizes=SIZES, with_words=WITH_WORDS, scenery=scenery(),
        scenes=scenes_of(there.draft), present=runtime().call(lambda self: self.stage.scene),
    )  # fmt: skip


# What the mat asks for


def _asked() -> tuple[list[str], str, str]:
    source: Mapping[str, Any] = request.get_json(silent=True) or request.args
    raw = source.get("chosen", [])
    chosen = raw if isinstance(raw, list) else str(raw).split(",")
    shown_with = str(source.get("with", "live"))
    scene = " ".join(str(source.get("scene", "")).split())[:60]
    return [str(one) for one in chosen], scene, shown_with if shown_with in SHOWN_WITH else "live"


def _state(overlay_id: int, chosen: Sequence[str], scene: str, shown_with: str, **more: Any) -> dict[str, Any]:
    there = laid(overlay_id)
    given = view(there, chosen, scene, shown_with)
    draft = there.draft
    return {
        "rev": there.row.draft_rev, "undo": there.steps.undo, "redo": there.steps.redo,
        "width": draft.width_px, "height": draft.height_px, "guides": draft.guides, "safe": draft.safe,
        "scenery": draft.scenery, "chosen": [piece.id for piece in given["chosen"]],
        "stage": render_template("mat/_stage.html", **given),
        "list": render_template("mat/_list.html", **given),
        "choices": render_template("mat/_choices.html", **given),
        "findings": render_template("mat/_findings.html", **given),
        "differs": render_template("mat/_differs.html", **given),
        "draft": bool(there.differences),
        "sights": {name: dict(sight.says) for name, sight in there.sights.items()},
        "own_wrong": given["own_wrong"], "boxes": boxes_of(there, scene), "marked": marked(there.findings, scene),
        **more,
    }  # fmt: skip


@blueprint.get("/<int:overlay_id>/state")
def state(overlay_id: int) -> ResponseReturnValue:
    """The draft as it is now, and what other windows did since this one last saw it."""
    seen = request.args.get("seen", type=int)
    row = store().read(lambda session: stored.get(session, overlay_id))
    others = drafts.meanwhile(row, seen, request.args.get("window", "")) if row and seen is not None else ()
    return _state(overlay_id, *_asked(), others=list(dict.fromkeys(words for words, _ in others)))


@blueprint.get("/<int:overlay_id>/sights")
def sights(overlay_id: int) -> ResponseReturnValue:
    """What the draft's pieces say now."""
    draft = draft_of(overlay_id)
    return {name: dict(sight.says) for name, sight in sights_of(draft).items()}


# Edits


def change(
    overlay_id: int, make: Callable[[Overlay], edits.Edited], window: str, seen: int | None = None
) -> tuple[edits.Edited, list[str]]:
    """Edit a draft: what was done, and what other windows had done to the same meanwhile."""
    at = now()

    def job(session: Session) -> tuple[edits.Edited, list[str]]:
        row = stored.get(session, overlay_id)
        if row is None:
            raise LookupError
        done = make(stored.draft_of(session, row))
        told = edits.conflicts(done.touched, drafts.meanwhile(row, seen, window)) if seen is not None else []
        if done.words:
            drafts.keep(session, row, done.overlay, done.words, window, done.touched, at)
        return done, told

    done, told = store().write(job)
    runtime().call(lambda self: self.touched(f"draft:{overlay_id}", "overlays"))
    return done, told


def boxes_for(overlay_id: int) -> Callable[[Overlay], Callable[[Piece], Any]]:
    """How large the pieces of a draft are, with what they say now.

    Each is measured once here, so that no typeface has to be read while the writer is held up.
    """
    present = draft_of(overlay_id)
    says = {name: sight.says["live"].get("", "") for name, sight in sights_of(present).items()}
    workshop = studio()
    for piece in present.pieces:
        workshop.box(piece, present, says.get(piece.id, ""))
    return lambda draft: lambda piece: workshop.box(piece, draft, says.get(piece.id, ""))


def _are_edits(given: object) -> TypeGuard[list[dict[str, Any]]]:
    return isinstance(given, list) and 0 < len(given) <= MAX_AT_ONCE and all(isinstance(one, dict) for one in given)


@blueprint.post("/<int:overlay_id>/edits")
def edit(overlay_id: int) -> ResponseReturnValue:
    """Make edits, as one. What is wrong is told and changes nothing; what is right is kept."""
    sent = request.get_json(silent=True)
    if not isinstance(sent, dict) or not _are_edits(given := sent.get("edits")):
        return {"wrong": {"": "This was not sent by the mat. Load the page again."}}, 400
    chosen, scene, shown_with = _asked()
    window, seen = str(sent.get("window", ""))[:40], sent.get("seen")
    boxes = boxes_for(overlay_id)

    def make(draft: Overlay) -> edits.Edited:
        return edits.apply_all(draft, given, boxes(draft), new_id)

    try:
        done, told = change(overlay_id, make, window, seen if isinstance(seen, int) else None)
    except LookupError as error:
        if not isinstance(error, edits.Gone):
            abort(404)
        return _state(overlay_id, chosen, scene, shown_with, wrong={}, told=[str(error)]), 409
    except (edits.NotAnEdit, InvalidPiece) as error:
        wrong = error.wrong if isinstance(error, InvalidPiece) else {"": str(error)}
        return _state(overlay_id, chosen, scene, shown_with, wrong=dict(wrong), told=[]), 422
    now_chosen = chosen if done.chosen is None else list(done.chosen)
    told = [f"Another window did this meanwhile: {words}. Yours is kept; Undo brings theirs back." for words in told]
    answer = _state(overlay_id, now_chosen, scene, shown_with, wrong=dict(done.wrong), told=told)
    return answer, 422 if done.wrong else 200


@blueprint.post("/<int:overlay_id>/<any(undo, redo):way>")
def step(overlay_id: int, way: str) -> ResponseReturnValue:
    """Take the last edit back, or make the next one again."""
    sent = request.get_json(silent=True) or {}
    window = str(sent.get("window", ""))[:40]

    def job(session: Session) -> str | None:
        row = stored.get(session, overlay_id)
        if row is None:
            raise LookupError
        return drafts.step(session, row, -1 if way == "undo" else 1, window)

    try:
        words = store().write(job)
    except LookupError:
        abort(404)
    runtime().call(lambda self: self.touched(f"draft:{overlay_id}", "overlays"))
    chosen, scene, shown_with = _asked()
    if words is None:
        said = "There is nothing to take back." if way == "undo" else "There is nothing to make again."
    else:
        said = f"{'Taken back' if way == 'undo' else 'Made again'}: {words}"
    return _state(overlay_id, chosen, scene, shown_with, wrong={}, told=[], said=said)


@blueprint.post("/<int:overlay_id>/copies")
def copies(overlay_id: int) -> ResponseReturnValue:
    """Pieces as they can be laid on a mat again."""
    sent = request.get_json(silent=True) or {}
    chosen = sent.get("pieces", [])
    return {
        "copies": edits.copied(draft_of(overlay_id), [str(one) for one in chosen] if isinstance(chosen, list) else [])
    }
