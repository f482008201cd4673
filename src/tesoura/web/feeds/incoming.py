"""The private addresses to which services and programs send what a feed takes in."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify, request

from tesoura.web.shared.doors import runtime
from tesoura.web.shared.errors import problem

blueprint = Blueprint("incoming", __name__, url_prefix="/in")
_TITLES = {400: "Not accepted", 401: "This was refused", 409: "It came before", 503: "Not now"}


@blueprint.post("/<token>")
def take(token: str) -> Response:
    """Take one message; answered once what it makes is safe on disk."""
    headers = {name.lower(): value for name, value in request.headers.items()}
    body = request.get_data()
    answer = runtime().call(lambda self: self.feeds.receive(token, headers, body))
    if answer is None:
        return problem(404, "Page not found", "This address was replaced, or never existed.")
    status, words = answer
    if status >= 400:
        return problem(status, _TITLES.get(status, "Refused"), words)
    response = jsonify({"taken": True})
    response.status_code = status
    return response
