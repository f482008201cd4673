"""Instruments laid on overlays: drawn by a piece of their own, or told by statistic slots."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, abort, flash, redirect, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.instruments.base import InstrumentKind
from tesoura.core.instruments.registry import KINDS
from tesoura.core.overlays.pieces.kind import PieceKind
from tesoura.errors import InvalidPiece
from tesoura.store.tables import ComputedRow
from tesoura.web.instruments.views import row_of
from tesoura.web.mat.laying import lay_on
from tesoura.web.shared.acting import act

blueprint = Blueprint("laying", __name__, url_prefix="/instruments")
SLOTS, MOST_SLOTS = "slots", 3


def _field_for(piece: PieceKind, kind: InstrumentKind) -> str:
    """The field of a piece that names its instrument."""
    found = (name for name, one in piece.fields.items() if one.kind == "instrument" and one.of == kind.name)
    return next(found, "")


def _slots(kind: InstrumentKind, row: ComputedRow) -> dict[str, Any]:
    """What statistic slots are given that tell the first of what an instrument tells; nothing if it tells none."""
    ready = kind.ready_wordings("statistic", row.name)[:MOST_SLOTS]
    slots = {f"{part}_{at}": value for at, (_, given) in enumerate(ready, 1) for part, value in given.items()}
    return {"count": len(ready), "name": str(row.choices["title"])[:60], **slots} if ready else {}


@blueprint.post("/<name>/place")
def place(name: str) -> ResponseReturnValue:
    """Lay a piece that shows the instrument on an overlay's draft, and go there."""
    row = row_of(name)
    kind, wished = KINDS[row.kind], request.form.get("piece")
    piece = next((one for one in kind.pieces if one.name == wished), None)
    size: Mapping[str, int] = {}
    if piece is not None:
        size = dict(zip(("width_px", "height_px"), piece.overlay_size, strict=True))
        choices = {_field_for(piece, kind): name, "name": piece.title, **kind.lays(piece.name, row.choices)}
    elif wished != SLOTS or not (choices := _slots(kind, row)):
        abort(404)
    overlay_id = request.form.get("overlay", type=int)
    if not overlay_id:
        made = act("overlay.new", name=str(row.choices["title"])[:60], empty="yes", **size)
        overlay_id = int(made.result["overlay"])
    try:
        return lay_on(overlay_id, piece.name if piece else SLOTS, choices, "instruments")
    except InvalidPiece as error:
        flash("; ".join(error.wrong.values()), "wrong")
        return redirect(url_for("instruments.show", name=name))
