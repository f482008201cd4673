"""Overlays: the mat where a draft is made, and putting it on air."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping
from typing import Any

from flask import Blueprint, abort, flash, jsonify, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.airing import Sight
from tesoura.core.checks import InvalidField, line
from tesoura.core.functions import FUNCTIONS
from tesoura.core.names import closest
from tesoura.core.numbers import NAMED
from tesoura.core.overlays import (
    ALIGNMENTS,
    SIDES,
    TYPEFACES,
    WEIGHT_WORDS,
    InvalidPiece,
    Overlay,
    TextPiece,
    differences,
    from_document,
)
from tesoura.core.values import INSTANT, Signal, Wanted
from tesoura.runtime import Runtime
from tesoura.store import overlays as stored
from tesoura.store.overlays import OnAir
from tesoura.store.tables import OverlayRow
from tesoura.web.desk import cards
from tesoura.web.doors import now, runtime, store

blueprint = Blueprint("overlays", __name__, url_prefix="/overlays")
FIRST_PLACE = (96, 896)


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All overlays."""
    return render_template("overlays/index.html", cards=cards())


@blueprint.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """Make an overlay, with a text for a signal when one is named."""
    wanted = request.values.get("signal", "")
    signal = runtime().call(Runtime.signal, wanted) if wanted else None
    if request.method == "GET":
        return render_template("overlays/new.html", signal=signal, name=_suggested_name(signal), wrong=None)
    try:
        name = line(60)(request.form.get("name", ""))
    except InvalidField as error:
        return render_template("overlays/new.html", signal=signal, name="", wrong=str(error)), 422
    draft = Overlay(pieces=(_first_piece(signal),))
    at = now()
    row = store().write(lambda session: stored.new_overlay(session, name, draft, at))
    runtime().call(_put, store().read(lambda session: stored.on_air(session, row)))
    return redirect(url_for("overlays.edit", overlay_id=row.id))


def _suggested_name(signal: Signal | None) -> str:
    words = signal.unit or signal.name.partition(".")[2].replace("_", " ") if signal else ""
    return f"{words[:1].upper()}{words[1:]}" or "My overlay"


def _first_piece(signal: Signal | None) -> TextPiece:
    x, y = FIRST_PLACE
    piece = TextPiece(id=_new_id(), x=x, y=y)
    if signal is None:
        return piece
    number = isinstance(signal.value, int | float)
    form, unit = (":time", "") if signal.unit == INSTANT else (":," if number else "", signal.unit)
    wording = f"{{{signal.name}{form}}} {unit}".strip()
    nothing_yet = f"— {unit}".strip()
    return piece.changed({"wording": wording, "nothing_yet": nothing_yet, "name": _suggested_name(signal)})


def _new_id() -> str:
    return uuid.uuid4().hex[:10]


def _put(self: Runtime, on_air: OnAir) -> None:
    self.airing.put(on_air)
    self.touched("overlays")


def _row(overlay_id: int) -> OverlayRow:
    row = store().read(lambda session: stored.get(session, overlay_id))
    if row is None:
        abort(404)
    return row


def _change(overlay_id: int, change: Callable[[Overlay], Overlay]) -> tuple[OverlayRow, Overlay]:
    def job(session: Session) -> tuple[OverlayRow, Overlay]:
        row = stored.get(session, overlay_id)
        if row is None:
            raise LookupError
        draft = change(from_document(row.draft))
        stored.save_draft(session, row, draft)
        return row, draft

    try:
        return store().write(job)
    except LookupError:
        abort(404)


def _sights(draft: Overlay) -> dict[str, Sight]:
    return runtime().call(lambda self: self.airing.sights(draft.pieces))


