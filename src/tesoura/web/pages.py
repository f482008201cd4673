"""The overlay's page, as the streaming software shows it."""

from __future__ import annotations

from flask import Blueprint, Response, make_response, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.airing import Frame
from tesoura.web.doors import runtime

blueprint = Blueprint("pages", __name__)


def frame(token: str) -> Frame | None:
    """The present frame of the overlay behind a link."""
    return runtime().call(lambda self: self.airing.frame(token))


@blueprint.get("/o/<token>")
def overlay(token: str) -> ResponseReturnValue:
    """An overlay, right at first paint."""
    found = frame(token)
    if found is None:
        return _never_kept(make_response(render_template("pages/gone.html"), 404))
    return _never_kept(
        make_response(
            render_template("pages/overlay.html", frame=found, token=token, picture="picture" in request.args)
        )
    )


def _never_kept(response: Response) -> Response:
    response.headers["Cache-Control"] = "no-store"
    return response
