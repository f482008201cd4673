"""The page of signals: every value, how fresh it is, and its last ten minutes."""

from __future__ import annotations

from flask import Blueprint, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.core.values import Signal
from tesoura.runtime import Runtime
from tesoura.web.doors import now, runtime

blueprint = Blueprint("signals", __name__, url_prefix="/signals")


def _found() -> list[Signal]:
    words = request.args.get("find", "").casefold().split()
    every = runtime().call(Runtime.signals, trails=True)
    return [one for one in every if all(word in f"{one.name} {one.unit}".casefold() for word in words)]


@blueprint.get("/")
def show() -> ResponseReturnValue:
    """All signals."""
    return render_template("signals/show.html", signals=_found(), now=now(), find=request.args.get("find", ""))


@blueprint.get("/table")
def table_fragment() -> ResponseReturnValue:
    """The table alone."""
    return render_template("signals/_table.html", signals=_found(), now=now(), find=request.args.get("find", ""))
