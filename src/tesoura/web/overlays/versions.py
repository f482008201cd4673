"""What is on air and what was: comparing, putting on air, sending one change straight, taking a version back."""

from __future__ import annotations

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.overlays.differences import sent_straight
from tesoura.core.overlays.fit.missing import EVENT
from tesoura.store import drafts
from tesoura.store import overlays as stored
from tesoura.store.overlays import OnAir
from tesoura.web.mat.draft import laid
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime, store, studio

blueprint = Blueprint("versions", __name__, url_prefix="/overlays")


def _on_air(overlay_id: int) -> OnAir:
    found = store().read(
        lambda session: stored.on_air(session, row) if (row := stored.get(session, overlay_id)) else None
    )
    if found is None:
        abort(404)
    return found


@blueprint.post("/<int:overlay_id>/publish")
def publish(overlay_id: int) -> ResponseReturnValue:
    """Put the draft on air; what does not fit is told first, and again is enough."""
    there = laid(overlay_id)
    # What has only not happened yet is no reason to wait.
    stopping = [
        one for one in there.findings if (one.kind != "gone" or one.part) and one.makes != EVENT and not one.asks
    ]
    if stopping and not request.form.get("anyway"):
        return render_template(
            "versions/air.html", row=there.row, findings=stopping, piece=request.form.get("piece", "")
        )
    act("overlay.put_on_air", overlay=overlay_id)
    on_air = _on_air(overlay_id)
    if runtime().call(lambda self: self.hub.audience(overlay_id)).pages:
        flash("On air. Pages that show this overlay are up to date.", "air")
    else:
        size = f"{on_air.overlay.width_px} × {on_air.overlay.height_px} px"
        flash(
            f"On air, but not open on any page yet. Add its link to your streaming software as a web page of {size}.",
            "copy:" + url_for("pages.overlay", token=on_air.token),
        )
    return redirect(url_for("mat.show", overlay_id=overlay_id, piece=request.form.get("piece") or None))


@blueprint.get("/<int:overlay_id>/versions")
def compare(overlay_id: int) -> ResponseReturnValue:
    """Draft and on air side by side, and what was on air before."""
    there = laid(overlay_id)
    history, edited = store().read(
        lambda session: (stored.versions(session, there.row), drafts.history(session, there.row))
    )
    sendable = [
        sent_straight(there.draft, there.on_air.overlay, one) is not None if there.on_air.rev else False
        for one in there.differences
    ]
    return render_template(
        "versions/compare.html",
        row=there.row,
        draft=there.draft,
        on_air=there.on_air,
        differences=there.differences,
        sendable=sendable,
        history=history,
        edited=edited,
        findings=there.findings,
    )


@blueprint.get("/<int:overlay_id>/draft")
def draft(overlay_id: int) -> ResponseReturnValue:
    """The draft as a page, with what its pieces say now; it stands still."""
    there = laid(overlay_id)
    says = {name: sight.says["live"] for name, sight in there.sights.items()}
    return render_template("versions/draft.html", draft=there.draft, says_of_all=says, face_rules=studio().face_rules())
