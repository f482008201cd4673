"""Feeds: setting one up step by step, each step proved, and seeing how it fares."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.core.checks import InvalidField, line
from tesoura.core.forms import Filled, fill
from tesoura.core.names import is_part, snake, unused
from tesoura.core.payload import suggested_name
from tesoura.core.values import Scalar, Wanted
from tesoura.feeding import Proof
from tesoura.runtime import Runtime
from tesoura.store import feeds as stored
from tesoura.store.tables import FeedRow, SignalRow
from tesoura.web.doors import now, runtime, store

blueprint = Blueprint("feeds", __name__, url_prefix="/feeds")
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


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All feeds."""
    return render_template("feeds/index.html", reports=runtime().call(lambda self: self.feeding.reports()))


@blueprint.get("/table")
def table_fragment() -> ResponseReturnValue:
    """The list alone."""
    return render_template("feeds/_table.html", reports=runtime().call(lambda self: self.feeding.reports()))


@blueprint.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """Connect a feed: it is asked once, and kept when it answers, or when the user wants it all the same."""
    kind = runtime().kinds()["http"]
    typed = request.form.to_dict()
    if request.method == "GET":
        return render_template("feeds/new.html", kind=kind, typed={}, wrong={}, proof=None, sealed="")
    filled = fill(kind.fields, typed, _unsealed(typed.get("sealed", "")))
    title, wrong_title = _title(typed, kind.place(filled.choices) if "address" in filled.choices else "")
    wrong = {**filled.wrong, **({"title": wrong_title} if wrong_title else {})}
    proof: Proof | None = None
    if not wrong:
        proof = runtime().call(lambda self: self.feeding.probe(kind.name, filled.choices, filled.secrets))
        if proof.problem is None or "keep_anyway" in typed:
            return redirect(url_for("feeds.show", name=_keep_new(title, kind.name, filled)))
    sealed = store().secrets.seal(json.dumps(dict(filled.secrets))).decode() if any(filled.secrets.values()) else ""
    page = render_template("feeds/new.html", kind=kind, typed=typed, wrong=wrong, proof=proof, sealed=sealed)
    return page, 422


def _title(typed: Mapping[str, str], place: str) -> tuple[str, str | None]:
    given = typed.get("title", "").strip() or place.split("/")[0].split(":")[0] or "Feed"
    try:
        return line(60)(given), None
    except InvalidField as error:
        return "", str(error)


def _unsealed(sealed: str) -> dict[str, str]:
    # A key that was typed before is kept over a failed try without standing in the page.
    opened = store().secrets.open(sealed.encode()) if sealed else None
    return dict(json.loads(opened)) if opened else {}


def _keep_new(title: str, kind: str, filled: Filled) -> str:
    in_use, at, secrets = runtime().call(Runtime.names_taken), now(), store().secrets

    def job(session: Session) -> str:
        name = unused(snake(title, "feed"), stored.names_taken(session) | in_use)
        row = stored.add_feed(session, name, title, kind, filled.choices, at)
        stored.keep_secrets(session, row.id or 0, filled.secrets, secrets)
        return name

    name = store().write(job)
    runtime().call(Runtime.refresh_feed, name)
    return name


def _row(name: str) -> FeedRow:
    row = store().read(lambda session: stored.by_name(session, name))
    if row is None:
        abort(404)
    return row


def _page(row: FeedRow, status: int = 200, **more: Any) -> ResponseReturnValue:
    row_id = row.id or 0
    picks, kept = store().read(
        lambda session: (
            stored.signals_of(session, row_id),
            stored.secrets_of(session, row_id, store().secrets),
        )
    )
    signals = {one.name: one for one in runtime().call(Runtime.signals, trails=True)}
    shown: dict[str, Any] = {
        "row": row,
        "kind": runtime().kinds()[row.kind],
        "report": runtime().call(lambda self: self.feeding.report(row.name)),
        "proof": runtime().call(lambda self: self.feeding.proof(row.name)),
        "picks": picks,
        "signals": signals,
        "now": now(),
        "typed": {key: _plain(value) for key, value in row.choices.items()},
        "has_secret": {key: bool(value) for key, value in kept.items()},
        "wrong": {},
        "choosing": None,
        **more,
    }
    return render_template("feeds/show.html", **shown), status


def _plain(value: object) -> str:
    return f"{value:g}" if isinstance(value, float) else str(value)


@blueprint.get("/<name>")
def show(name: str) -> ResponseReturnValue:
    """One feed: how it fares, what came, which signals are picked from it."""
    return _page(_row(name))


@blueprint.get("/<name>/state")
def state_fragment(name: str) -> ResponseReturnValue:
    """How one feed fares."""
    row = _row(name)
    proof = runtime().call(lambda self: self.feeding.proof(name))
    return render_template(
        "feeds/_state.html", row=row, report=runtime().call(lambda self: self.feeding.report(name)), proof=proof
    )


@blueprint.get("/<name>/tree")
def tree_fragment(name: str) -> ResponseReturnValue:
    """What came last, as a tree."""
    return render_template(
        "feeds/_tree.html", row=_row(name), proof=runtime().call(lambda self: self.feeding.proof(name))
    )


