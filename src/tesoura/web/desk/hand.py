"""Values set by hand: from the desk, with keys, and by programs."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, abort, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.core.values import Signal
from tesoura.errors import Gone, InvalidField, InvalidPiece
from tesoura.runtime.facade import Runtime
from tesoura.store import feeds as stored
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime, store

blueprint = Blueprint("hand", __name__, url_prefix="/hand")


def controls() -> list[dict[str, Any]]:
    """All values that are set by hand, as the desk shows them."""
    rows = [row for row in store().read(stored.all_feeds) if row.kind == "hand"]
    signals = {one.name: one for one in runtime().call(Runtime.signals)} if rows else {}
    return [
        {"name": row.name, "title": row.title, "choices": row.choices, "signal": signals.get(f"{row.name}.value")}
        for row in rows
    ]


def change(name: str, wish: Mapping[str, Any]) -> Signal | None:
    """Set a value, or take a step: `{"value": …}` or `{"step": 1}`. Raises InvalidField; None for no such value."""
    given = {key: wish[key] for key in ("value", "step") if key in wish}
    if given.get("step", 1) in (0, ""):
        raise InvalidField("Give `step` as a whole number: 1 is up, -1 is down.")
    try:
        done = act("hand.set", name=name, **given)
    except Gone:
        return None
    except InvalidPiece as error:
        raise InvalidField(next(iter(error.wrong.values()))) from None
    return runtime().call(Runtime.signal, str(done.result["signal"]))


@blueprint.post("/<name>")
def press(name: str) -> ResponseReturnValue:
    """Set a value from a page; its control as it is then."""
    wrong = None
    try:
        if change(name, request.form) is None:
            abort(404)
    except InvalidField as error:
        wrong = str(error)
    return _control(name, wrong)


@blueprint.get("/<name>")
def control(name: str) -> ResponseReturnValue:
    """One value's control."""
    return _control(name, None)


def _control(name: str, wrong: str | None) -> ResponseReturnValue:
    found = next((one for one in controls() if one["name"] == name), None)
    if found is None:
        abort(404)
    return render_template("hand/_control.html", hand=found, wrong=wrong), 422 if wrong else 200
