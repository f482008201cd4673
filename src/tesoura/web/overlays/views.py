"""Overlays: the list, making one, renaming, duplicating, putting away, and handing one on as a file."""

from __future__ import annotations

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.actions.overlay_setup import choices_for, suggested_name
from tesoura.bundles.overlay_files import packed
from tesoura.core.overlays.document import SIZES
from tesoura.core.overlays.fit.missing import MISSING
from tesoura.core.values import Signal
from tesoura.errors import FileRefused, InvalidField, InvalidPiece
from tesoura.runtime.facade import Runtime
from tesoura.store import media as stored_media
from tesoura.store import overlays as stored
from tesoura.store.tables import OverlayRow
from tesoura.web.desk.cards import cards
from tesoura.web.mat.draft import laid
from tesoura.web.mat.laying import lay_on
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime, store

blueprint = Blueprint("overlays", __name__, url_prefix="/overlays")


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All overlays."""
    return render_template("overlays/index.html", cards=cards(), archived=store().read(stored.archived))


@blueprint.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """Make an overlay, with a text for a signal when one is named."""
    wanted = request.values.get("signal", "")
    signal = runtime().call(Runtime.signal, wanted) if wanted else None
    there = store().read(lambda session: [(one.id, one.name) for one in stored.all_overlays(session)])
    if request.method == "GET":
        return render_template(
            "overlays/new.html", signal=signal, name=suggested_name(signal), wrong=None, sizes=SIZES, overlays=there
        )
    if signal is not None and (overlay_id := request.form.get("on", type=int)):
        return _lay(signal, overlay_id, request.form.get("as", "text"))
    width, _, height = request.form.get("size", "1920 × 1080").replace("×", " ").partition(" ")
    try:
        done = act(
            "overlay.new",
            name=request.form.get("name", ""),
            width_px=width,
            height_px=height.strip(),
            signal=signal.name if signal else "",
        )
    except InvalidPiece as error:
        wrong = error.wrong.get("name", "Choose a size.")
    except InvalidField as error:
        wrong = str(error)
    else:
        return redirect(url_for("mat.show", overlay_id=done.result["overlay"]))
    return render_template("overlays/new.html", signal=signal, name="", wrong=wrong, sizes=SIZES, overlays=there), 422


def _lay(signal: Signal, overlay_id: int, kind: str) -> ResponseReturnValue:
    """Lay a signal on an overlay that is there, where there is room, and go to it."""
    kind = "slots" if kind == "slots" else "text"
    return lay_on(overlay_id, kind, choices_for(signal, kind), "signals")


def row_of(overlay_id: int) -> OverlayRow:
    """An overlay's row, or the page that says that there is none."""
    row = store().read(lambda session: stored.get(session, overlay_id))
    if row is None:
        abort(404)
    return row


# As a file


@blueprint.get("/<int:overlay_id>/export")
def export(overlay_id: int) -> ResponseReturnValue:
    """An overlay as one file, with its pictures, looks and typefaces; without its link and without keys."""
    row = row_of(overlay_id)
    draft, rows = store().read(lambda session: (stored.draft_of(session, row), list(stored_media.all_media(session))))
    data = packed(row.name, draft, rows, store().folder)
    name = "".join(char if char.isalnum() else "-" for char in row.name).strip("-").lower() or "overlay"
    return Response(
        data, mimetype="application/zip", headers={"Content-Disposition": f'attachment; filename="{_plain(name)}.zip"'}
    )


def _plain(name: str) -> str:
    return name.encode("ascii", "ignore").decode() or "overlay"


@blueprint.post("/import")
def bring_in() -> ResponseReturnValue:
    """Make an overlay of such a file."""
    try:
        sent = request.files.get("file")
        if sent is None or not sent.filename:
            raise FileRefused("Choose a file first.")
        done = act("overlay.bring_in", file=sent.read())
    except FileRefused as error:
        flash(str(error), "wrong")
        return redirect(url_for("overlays.index"))
    flash(done.words, "said")
    lacks = [f"“{one.name}” {one.words}" for one in laid(int(done.result["overlay"])).findings if one.kind == MISSING]
    if lacks:
        more = f" And {len(lacks) - 4} more." if len(lacks) > 4 else ""
        flash(
            f"Missing for this overlay: {' '.join(lacks[:4])}{more} The list under the mat says what to create.",
            "wrong",
        )
    return redirect(url_for("mat.show", overlay_id=done.result["overlay"]))