def sight_json(piece: TextPiece, sight: Sight, names: list[str]) -> dict[str, Any]:
    """What a piece says now, and what the user should know about its wording."""
    read = piece.compiled().wording.names
    unknown = [name for name in read if name not in names]
    notes = []
    for name in unknown:
        near = closest(name, names)
        column = read[name]
        hint = f"Did you mean {near}?" if near else "“Signals, functions, formats” lists those there are."
        notes.append(f"Column {column}: there is no signal {name}. {hint}")
    shown = sight.shown
    if shown.missing and shown.missing not in unknown:
        notes.append(f"{shown.missing} has not come yet, so the “nothing yet” text is shown.")
    if shown.problem:
        instead = "The “nothing yet” text is shown instead." if shown.text else "The piece is hidden."
        notes.append(f"{shown.problem} {instead}")
    if piece.appears == "moment":
        when = f"when “{piece.moment_type}” happens" if piece.moment_type else "once you say what must happen"
        notes.append(f"Viewers see it for {piece.moment_s} s {when}, and nothing of it otherwise.")
    return {"text": shown.text, "grown": sight.grown, "longest": sight.longest, "empty": sight.empty, "notes": notes}


def _all_sights(draft: Overlay) -> dict[str, dict[str, Any]]:
    names = [one.name for one in runtime().call(Runtime.signals)]
    sights = _sights(draft)
    return {piece.id: sight_json(piece, sights[piece.id], names) for piece in draft.pieces}


@blueprint.get("/<int:overlay_id>")
def edit(overlay_id: int) -> ResponseReturnValue:
    """The mat."""
    row = _row(overlay_id)
    draft = from_document(row.draft)
    on_air = store().read(lambda session: stored.on_air(session, row))
    chosen = draft.piece(request.args.get("piece", "")) or (draft.pieces[-1] if draft.pieces else None)
    return render_template(
        "overlays/edit.html",
        row=row, draft=draft, chosen=chosen, on_air=on_air, sights=_all_sights(draft),
        differences=differences(draft, on_air.overlay if on_air.rev else None),
        signals=runtime().call(Runtime.signals), functions=FUNCTIONS, formats=NAMED,
        typefaces=TYPEFACES, weight_words=WEIGHT_WORDS, sides=SIDES, alignments=ALIGNMENTS, wanted=Wanted,
        audience=runtime().call(lambda self: self.hub.audience(overlay_id)),
    )  # fmt: skip


@blueprint.get("/<int:overlay_id>/who")
def who(overlay_id: int) -> ResponseReturnValue:
    """How many pages show the overlay."""
    audience = runtime().call(lambda self: self.hub.audience(overlay_id))
    return render_template("overlays/_who.html", audience=audience)


@blueprint.get("/<int:overlay_id>/sights")
def sights(overlay_id: int) -> ResponseReturnValue:
    """What the draft's pieces say now."""
    return jsonify(_all_sights(from_document(_row(overlay_id).draft)))


@blueprint.post("/<int:overlay_id>/pieces")
def add_piece(overlay_id: int) -> ResponseReturnValue:
    """Add a text."""
    piece_id = _new_id()

    def add(draft: Overlay) -> Overlay:
        number = len(draft.pieces) + 1
        name = "Text" if number == 1 else f"Text {number}"
        return draft.with_piece(TextPiece(id=piece_id, name=name, y=96 + 130 * (len(draft.pieces) % 6)))

    try:
        _change(overlay_id, add)
    except InvalidPiece as error:
        flash("; ".join(error.wrong.values()), "wrong")
    return redirect(url_for("overlays.edit", overlay_id=overlay_id, piece=piece_id))


@blueprint.post("/<int:overlay_id>/pieces/<piece_id>")
def change_piece(overlay_id: int, piece_id: str) -> ResponseReturnValue:
    """Change a piece's choices. Those that are wrong are told and change nothing; the right ones are kept."""
    choices = request.get_json(silent=True)
    if not isinstance(choices, dict):
        return {"wrong": {"": "This was not sent by the mat. Load the page again."}}, 400
    wrong: Mapping[str, str] = {}

    def change(draft: Overlay) -> Overlay:
        nonlocal wrong
        piece = draft.piece(piece_id)
        if piece is None:
            raise LookupError
        try:
            return draft.with_piece(piece.changed(choices))
        except InvalidPiece as error:
            wrong = error.wrong
            good = {name: value for name, value in choices.items() if name not in error.wrong}
            return draft.with_piece(piece.changed(good))

    row, draft = _change(overlay_id, change)
    piece = draft.piece(piece_id)
    assert piece is not None
    on_air = store().read(lambda session: stored.on_air(session, row))
    differs = differences(draft, on_air.overlay if on_air.rev else None)
    sight = _all_sights(draft)[piece_id]
    answer = {
        **sight,
        "wrong": wrong,
        "weight": piece.weight,
        "html": render_template("pages/_piece.html", piece=piece, text=sight["text"]).strip(),
        "differences": differs,
        "differs": render_template("overlays/_differs.html", on_air=on_air, differences=differs),
    }
    return answer, 422 if wrong else 200