@blueprint.get("/<name>/signals")
def signals_fragment(name: str) -> ResponseReturnValue:
    """The signals picked from one feed."""
    row = _row(name)
    picks = store().read(lambda session: stored.signals_of(session, row.id or 0))
    signals = {one.name: one for one in runtime().call(Runtime.signals, trails=True)}
    return render_template("feeds/_picks.html", row=row, picks=picks, signals=signals, now=now())


def _choosing(row: FeedRow) -> Choosing:
    form = request.form
    path, before = form.get("path", "").strip(), form.get("before", "")
    wanted = Wanted(form["wanted"]) if form.get("wanted") in [*Wanted] else None
    value, problem = None, None
    try:
        value = runtime().call(lambda self: self.feeding.pick(row.name, path, wanted))
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


@blueprint.post("/<name>/pick")
def pick(name: str) -> ResponseReturnValue:
    """What a path gives, before it is kept: the whole panel, or only its proof."""
    row = _row(name)
    template = "feeds/_proof.html" if request.form.get("only") == "proof" else "feeds/_choosing.html"
    return render_template(template, row=row, choosing=_choosing(row))


@blueprint.post("/<name>/signals")
def keep_signal(name: str) -> ResponseReturnValue:
    """Keep a signal, new or changed."""
    row = _row(name)
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
        return _page(row, 422, choosing=Choosing(**{**asdict(choosing), "wrong_field": wrong_field}))
    runtime().call(Runtime.refresh_feed, name)
    flash(f"Kept as {full}.", "next:" + url_for("overlays.new", signal=full))
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/<name>/signals/<field>/remove")
def remove_signal(name: str, field: str) -> ResponseReturnValue:
    """Stop picking a signal."""
    row = _row(name)
    full = f"{name}.{field}"

    def job(session: Session) -> SignalRow | None:
        kept = session.get(SignalRow, full)
        if kept is not None:
            session.delete(kept)
        return kept

    kept = store().write(job)
    if kept is not None:
        runtime().call(Runtime.refresh_feed, row.name)
        back = url_for(
            "feeds.restore_signal", name=name, field=field, path=kept.path, unit=kept.unit, wanted=kept.wanted
        )
        flash(f"{full} is not picked any more. Wordings that use it say “nothing yet”.", f"undo:{back}")
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/<name>/signals/<field>/restore")
def restore_signal(name: str, field: str) -> ResponseReturnValue:
    """Pick a signal again that was removed a moment ago."""
    row, asked = _row(name), request.args
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


@blueprint.post("/<name>/change")
def change(name: str) -> ResponseReturnValue:
    """Change a feed's address, key or period."""
    row = _row(name)
    kind = runtime().kinds()[row.kind]
    kept = store().read(lambda session: stored.secrets_of(session, row.id or 0, store().secrets))
    typed = request.form.to_dict()
    filled = fill(kind.fields, typed, kept)
    if filled.wrong:
        return _page(row, 422, typed=typed, wrong=filled.wrong)

    secrets = store().secrets

    def job(session: Session) -> None:
        present = session.get(FeedRow, row.id)
        if present is not None:
            present.choices = dict(filled.choices)
            session.add(present)
            stored.keep_secrets(session, row.id or 0, filled.secrets, secrets)

    store().write(job)
    runtime().call(Runtime.refresh_feed, name)
    flash("Changed. It is asked that way from now on.", "said")
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/<name>/secret/<field>")
def secret(name: str, field: str) -> ResponseReturnValue:
    """Show a key that was asked for; it is covered again by asking again, or after twenty seconds."""
    row = _row(name)
    kept = store().read(lambda session: stored.secrets_of(session, row.id or 0, store().secrets))
    shown = kept.get(field) if request.form.get("show") == "yes" else None
    return render_template("feeds/_secret.html", row=row, field=field, shown=shown), 200, {"Cache-Control": "no-store"}


@blueprint.post("/<name>/ask")
def ask(name: str) -> ResponseReturnValue:
    """Ask a feed at once."""
    row = _row(name)
    runtime().call(lambda self: self.feeding.ask_now(row.name))
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/<name>/pause")
def pause(name: str) -> ResponseReturnValue:
    """Hold a feed's values on purpose, or let it go on."""
    row = _row(name)

    paused = request.form.get("paused") == "yes"

    def job(session: Session) -> None:
        present = session.get(FeedRow, row.id)
        if present is not None:
            present.paused = paused
            session.add(present)

    store().write(job)
    runtime().call(Runtime.refresh_feed, name)
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/<name>/remove")
def remove(name: str) -> ResponseReturnValue:
    """Put a feed away."""
    row = _row(name)
    at = now()
    store().write(lambda session: stored.remove_feed(session, row.id or 0, at))
    runtime().call(Runtime.refresh_feed, name)
    flash(f"{row.title} was removed.", "undo:" + url_for("feeds.restore", feed_id=row.id))
    return redirect(url_for("feeds.index"))


@blueprint.post("/restore/<int:feed_id>")
def restore(feed_id: int) -> ResponseReturnValue:
    """Bring a removed feed back."""
    row = store().write(lambda session: stored.remove_feed(session, feed_id, None))
    if row is None:
        abort(404)
    runtime().call(Runtime.refresh_feed, row.name)
    flash(f"{row.title} is back.", "said")
    return redirect(url_for("feeds.show", name=row.name))
