"""The overlay's page, as the streaming software shows it."""

from __future__ import annotations

from flask import Blueprint, Response, make_response, render_template, request
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from tesoura.core.overlays.document import Piece
from tesoura.core.overlays.fit.boxes import Box
from tesoura.runtime.stage import SCENE, Frame
from tesoura.store import overlays as stored
from tesoura.web.overlays.css import says_of
from tesoura.web.shared.doors import runtime, store, studio
from tesoura.web.shared.shown import clock_time

blueprint = Blueprint("pages", __name__)


def frame(token: str) -> Frame | None:
    """The present frame of the overlay behind a link."""
    return runtime().call(lambda self: self.stage.frame(token))


@blueprint.get("/o/<token>")
def overlay(token: str) -> ResponseReturnValue:
    """An overlay, right at first paint; with `piece`, that piece alone, in the corner."""
    found = frame(token)
    if found is None:
        old = store().read(lambda session: stored.old_link(session, token))
        when = clock_time(old.replaced_at, seconds=False) if old else ""
        return _never_kept(make_response(render_template("pages/gone.html", replaced=when), 404))
    wanted = request.args.get("piece")
    pieces = [piece for piece in found.overlay.pieces if piece["hidden"] != "yes" and wanted in (None, piece.id)]
    return _never_kept(
        make_response(
            render_template(
                "pages/overlay.html",
                frame=found,
                token=token,
                pieces=pieces,
                scene=found.values.get(SCENE, ""),
                stage_style=_stage(found, pieces[0] if wanted and pieces else None),
                ground="ground" in request.args,
                faces=Markup(studio().face_rules()),  # noqa: S704 - names and numbers that were checked
            )
        )
    )


def _stage(found: Frame, alone: Piece | None) -> str:
    if alone is None:
        return f"width:{found.overlay.width_px}px;height:{found.overlay.height_px}px"
    box = piece_box(found, alone)
    # The overlay is moved so that its piece lies in the corner.
    return (
        f"width:{found.overlay.width_px}px;height:{found.overlay.height_px}px;"
        f"transform:translate({-box.x:g}px,{-box.y:g}px);overflow:visible"
    )


def piece_box(found: Frame, piece: Piece) -> Box:
    """Where a piece lies now."""
    return studio().box(piece, found.overlay, str(says_of(found.values, piece)[""]))


def _never_kept(response: Response) -> Response:
    response.headers["Cache-Control"] = "no-store"
    return response
