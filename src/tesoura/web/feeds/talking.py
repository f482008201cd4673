"""The pages of links: how one stands, and talking with it to try."""

from __future__ import annotations

from flask import Blueprint, abort, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.errors import TesouraError
from tesoura.web.feeds.views import feed_row
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime

blueprint = Blueprint("talking", __name__, url_prefix="/feeds")


def _panel(name: str, said: str = "", wrong: str = "", typed: str = "") -> ResponseReturnValue:
    row = feed_row(name)
    if row.kind not in ("irc", "scene"):
        abort(404)
    link = runtime().call(lambda self: self.feeds.standing(name))
    page = render_template(f"feeds/links/{row.kind}.html", row=row, link=link, said=said, wrong=wrong, typed=typed)
    return page, 422 if wrong else 200


@blueprint.get("/<name>/link")
def panel(name: str) -> ResponseReturnValue:
    """How a link stands."""
    return _panel(name)


@blueprint.post("/<name>/say")
def say(name: str) -> ResponseReturnValue:
    """Say a line in a chat, to try it."""
    typed = request.form.get("line", "")
    try:
        return _panel(name, said=act("chat.say", chat=name, line=typed).words)
    except TesouraError as error:
        return _panel(name, wrong=str(error), typed=typed)
