"""The mat: where a draft is made. Every edit is small, is kept at once, and can be taken back."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any, TypeGuard

from flask import Blueprint, abort, render_template, request
from flask.typing import ResponseReturnValue
from markupsafe import Markup
from sqlmodel import Session

from tesoura.adding.sheets import checked
from tesoura.core import edits
from tesoura.core.differences import Difference, differences
from tesoura.core.fields import InvalidPiece
from tesoura.core.fit.findings import Finding
from tesoura.core.functions import FUNCTIONS
from tesoura.core.names import closest
from tesoura.core.numbers import NAMED
from tesoura.core.overlays import SIZES, NewerDocument, Overlay, Piece
from tesoura.core.pieces import KINDS
from tesoura.core.typefaces import WEIGHT_WORDS
from tesoura.core.values import Signal
from tesoura.runtime import Runtime
from tesoura.sights import SHOWN_WITH, Sight, Sights
from tesoura.store import drafts
from tesoura.store import feeds as stored_feeds
from tesoura.store import overlays as stored
from tesoura.store.overlays import OnAir
from tesoura.store.tables import OverlayRow
from tesoura.studio import shipped_scenes
from tesoura.web import media
from tesoura.web.doors import now, runtime, store, studio
from tesoura.web.forms import panel, weights_of

blueprint = Blueprint("mat", __name__, url_prefix="/overlays")
MAX_AT_ONCE = 50


@dataclass(frozen=True, slots=True)
class Laid:
    """A draft as the mat shows it."""

    row: OverlayRow
    draft: Overlay
    on_air: OnAir
    steps: drafts.Steps
    sights: Mapping[str, Sight]
    findings: Sequence[Finding]
    differences: Sequence[Difference]


def new_id() -> str:
    """An id for a new piece."""
    return uuid.uuid4().hex[:10]


def laid(overlay_id: int) -> Laid:
    """An overlay's draft, what its pieces say, and what does not fit."""

    def ask(session: Session) -> tuple[OverlayRow, Overlay, OnAir, drafts.Steps]:
        row = stored.get(session, overlay_id)
        if row is None:
            raise LookupError
        return row, stored.draft_of(session, row), stored.on_air(session, row), drafts.steps(session, row)

    try:
        row, draft, on_air, steps = store().read(ask)
    except LookupError:
        abort(404)
    sights = sights_of(draft)
    return Laid(row, draft, on_air, steps, sights, findings_of(draft, sights),
                differences(draft, on_air.overlay if on_air.rev else None))  # fmt: skip


def sights_of(draft: Overlay) -> dict[str, Sight]:
    """What a draft's pieces would say."""

    async def look(self: Runtime) -> dict[str, Sight]:
        recent = await self.airing.recent(draft)
        return Sights(self.engine, self.airing.drawn).of(draft, recent)

    return runtime().call(look)


def findings_of(draft: Overlay, sights: Mapping[str, Sight]) -> list[Finding]:
    """What of a draft does not fit."""
    names = {one.name for one in runtime().call(Runtime.signals)}
    halves = store().read(stored_feeds.names_ever_used)
    # A name of which nothing was ever heard may be an event that has not happened yet.
    unheard = {name for sight in sights.values() for name in sight.reads if name.partition(".")[0] not in halves}
    scenes = [*runtime().choices.scenes, *draft.scenes()]
    return studio().findings(draft, sights, dict.fromkeys(scenes), names | unheard)


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
        **_view(there, chosen, "", "live"), kinds=KINDS, sizes=SIZES, with_words=WITH_WORDS, scenery=scenery(),
        scenes=_scenes(there.draft), present=runtime().call(lambda self: self.airing.scene),
    )  # fmt: skip


WITH_WORDS = (
    ("live", "live values"), ("made_up", "made-up values"), ("longest", "the longest plausible"),
    ("empty", "nothing yet"), ("down", "feed down"),
)  # fmt: skip


def scenery() -> list[tuple[str, str, str]]:
    """The scene pictures to lay overlays over: name, title, address."""
    shipped = [(name, str(one["title"]), f"/static/scenes/{name}.svg") for name, one in shipped_scenes().items()]
    return [*shipped, *((row.name, row.title, f"/media/{row.name}") for row in media.all_of("scenery"))]


def _scenes(draft: Overlay) -> list[str]:
    return list(dict.fromkeys([*runtime().choices.scenes, *draft.scenes()]))


def _view(there: Laid, chosen: Sequence[str], scene: str, shown_with: str) -> dict[str, Any]:
    pieces = [piece.in_scene(scene) for piece in there.draft.pieces]
    picked = [piece for piece in pieces if piece.id in chosen]
    return {
        "row": there.row, "draft": there.draft, "pieces": pieces, "chosen": picked, "scene": scene,
        "sights": there.sights, "shown_with": shown_with, "steps": there.steps, "on_air": there.on_air,
        "findings": there.findings, "differences": there.differences,
        "panel": panel(picked[0], there.draft, scene) if len(picked) == 1 else None,
        "notes": notes(picked[0], there.sights[picked[0].id]) if len(picked) == 1 else [],
        "audience": runtime().call(lambda self: self.hub.audience(there.on_air.overlay_id)),
        "own_wrong": checked(there.draft.css).wrong,
        **_offered(),
    }  # fmt: skip


