"""Picking signals out of what a feed brings: a click, a name, a unit, and what it says."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass, replace

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.names import snake, unused
from tesoura.core.signals.payload import suggested_name
from tesoura.core.values import Scalar, Wanted
from tesoura.errors import Gone, InvalidPiece, TooMuch
from tesoura.runtime.facade import Runtime
from tesoura.store import feeds as stored
from tesoura.store.tables import FeedRow
from tesoura.web.feeds.views import feed_page, feed_row
from tesoura.web.shared.acting import act
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
    wrong_field: str | None = None


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
    wrong_field = None
    if before:
        field = before.partition(".")[2]
    elif "field" not in form:
        taken = {one.name.partition(".")[2] for one in store().read(lambda s: stored.signals_of(s, row.id or 0))}
        field = unused(snake(suggested_name(path)), taken)
    elif not field:
        wrong_field = "Give the signal a name, such as members."
    if wanted is None:
        wanted = Wanted.NUMBER if isinstance(value, int | float) and not isinstance(value, bool) else Wanted.TEXT
    return Choosing(path, field, form.get("unit", "").strip()[:MAX_UNIT], wanted, before, value, problem, wrong_field)


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


@blueprint.post("/signals")
def keep(name: str) -> ResponseReturnValue:
    """Keep a signal, new or changed."""
    row = feed_row(name)
    choosing = _choosing(row)
    if choosing.problem or choosing.wrong_field:
        return feed_page(row, 422, choosing=choosing)
    try:
        done = act(
            "feed.pick",
            feed=name,
            field=choosing.field,
            path=choosing.path,
            unit=choosing.unit,
            wanted=choosing.wanted.value,
            anew="yes" if choosing.before else "no",
        )
    except InvalidPiece as error:
        return feed_page(row, 422, choosing=replace(choosing, wrong_field=next(iter(error.wrong.values()))))
    flash(done.words, "next:" + url_for("overlays.new", signal=str(done.result["signal"])))
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/signals/<field>/remove")
def remove(name: str, field: str) -> ResponseReturnValue:
    """Stop picking a signal."""
    with contextlib.suppress(Gone):
        done = act("feed.unpick", feed=feed_row(name).name, field=field)
        assert done.undo is not None
        kept = {key: done.undo.given[key] for key in ("path", "unit", "wanted")}
        flash(done.words, "undo:" + url_for("picks.restore", name=name, field=field, **kept))
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/signals/<field>/restore")
def restore(name: str, field: str) -> ResponseReturnValue:
    """Pick a signal again that was removed a moment ago."""
    given = {key: request.args.get(key, "") for key in ("path", "unit", "wanted")}
    try:
        done = act("feed.pick", feed=feed_row(name).name, field=field, anew="yes", **given)
    except InvalidPiece:
        abort(404)
    flash(f"{done.result['signal']} is picked again.", "said")
    return redirect(url_for("feeds.show", name=name))
