"""Picking signals out of what a feed brings: a click, a name, a unit, and what it says."""

from __future__ import annotations

from dataclasses import dataclass

from flask import Blueprint, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.core.names import snake, unused
from tesoura.core.signals.payload import suggested_name
from tesoura.core.values import Scalar, Wanted
from tesoura.errors import TooMuch
from tesoura.runtime.facade import Runtime
from tesoura.store import feeds as stored
from tesoura.store.tables import FeedRow
from tesoura.web.feeds.views import feed_row
from tesoura.web.shared.doors import now, runtime, store

blueprint = Blueprint("picks", __name__, url_prefix="/feeds/<name>")
MAX_UNIT = 60


@dataclass(frozen=True, slots=True)
class Choosing:
    """A value being picked: what was typed, what it gives, or what is wrong."""

    path: str
    field: str
    unit: str
    wanted: Wanted
    before: str = ""
    value: Scalar | None = None
    problem: str | None = None


def _choosing(row: FeedRow) -> Choosing:
    form = request.form
    path, before = form.get("path", "").strip(), form.get("before", "")
    wanted = Wanted(form["wanted"]) if form.get("wanted") in [*Wanted] else None
    value, problem = None, None
    try:
        value = runtime().call(lambda self: self.feeds.pick(row.name, path, wanted))
    except (ValueError, TooMuch) as error:
        problem = str(error)
    field = form.get("field", "").strip()
    if before:
        field = before.partition(".")[2]
    elif "field" not in form:
        taken = {one.name.partition(".")[2] for one in store().read(lambda s: stored.signals_of(s, row.id or 0))}
        field = unused(snake(suggested_name(path)), taken)
    if wanted is None:
        wanted = Wanted.NUMBER if isinstance(value, int | float) and not isinstance(value, bool) else Wanted.TEXT
    return Choosing(path, field, form.get("unit", "").strip()[:MAX_UNIT], wanted, before, value, problem)


@blueprint.get("/signals")
def index(name: str) -> ResponseReturnValue:
    """The signals picked from one feed."""
    row = feed_row(name)
    picks = store().read(lambda session: stored.signals_of(session, row.id or 0))
    signals = {one.name: one for one in runtime().call(Runtime.signals, trails=True)}
    return render_template("feeds/_picks.html", row=row, picks=picks, signals=signals, now=now())


@blueprint.post("/pick")
def pick(name: str) -> ResponseReturnValue:
    """What a path gives, before it is kept: the whole panel, or only its proof."""
    row = feed_row(name)
    template = "feeds/_proof.html" if request.form.get("only") == "proof" else "feeds/_choosing.html"
    return render_template(template, row=row, choosing=_choosing(row))
