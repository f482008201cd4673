"""Actions for programs: which there are, doing one, and what one would do."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, jsonify, request
from flask.typing import ResponseReturnValue

from tesoura.actions.action import Done
from tesoura.actions.registry import allowed
from tesoura.actions.roles import Role
from tesoura.actions.schema import parameters_schema
from tesoura.errors import Gone, Invalid, InvalidPiece, NotYours, Unreadable
from tesoura.web.api.models import parsed
from tesoura.web.api.views import check_key, unreadable
from tesoura.web.shared.acting import act, effect_of
from tesoura.web.shared.errors import problem

blueprint = Blueprint("api_actions", __name__, url_prefix="/api/actions")
blueprint.before_request(check_key)
blueprint.register_error_handler(Unreadable, unreadable)


@blueprint.get("")
def listed() -> ResponseReturnValue:
    """The actions that a program may do, each with its parameters."""
    return jsonify(
        [
            {
                "name": one.name,
                "title": one.title,
                "about": one.about,
                "parameters": parameters_schema(one),
                "tells_effect": one.foresee is not None,
            }
            for one in allowed(Role.KEY)
        ]
    )


@blueprint.post("/<name>")
def do(name: str) -> ResponseReturnValue:
    """Do it: what was done, in words, and what takes it back."""
    return _answered(done := act(name, **_given()), {"done": done.words})


@blueprint.post("/<name>/effect")
def effect(name: str) -> ResponseReturnValue:
    """What it would do now, in words; nothing is done."""
    return {"effect": effect_of(name, **_given())}


def _given() -> dict[str, Any]:
    given = parsed(request.get_data()) if request.get_data() else {}
    if not isinstance(given, dict):
        raise Unreadable(
            'Send the parameters as an object, such as {"scene": "Talk"}.', [{"at": "", "problem": "no object"}]
        )
    return given


def _answered(done: Done, told: dict[str, Any]) -> ResponseReturnValue:
    undo = {"action": done.undo.action, "parameters": dict(done.undo.given)} if done.undo else None
    return {**told, **done.result, "undo": undo}


@blueprint.errorhandler(InvalidPiece)
def _invalid_parameters(error: InvalidPiece) -> Response:
    wrong = [{"at": name, "problem": words} for name, words in error.wrong.items()]
    return problem(422, "Not done", "Nothing was done. Correct the named parameters.", errors=wrong)


@blueprint.errorhandler(Invalid)
def _invalid(error: Invalid) -> Response:
    return problem(422, "Not done", str(error))


@blueprint.errorhandler(NotYours)
def _not_yours(error: NotYours) -> Response:
    return problem(403, "Not allowed with a key", str(error))


@blueprint.errorhandler(Gone)
def _gone(error: Gone) -> Response:
    return problem(404, "Not found", str(error))
