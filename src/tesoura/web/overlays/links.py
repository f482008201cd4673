"""An overlay's link: copying it, showing it as a code, looking at what it shows, replacing it."""

from __future__ import annotations

import io

from flask import Blueprint, Response, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.overlays.fit.boxes import hull
from tesoura.web.mat.draft import laid
from tesoura.web.overlays.views import row_of
from tesoura.web.shared.doors import runtime, settings, studio

blueprint = Blueprint("links", __name__, url_prefix="/overlays")


@blueprint.get("/<int:overlay_id>/link")
def show(overlay_id: int) -> ResponseReturnValue:
    """The link, its size, who shows it, and a preview; with `piece`, that piece's own link."""
    there = laid(overlay_id)
    piece = there.on_air.overlay.piece(request.args.get("piece", "")) or there.draft.piece(
        request.args.get("piece", "")
    )
    width, height = there.on_air.overlay.width_px, there.on_air.overlay.height_px
    if not there.on_air.rev:
        width, height = there.draft.width_px, there.draft.height_px
    if piece is not None:
        sight = there.sights.get(piece.id)
        says = sight.says if sight else {}
        room = hull(
            studio().box(piece, there.draft, says.get(state, {}).get("", "")) for state in ("live", "grown", "longest")
        )
        width, height = -int(-room.width // 1), -int(-room.height // 1)
    audience = runtime().call(lambda self: self.hub.audience(overlay_id))
    return render_template(
        "links/show.html",
        row=there.row,
        on_air=there.on_air,
        piece=piece,
        width=width,
        height=height,
        audience=audience,
        draft=there.draft,
        other_sizes=[size for size in audience.sizes if size != (width, height)],
    )


@blueprint.get("/<int:overlay_id>/who")
def who(overlay_id: int) -> ResponseReturnValue:
    """How many pages show the overlay."""
    audience = runtime().call(lambda self: self.hub.audience(overlay_id))
    return render_template("mat/_who.html", audience=audience)


@blueprint.get("/<int:overlay_id>/code.svg")
def code(overlay_id: int) -> ResponseReturnValue:
    """The link as a QR code."""
    import segno

    row = row_of(overlay_id)
    wanted = request.args.get("piece")
    address = settings().address + url_for("pages.overlay", token=row.token, piece=wanted or None)
    out = io.BytesIO()
    segno.make(address, error="m").save(
        out, kind="svg", scale=4, border=3, dark="#1E2A38", light="#FFFDF8", xmldecl=False
    )
    return Response(out.getvalue(), mimetype="image/svg+xml", headers={"Cache-Control": "no-store"})
