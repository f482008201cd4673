"""Typefaces: those that ship, and the user's own."""

from __future__ import annotations

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from tesoura.core.overlays.typefaces import TYPEFACES
from tesoura.errors import InvalidField
from tesoura.web.looks import media
from tesoura.web.shared.doors import studio

blueprint = Blueprint("typefaces", __name__, url_prefix="/typefaces")
SAMPLE = "1,284 kite friends"


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All typefaces, each shown in itself."""
    return render_template(
        "typefaces/index.html",
        shipped=TYPEFACES,
        own=media.all_of("typeface"),
        sample=request.args.get("sample", SAMPLE),
        face_rules=Markup(studio().face_rules()),  # noqa: S704 - names and numbers that were checked
    )


@blueprint.post("/")
def add() -> ResponseReturnValue:
    """Add a typeface."""
    try:
        flash(media.take("typeface").words, "said")
    except InvalidField as error:
        flash(str(error), "wrong")
    return redirect(url_for("typefaces.index"))
