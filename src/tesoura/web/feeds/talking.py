"""The pages of links: how one stands, and talking with it to try."""

from __future__ import annotations

from flask import Blueprint, abort, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.errors import TesouraError
from tesoura.web.feeds.scene_names import named_and_gone
from tesoura.web.feeds.views import feed_row
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime

blueprint = Blueprint("talking", __name__, url_prefix="/feeds")


def _panel(name: str, said: str = "", wrong: str = "", line: str = "") -> ResponseReturnValue:
    row = feed_row(name)
    if row.kind not in ("irc", "scene"):
        abort(404)
    link = runtime().call(lambda self: self.links.standing(name))
    gone = named_and_gone(link["scenes"]) if link and row.kind == "scene" else []
    page = render_template(
        f"feeds/links/{row.kind}.html", row=row, link=link, gone=gone, said=said, wrong=wrong, line=line
    )
    return page, 422 if wrong else 200


@blueprint.get("/<name>/link")
def panel(name: str) -> ResponseReturnValue:
    """How a link stands."""
    return _panel(name)


def _tried(name: str, typed: str, action: str, **given: str) -> ResponseReturnValue:
    """Do something with it, and show it as it is then, with what came of it."""
    try:
        return _panel(name, said=act(action, **given).words)
    except TesouraError as error:
        return _panel(name, wrong=str(error), line=typed)


@blueprint.post("/<name>/say")
def say(name: str) -> ResponseReturnValue:
    """Say a line in a chat, to try it."""
    line = request.form.get("line", "")
    return _tried(name, line, "chat.say", chat=name, line=line)


@blueprint.post("/<name>/switch")
def switch(name: str) -> ResponseReturnValue:
    """Switch the scene, to try it."""
    return _tried(name, "", "scene.set", scene=request.form.get("scene", ""))


@blueprint.post("/<name>/call")
def call(name: str) -> ResponseReturnValue:
    """Call a scene of the program otherwise here."""
    there, here = request.form.get("there", ""), request.form.get("here", "")
    return _tried(name, "", "scene.call", link=name, there=there, here=here)
