"""Trying a cue now: on the drafts of overlays alone, where nobody sees it; what would go out is told and not done."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from flask import Blueprint, render_template
from flask.typing import ResponseReturnValue
from markupsafe import Markup
from sqlmodel import Session

from tesoura.core.computed.occurrence import occurrence
from tesoura.core.cues.cue import CuePlan
from tesoura.core.cues.limits import Cause
from tesoura.core.cues.steps import KINDS as STEP_KINDS
from tesoura.core.effects import AS_BEFORE, HIDE, MOMENT, SAY, SCENE_BACK, SHOW, SOUND_ON, SWAP, Effect
from tesoura.core.overlays.document import Overlay, Piece
from tesoura.core.overlays.pieces.kind import THERE
from tesoura.core.values import Scalar
from tesoura.errors import NewerDocument
from tesoura.runtime.facade import Runtime
from tesoura.runtime.stage import source_of
from tesoura.store import log as event_log
from tesoura.store import overlays as stored_overlays
from tesoura.web.cues.views import filled_cue
from tesoura.web.mat.draft import draft_of, sights_of
from tesoura.web.shared.doors import now, runtime, store, studio
from tesoura.web.shared.typed import typed_form

blueprint = Blueprint("trial", __name__, url_prefix="/cues")
LOOKED_AT = 200
MADE_UP: Mapping[str, Scalar] = {
    "name": "teacup_ana",
    "amount": 5,
    "text": "good evening from the pier",
    "rest": "tea",
    "value": 4,
    "actor": "mara_vane",
    "target": "otto_knot",
}
"""What an event is taken to tell where none has come that would set the cue off."""


@dataclass(frozen=True, slots=True)
class Line:
    """One thing that it would do: when, what, and whether it is done on the draft or only told."""

    at_s: float
    words: str
    done: bool


@dataclass(frozen=True, slots=True)
class _Draft:
    overlay_id: int
    name: str
    overlay: Overlay


def _cause(made: CuePlan, at: datetime) -> tuple[Cause, bool]:
    """The latest event that would have set it off, or one that is made up; and whether it is that."""

    def look(session: Session) -> Cause | None:
        latest = event_log.backwards(session, list(made.trigger.types), event_log.last_seq(session))
        for _, one in zip(range(LOOKED_AT), latest, strict=False):
            if cause := made.trigger.of_event(occurrence(one.event, one.seq, one.accepted_at)):
                return cause
        return None

    found = store().read(look) if made.trigger.types else None
    return (found, False) if found else (Cause("try", at, "it is tried", "teacup_ana", 0, MADE_UP), True)


def _drafts(session: Session) -> list[_Draft]:
    found = []
    for row in stored_overlays.all_overlays(session):
        try:
            found.append(_Draft(row.id or 0, row.name, stored_overlays.draft_of(session, row)))
        except NewerDocument:
            continue
    return found


def _named(drafts: Sequence[_Draft], target: str) -> tuple[_Draft, Piece | None] | None:
    """The draft and the piece of a name, `overlay / piece`, or the draft alone of an overlay's name."""
    wanted = " ".join(target.split()).casefold()
    for one in drafts:
        if one.name.casefold() == wanted:
            return one, None
        for piece in one.overlay.pieces:
            if f"{one.name} / {piece.name}".casefold() == wanted:
                return one, piece
    return None


@blueprint.post("/trial")
def attempt() -> ResponseReturnValue:
    """Try a cue as it is typed: what it would do, in its order, and the draft on which it is seen."""
    _, made = filled_cue(typed_form())
    if made is None:
        return "", 200
    at = now()
    cause, made_up = _cause(made, at)
    values = runtime().call(lambda self: dict(self.engine.values))
    effects = made.program.effects(cause, values, at)
    drafts = store().read(_drafts)
    staged = next((found[0] for one in effects if (found := _named(drafts, one.target))), None)
    lines, acts = _played(effects, drafts, staged)
    return render_template(
        "cues/_trial.html",
        lines=lines,
        acts=acts,
        staged=staged,
        made_up=made_up,
        cause=cause,
        lasts_s=max((one["at_s"] for one in acts), default=0),
    )


def _played(
    effects: Sequence[Effect], drafts: Sequence[_Draft], staged: _Draft | None
) -> tuple[list[Line], list[dict[str, Any]]]:
    """The lines, and what is played on the staged draft: at which second which pieces say what, or which sound."""
    lines: list[Line] = []
    acts: list[dict[str, Any]] = []
    for one in effects:
        found = _named(drafts, one.target)
        here = staged is not None and found is not None and found[0] is staged
        played = _acts(one, found[1], drafts) if here and found else []
        acts += played
        if one.kind not in (AS_BEFORE, SCENE_BACK):
            lines.append(Line(one.delay_s, _words(one), bool(played)))
    return lines, sorted(acts, key=lambda act: float(act["at_s"]))


def _acts(one: Effect, piece: Piece | None, drafts: Sequence[_Draft]) -> list[dict[str, Any]]:
    at_s = one.delay_s
    if one.kind == SOUND_ON:
        return [{"at_s": at_s, "sound": source_of(str(one.data.get("sound", "")))}]
    if piece is None:
        return []
    if one.kind == MOMENT:
        over_s = at_s + float(one.data.get("for_s", 6.0))
        return [
            {"at_s": at_s, "values": {piece.id: one.data.get("words", "")}},
            {"at_s": over_s, "values": {piece.id: ""}},
        ]
    if one.kind in (SHOW, HIDE, SWAP):
        acts = [{"at_s": at_s, "shown": {piece.id: one.kind != HIDE}}]
        other = _named(drafts, str(one.data.get("instead", "")))
        if one.kind == SWAP and other and other[1]:
            acts[0]["shown"] = {piece.id: True, other[1].id: False}
        return acts
    if one.kind == AS_BEFORE:
        other = _named(drafts, str(one.data.get("instead", "")))
        return [{"at_s": at_s, "before": [piece.id, *([other[1].id] if other and other[1] else [])]}]
    return []


def _words(one: Effect) -> str:
    if one.kind == MOMENT:
        return f"show “{one.data.get('words', '')}” on {one.target}"
    if one.kind == SAY:
        return f"say “{one.data.get('line', '')}” in {one.target}"
    if one.kind == SWAP:
        return f"show {one.target} instead of {one.data.get('instead', '')}"
    title = STEP_KINDS[one.kind].title if one.kind in STEP_KINDS else one.kind
    return f"{title}: {one.target}"


@blueprint.get("/stage/<int:overlay_id>")
def stage(overlay_id: int) -> ResponseReturnValue:
    """An overlay's draft by itself, as it is before anything of a cue is seen on it."""
    draft = draft_of(overlay_id)
    sights = sights_of(draft)
    present = runtime().call(_scene)
    says = {piece.id: dict(sights[piece.id].says["live"]) for piece in draft.pieces}
    shown = {one: said.get("", "") or THERE for one, said in says.items()}
    for piece in draft.pieces:
        if piece.is_moment or piece.waits or piece["hidden"] == "yes":
            says[piece.id][""] = ""
    return render_template(
        "cues/stage.html",
        draft=draft,
        says_by=says,
        shown=shown,
        scene=present,
        faces=Markup(studio().face_rules()),  # noqa: S704 - names and numbers that were checked
    )


def _scene(self: Runtime) -> str:
    return self.stage.scene
