"""Computed signals: formulas, windows, chains, goals, changes; seen live while they are written."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.actions.action import Doing, Done
from tesoura.actions.computed_setup import made_of
from tesoura.core.computed.definitions import COMPUTED, ComputedKind
from tesoura.core.computed.derived import OWN
from tesoura.core.instruments.runner import Setup
from tesoura.core.language.functions import FUNCTIONS
from tesoura.core.names import is_part, snake
from tesoura.errors import InvalidField, InvalidPiece
from tesoura.runtime.facade import Runtime
from tesoura.store import computed as stored
from tesoura.store.tables import ComputedRow
from tesoura.web.shared.acting import act, opened_with
from tesoura.web.shared.doors import runtime, store
from tesoura.web.shared.typed import as_typed, in_zone

blueprint = Blueprint("computed", __name__, url_prefix="/signals")


def _kind(name: str) -> ComputedKind:
    if name not in COMPUTED:
        abort(404)
    return COMPUTED[name]


def _typed() -> dict[str, Any]:
    """What was typed; what may be ticked several times as a list."""
    several = {"types", "stats"}
    typed: dict[str, Any] = {}
    for key in request.form:
        values = [part.strip() for one in request.form.getlist(key) for part in one.split(",") if part.strip()]
        typed[key] = values if key in several else request.form[key]
    return typed


@blueprint.get("/new")
def choose() -> ResponseReturnValue:
    """Which kind of computed signal."""
    return render_template("computed/choose.html", kinds=COMPUTED.values())


def _page(kind: ComputedKind, typed: Mapping[str, Any], wrong: Mapping[str, str], row: ComputedRow | None) -> str:
    return render_template(
        "computed/edit.html",
        kind=kind,
        typed=typed,
        wrong=wrong,
        row=row,
        functions=FUNCTIONS,
        preview=_preview(kind, typed, row.name if row else snake(str(typed.get("name", "")), "it")) if typed else None,
        signals=runtime().call(Runtime.signals),
        broken=_broken(kind, row.name) if row else None,
    )


def _broken(kind: ComputedKind, name: str) -> dict[str, str] | None:
    """Under which key it runs and how it failed, when it did."""
    key = f"{OWN}.{name}" if kind.name == "formula" else name
    why = runtime().call(lambda self: self.engine.graph.broken.get(key))
    return {"key": key, "why": why} if why else None


def _preview(kind: ComputedKind, typed: Mapping[str, Any], name: str) -> Any:
    """What it would tell now, or what is wrong with it."""
    given, known = in_zone(kind.fields, typed), name if is_part(name) else "it"

    def look(self: Runtime) -> Any:
        return self.computations.preview(made_of(Doing(self, "desk"), kind, given, known)[0])

    try:
        return runtime().call(look)
    except InvalidPiece as error:
        return {"wrong": error.wrong}


@blueprint.post("/try/<kind>")
def attempt(kind: str) -> ResponseReturnValue:
    """What it would tell now."""
    found, typed = _kind(kind), _typed()
    name = snake(str(typed.get("name", "")), "it")
    return render_template("computed/_preview.html", preview=_preview(found, typed, name))


@blueprint.route("/new/<kind>", methods=["GET", "POST"])
def new(kind: str) -> ResponseReturnValue:
    """Make a computed signal."""
    found = _kind(kind)
    if request.method == "GET":
        return _page(found, request.args.to_dict(), {}, None)
    typed = _typed()
    given = in_zone(found.fields, typed)
    try:
        return _kept(act("computed.new", kind=kind, name=str(typed.get("name", "")), choices=given))
    except InvalidPiece as error:
        return _page(found, typed, error.wrong, None), 422


def _kept(done: Done) -> ResponseReturnValue:
    flash(done.words, "next:" + url_for("overlays.new", signal=str(done.result["signal"])))
    return redirect(url_for("signals.show"))


def _row(row_id: int) -> ComputedRow:
    row = store().read(lambda session: stored.get(session, row_id))
    if row is None or row.kind not in COMPUTED:
        abort(404)
    return row


@blueprint.route("/computed/<int:row_id>", methods=["GET", "POST"])
def edit(row_id: int) -> ResponseReturnValue:
    """Change a computed signal; what it counts is made anew from the log."""
    row = _row(row_id)
    kind = COMPUTED[row.kind]
    if request.method == "GET":
        return _page(kind, as_typed(kind.fields, row.choices), {}, row)
    typed = _typed()
    try:
        choices = in_zone(kind.fields, typed)
        return _kept(act("computed.change", computed=row_id, choices=choices, opened_with=opened_with()))
    except InvalidPiece as error:
        return _page(kind, typed, error.wrong, row), 422


@blueprint.post("/computed/<int:row_id>/remove")
def remove(row_id: int) -> ResponseReturnValue:
    """Compute it no more."""
    flash(act("computed.remove", computed=row_id).words, "undo:" + url_for("computed.restore", row_id=row_id))
    return redirect(url_for("signals.show"))


@blueprint.post("/computed/<int:row_id>/restore")
def restore(row_id: int) -> ResponseReturnValue:
    """Compute it again, from the log."""
    flash(act("computed.restore", computed=row_id).words, "said")
    return redirect(url_for("signals.show"))


@blueprint.post("/computed/rebuild/<key>")
def rebuild(key: str) -> ResponseReturnValue:
    """Build a computation that failed anew, from the log."""
    try:
        flash(act("computed.rebuild", key=key).words, "said")
    except InvalidField as error:
        flash(str(error), "wrong")
    is_instrument = runtime().call(lambda self: isinstance(self.engine.graph.definition(key), Setup))
    return redirect(url_for("instruments.edit", name=key) if is_instrument else url_for("signals.show"))
