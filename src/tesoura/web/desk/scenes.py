"""Scenes: the present one, by hand from the desk; which there are, and which signal tells the present one."""

from __future__ import annotations

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from tesoura.errors import Gone, SourceError
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime

blueprint = Blueprint("scenes", __name__)


def present() -> str:
    """The present scene; empty when nobody has said."""
    return runtime().call(lambda self: self.stage.scene)


@blueprint.get("/desk/scene")
def fragment() -> ResponseReturnValue:
    """The scenes, the present one marked."""
    return _scenes()


def drawn(wrong: str = "") -> Markup:
    """The scenes, as they stand on the desk."""
    scenes = runtime().call(lambda self: self.scenes())
    page = render_template("desk/_scene.html", scenes=scenes, present=present(), wrong=wrong)
    return Markup(page)  # noqa: S704 - the template has escaped all of it


def _scenes(wrong: str = "") -> ResponseReturnValue:
    return drawn(wrong), 422 if wrong else 200


@blueprint.post("/scene")
def choose() -> ResponseReturnValue:
    """Make a scene the present one, as the streaming software would report it."""
    wrong = ""
    try:
        act("scene.set", scene=request.form.get("scene", ""))
    except (SourceError, Gone) as error:
        wrong = str(error)
    if "HX-Request" in request.headers:
        return _scenes(wrong)
    if wrong:
        flash(wrong, "wrong")
    return redirect(url_for("desk.show"))