@blueprint.post("/<int:overlay_id>/pieces/<piece_id>/remove")
def remove_piece(overlay_id: int, piece_id: str) -> ResponseReturnValue:
    """Take a piece away from the draft."""
    _change(overlay_id, lambda draft: draft.without(piece_id))
    back = url_for("overlays.bring_back", overlay_id=overlay_id, piece_id=piece_id)
    flash("The text was taken away from the draft.", f"undo:{back}")
    return redirect(url_for("overlays.edit", overlay_id=overlay_id))


@blueprint.post("/<int:overlay_id>/pieces/<piece_id>/bring-back")
def bring_back(overlay_id: int, piece_id: str) -> ResponseReturnValue:
    """Bring a piece back that was taken away."""
    _change(overlay_id, lambda draft: draft.brought_back(piece_id))
    return redirect(url_for("overlays.edit", overlay_id=overlay_id, piece=piece_id))


@blueprint.post("/<int:overlay_id>/publish")
def publish(overlay_id: int) -> ResponseReturnValue:
    """Put the draft on air."""
    at = now()

    def job(session: Session) -> OnAir:
        row = stored.get(session, overlay_id)
        if row is None:
            raise LookupError
        return stored.publish(session, row, at)

    try:
        on_air = store().write(job)
    except LookupError:
        abort(404)
    runtime().call(_put, on_air)
    if runtime().call(lambda self: self.hub.audience(overlay_id)).pages:
        flash("It is on air. The pages that show this overlay have it already.", "air")
    else:
        size = f"{on_air.overlay.width_px} × {on_air.overlay.height_px} px"
        flash(
            f"It is on air, but no page shows it yet. Add its link to your streaming software as a web page of {size}.",
            "copy:" + url_for("pages.overlay", token=on_air.token),
        )
    return redirect(url_for("overlays.edit", overlay_id=overlay_id, piece=request.form.get("piece")))


@blueprint.post("/<int:overlay_id>/rename")
def rename(overlay_id: int) -> ResponseReturnValue:
    """Give an overlay another name."""
    row = _row(overlay_id)
    try:
        name = line(60)(request.form.get("name", ""))
    except InvalidField as error:
        flash(str(error), "wrong")
        return redirect(url_for("overlays.edit", overlay_id=overlay_id))

    def job(session: Session) -> OnAir:
        present = session.get(OverlayRow, row.id)
        assert present is not None
        present.name = name
        session.add(present)
        return stored.on_air(session, present)

    runtime().call(_put, store().write(job))
    return redirect(url_for("overlays.edit", overlay_id=overlay_id))


@blueprint.post("/<int:overlay_id>/remove")
def remove(overlay_id: int) -> ResponseReturnValue:
    """Put an overlay away; its link stops."""
    row, at = _row(overlay_id), now()

    def job(session: Session) -> None:
        present = session.get(OverlayRow, row.id)
        if present is not None:
            present.removed_at = at
            session.add(present)

    store().write(job)
    runtime().call(lambda self: self.airing.take_off(overlay_id))
    flash(
        f"{row.name} was removed; its link shows nothing now.", "undo:" + url_for("overlays.restore", overlay_id=row.id)
    )
    return redirect(url_for("overlays.index"))


@blueprint.post("/<int:overlay_id>/restore")
def restore(overlay_id: int) -> ResponseReturnValue:
    """Bring a removed overlay back, with the same link."""

    def job(session: Session) -> OnAir | None:
        row = session.get(OverlayRow, overlay_id)
        if row is None:
            return None
        row.removed_at = None
        session.add(row)
        return stored.on_air(session, row)

    on_air = store().write(job)
    if on_air is None:
        abort(404)
    runtime().call(_put, on_air)
    flash(f"{on_air.name} is back, with the link it had.", "said")
    return redirect(url_for("overlays.edit", overlay_id=overlay_id))
