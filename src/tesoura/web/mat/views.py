"""The mat: where a draft is made. Every edit is small, is kept at once, and can be taken back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from flask import Blueprint, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.core.overlays import edits
from tesoura.core.overlays.document import SIZES
from tesoura.core.overlays.pieces.registry import KINDS
from tesoura.errors import InvalidPiece, NewerDocument
from tesoura.store import drafts
from tesoura.store import overlays as stored
from tesoura.studio.previews import SHOWN_WITH
from tesoura.web.mat.draft import draft_of, laid, sights_of
from tesoura.web.mat.view_data import WITH_WORDS, boxes_of, marked, scenery, scenes_of, view
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime, store

blueprint = Blueprint("mat", __name__, url_prefix="/overlays")
NOT_SENT = "Not sent by the mat. Reload the page."


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
        **view(there, chosen, "", "live"),
        kinds=KINDS,
        sizes=SIZES,
        with_words=WITH_WORDS,
        scenery=scenery(),
        scenes=scenes_of(there.draft),
        present=runtime().call(lambda self: self.stage.scene),
    )


# What the mat asks for


def _sent() -> Mapping[str, Any]:
    """What the mat sent, or nothing."""
    sent = request.get_json(silent=True)
    return sent if isinstance(sent, dict) else {}


def _asked() -> tuple[list[str], str, str]:
    source: Mapping[str, Any] = _sent() or request.args
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
        "rev": there.row.draft_rev,
        "undo": there.steps.undo,
        "redo": there.steps.redo,
        "width": draft.width_px,
        "height": draft.height_px,
        "guides": draft.guides,
        "safe": draft.safe,
        "scenery": draft.scenery,
        "chosen": [piece.id for piece in given["chosen"]],
        "stage": render_template("mat/_stage.html", **given),
        "list": render_template("mat/_list.html", **given),
        "choices": render_template("mat/_choices.html", **given),
        "findings": render_template("mat/_findings.html", **given),
        "differs": render_template("mat/_differs.html", **given),
        "draft": bool(there.differences),
        "sights": {name: dict(sight.says) for name, sight in there.sights.items()},
        "own_wrong": given["own_wrong"],
        "boxes": boxes_of(there, scene),
        "marked": marked(there.findings, scene),
        **more,
    }


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


@blueprint.post("/<int:overlay_id>/edits")
def edit(overlay_id: int) -> ResponseReturnValue:
    """Make edits, as one. What is wrong is told and changes nothing; what is right is kept."""
    sent = _sent()
    if not sent:
        return {"wrong": {"": NOT_SENT}}, 400
    chosen, scene, shown_with = _asked()
    seen = sent.get("seen")
    given = {"edits": sent.get("edits"), "window": _window(sent), "seen": seen if isinstance(seen, int) else -1}
    try:
        done = act("draft.edit", overlay=overlay_id, **given)
    except edits.Gone as error:
        return _state(overlay_id, chosen, scene, shown_with, wrong={}, told=[str(error)]), 409
    except (edits.NotAnEdit, InvalidPiece) as error:
        wrong = error.wrong if isinstance(error, InvalidPiece) else {"": str(error)}
        if set(wrong) & {"edits", "seen", "window"}:
            return {"wrong": {"": NOT_SENT}}, 400
        return _state(overlay_id, chosen, scene, shown_with, wrong=dict(wrong), told=[]), 422
    result = done.result
    told = [
        f"Changed in another window: {words}. Your change is kept; Undo restores theirs."
        for words in result["meanwhile"]
    ]
    now_chosen = chosen if result["chosen"] is None else result["chosen"]
    answer = _state(overlay_id, now_chosen, scene, shown_with, wrong=result["wrong"], told=told)
    return answer, 422 if result["wrong"] else 200


def _window(sent: Mapping[str, Any]) -> str:
    return str(sent.get("window", ""))[:40]


@blueprint.post("/<int:overlay_id>/<any(undo, redo):way>")
def step(overlay_id: int, way: str) -> ResponseReturnValue:
    """Take the last edit back, or make the next one again."""
    said = act("draft.step", overlay=overlay_id, way=way, window=_window(_sent())).words
    return _state(overlay_id, *_asked(), wrong={}, told=[], said=said)


@blueprint.post("/<int:overlay_id>/copies")
def copies(overlay_id: int) -> ResponseReturnValue:
    """Pieces as they can be laid on a mat again."""
    chosen = _sent().get("pieces", [])
    return {
        "copies": edits.copied(draft_of(overlay_id), [str(one) for one in chosen] if isinstance(chosen, list) else [])
    }