def _offered() -> dict[str, Any]:
    """What the panel offers, each looked up when it is shown."""
    return {
        "functions": FUNCTIONS, "formats": NAMED, "weight_words": WEIGHT_WORDS, "weights_of": weights_of,
        "signals": cache(lambda: runtime().call(Runtime.signals)), "faces_there": cache(studio().typefaces),
        "face_rules": lambda: Markup(studio().face_rules()),  # noqa: S704 - names and numbers that were checked
        "files_of": media.all_of, "rankings": _rankings,
    }  # fmt: skip


def _rankings(signals: Sequence[Signal]) -> list[str]:
    """The windows that rank, by name."""
    ending = ".top_1_name"
    return [one.name.removesuffix(ending) for one in signals if one.name.endswith(ending)]


def notes(piece: Piece, sight: Sight) -> list[str]:
    """What the user should know about what a piece says."""
    names = [one.name for one in runtime().call(Runtime.signals)]
    found = []
    unknown = [name for name in sorted(sight.reads) if name not in names]
    for name in unknown:
        near = closest(name, names)
        hint = f"Did you mean {near}?" if near else "“Signals, functions, formats” lists those there are."
        where = f"Column {sight.reads[name]}: there" if piece.kind == "text" else "There"
        found.append(f"{where} is no signal {name}. {hint}")
    shown = sight.shown
    if shown.missing and shown.missing not in unknown:
        found.append(f"{shown.missing} has not come yet, so the “nothing yet” text is shown.")
    if shown.problem:
        instead = "The “nothing yet” text is shown instead." if shown.text else "The piece is hidden."
        found.append(f"{shown.problem} {instead}")
    if piece.is_moment:
        kind = piece["moment_type"]
        when = f"when “{kind}” happens" if kind else "once you say what must happen"
        found.append(f"Viewers see it for {piece['moment_s']} s {when}, and nothing of it otherwise.")
    return found


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
    view = _view(there, chosen, scene, shown_with)
    draft = there.draft
    return {
        "rev": there.row.draft_rev, "undo": there.steps.undo, "redo": there.steps.redo,
        "width": draft.width_px, "height": draft.height_px, "guides": draft.guides, "safe": draft.safe,
        "scenery": draft.scenery, "chosen": [piece.id for piece in view["chosen"]],
        "stage": render_template("mat/_stage.html", **view),
        "list": render_template("mat/_list.html", **view),
        "choices": render_template("mat/_choices.html", **view),
        "findings": render_template("mat/_findings.html", **view),
        "differs": render_template("mat/_differs.html", **view),
        "draft": bool(there.differences),
        "sights": {name: dict(sight.says) for name, sight in there.sights.items()},
        "own_wrong": view["own_wrong"], "boxes": _boxes(there, scene), "marked": _marked(there.findings, scene),
        **more,
    }  # fmt: skip


def _boxes(there: Laid, scene: str) -> dict[str, Any]:
    """Where each piece lies now and with its reserve of digits used up, px."""
    found = {}
    for whole in there.draft.pieces:
        piece, says = whole.in_scene(scene), there.sights[whole.id].says
        now_, grown = (studio().box(piece, there.draft, says[state].get("", "")) for state in ("live", "grown"))
        found[piece.id] = {
            "x": now_.x, "y": now_.y, "width": now_.width, "height": now_.height, "pinned": piece["pinned"] == "yes",
            "held": [piece["x"], piece["y"]], "sized": piece.kind_of.sized, "group": piece["group"], "name": piece.name,
            "size": [piece["width_px"], piece["height_px"], piece.choices.get("size_px", 0)],
            "reserve": [max(now_.x - grown.x, 0), max(grown.right - now_.right, 0)],
        }  # fmt: skip
    return found


def _marked(findings: Sequence[Finding], scene: str) -> list[dict[str, Any]]:
    return [
        {"piece": one.piece, "box": [one.box.x, one.box.y, one.box.width, one.box.height]}
        for one in findings if scene in one.scenes or one.scenes == ("",)
    ]  # fmt: skip


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
    draft = _draft(overlay_id)
    return {name: dict(sight.says) for name, sight in sights_of(draft).items()}


def _draft(overlay_id: int) -> Overlay:
    def ask(session: Session) -> Overlay | None:
        row = stored.get(session, overlay_id)
        return stored.draft_of(session, row) if row else None

    draft = store().read(ask)
    if draft is None:
        abort(404)
    return draft


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
    """How large the pieces of a draft are, with what they say now."""
    says = {name: sight.says["live"].get("", "") for name, sight in sights_of(_draft(overlay_id)).items()}
    workshop = studio()
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
        "copies": edits.copied(_draft(overlay_id), [str(one) for one in chosen] if isinstance(chosen, list) else [])
    }
