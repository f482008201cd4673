"""Picking signals out of what a feed brings: a click, a name, a unit, and what it says."""

from __future__ import annotations

from dataclasses import dataclass, replace

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.core.names import is_part, snake, unused
from tesoura.core.signals.payload import suggested_name
from tesoura.core.values import Scalar, Wanted
from tesoura.runtime.facade import Runtime
from tesoura.store import feeds as stored
from tesoura.store.tables import FeedRow, SignalRow
from tesoura.web.feeds.views import feed_page, feed_row
from tesoura.web.shared.doors import now, runtime, store

blueprint = Blueprint("picks", __name__, url_prefix="/feeds/<name>")
MAX_UNIT = 60
MAX_PATH = 500


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
    except ValueError as error:
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
    full = choosing.before or f"{name}.{snake(choosing.field)}"

    def job(session: Session) -> bool:
        known = session.get(SignalRow, full)
        if known is not None and not choosing.before:
            return False
        kept = known or SignalRow(name=full, feed_id=row.id or 0, path="")
        kept.path, kept.unit, kept.wanted = choosing.path, choosing.unit, choosing.wanted.value
        session.add(kept)
        return True

    wrong_field = choosing.wrong_field
    if not choosing.problem and not wrong_field and not store().write(job):
        wrong_field = f"There is a {full} already. Give this one another name."
    if choosing.problem or wrong_field:
        return feed_page(row, 422, choosing=replace(choosing, wrong_field=wrong_field))
    runtime().call(Runtime.refresh_feed, name)
    flash(f"Kept as {full}.", "next:" + url_for("overlays.new", signal=full))
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/signals/<field>/remove")
def remove(name: str, field: str) -> ResponseReturnValue:
    """Stop picking a signal."""
    row = feed_row(name)
    full = f"{name}.{field}"

    def job(session: Session) -> SignalRow | None:
        kept = session.get(SignalRow, full)
        if kept is not None:
            session.delete(kept)
        return kept

    kept = store().write(job)
    if kept is not None:
        runtime().call(Runtime.refresh_feed, row.name)
        back = url_for("picks.restore", name=name, field=field, path=kept.path, unit=kept.unit, wanted=kept.wanted)
        flash(f"{full} is not picked any more. Wordings that use it say “nothing yet”.", f"undo:{back}")
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/signals/<field>/restore")
def restore(name: str, field: str) -> ResponseReturnValue:
    """Pick a signal again that was removed a moment ago."""
    row, asked = feed_row(name), request.args
    if not is_part(field) or asked.get("wanted") not in [*Wanted] or len(asked.get("path", "")) > MAX_PATH:
        abort(404)
    again = SignalRow(
        name=f"{name}.{field}", feed_id=row.id or 0,
        path=asked.get("path", ""), unit=asked.get("unit", "")[:MAX_UNIT], wanted=asked["wanted"],
    )  # fmt: skip
    store().write(lambda session: session.merge(again))
    runtime().call(Runtime.refresh_feed, name)
    flash(f"{again.name} is picked again.", "said")
    return redirect(url_for("feeds.show", name=name))
