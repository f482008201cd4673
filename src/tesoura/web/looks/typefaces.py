"""Typefaces: those that ship, and the user's own."""

from __future__ import annotations

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup
from sqlmodel import Session

from tesoura.core.overlays.typefaces import TYPEFACES
from tesoura.errors import FileRefused
from tesoura.store import media as stored
from tesoura.web.looks import media
from tesoura.web.shared.doors import now, store, studio

blueprint = Blueprint("typefaces", __name__, url_prefix="/typefaces")
SAMPLE = "1,284 kite friends"


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All typefaces, each shown in itself."""
    return render_template(
        "typefaces/index.html", shipped=TYPEFACES, own=media.all_of("typeface"),
        sample=request.args.get("sample", SAMPLE),
        face_rules=Markup(studio().face_rules()),  # noqa: S704 - names and numbers that were checked
    )  # fmt: skip


@blueprint.post("/")
def add() -> ResponseReturnValue:
    """Add a typeface."""
    try:
        row = media.take("typeface")
    except FileRefused as error:
        flash(str(error), "wrong")
    else:
        flash(f"{row.facts['family']} was added: {row.facts['letters']:,} letters. {row.facts['embedding']}", "said")
    return redirect(url_for("typefaces.index"))


@blueprint.post("/<name>/<any(remove, restore):way>")
def remove(name: str, way: str) -> ResponseReturnValue:
    """Take one of the user's own typefaces away, or bring it back."""
    at = now() if way == "remove" else None

    def job(session: Session) -> str:
        stored.remove(session, name, at)
        row = stored.get(session, name)
        return str(row.facts["family"]) if row else "It"

    family = store().write(job)
    studio().faces.forget()
    if way == "remove":
        back = url_for("typefaces.remove", name=name, way="restore")
        flash(f"{family} was taken away. Pieces that use it are set in the typeface that stands in.", f"undo:{back}")
    return redirect(url_for("typefaces.index"))
