"""Computed signals: formulas, windows, chains, goals, changes; seen live while they are written."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.core.computed.definitions import COMPUTED, ComputedKind, build
from tesoura.core.computed.derived import OWN
from tesoura.core.computed.graph import Definition
from tesoura.core.forms.form import fill
from tesoura.core.instruments.runner import Setup
from tesoura.core.language.functions import FUNCTIONS
from tesoura.core.names import is_part, snake
from tesoura.runtime.facade import Runtime
from tesoura.store import computed as stored
from tesoura.store import feeds as stored_feeds
from tesoura.store.tables import ComputedRow
from tesoura.web.shared.doors import now, runtime, store
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


def _made(
    kind: ComputedKind, typed: Mapping[str, Any], name: str
) -> tuple[Definition | None, dict[str, Any], dict[str, str]]:
    """The definition, its choices, and what is wrong."""
    filled = fill(kind.fields, in_zone(kind.fields, typed))
    if filled.wrong:
        return None, dict(filled.choices), dict(filled.wrong)
    definition = build(kind.name, name, filled.choices)
    if cycle := runtime().call(lambda self: self.computations.cycle(definition)):
        first = "formula" if kind.name == "formula" else next(iter(kind.fields))
        wrong = {first: f"It would read itself: {' → '.join(cycle)}. Take one of these out of a formula."}
        return None, dict(filled.choices), wrong
    return definition, dict(filled.choices), {}


def _name_problem(kind: ComputedKind, name: str) -> str | None:
    if not is_part(name):
        return "Give it a name in lower case letters, digits and _, such as gifts_today."
    if kind.name == "formula":
        taken = any(one.name == f"own.{name}" for one in runtime().call(Runtime.signals))
        return f"There is an own.{name} already. Give this one another name." if taken else None
    taken = name in runtime().call(Runtime.names_taken) | store().read(stored_feeds.names_taken) | {"own", "event"}
    return f"“{name}” is in use already. Give this one another name." if taken else None


@blueprint.get("/new")
def choose() -> ResponseReturnValue:
    """Which kind of computed signal."""
    return render_template("computed/choose.html", kinds=COMPUTED.values())


def _page(kind: ComputedKind, typed: Mapping[str, Any], wrong: Mapping[str, str], row: ComputedRow | None) -> str:
    return render_template(
        "computed/edit.html", kind=kind, typed=typed, wrong=wrong, row=row, functions=FUNCTIONS,
        preview=_preview(kind, typed, row.name if row else snake(str(typed.get("name", "")), "it")) if typed else None,
        signals=runtime().call(Runtime.signals), broken=_broken(kind, row.name) if row else None,
    )  # fmt: skip


def _broken(kind: ComputedKind, name: str) -> dict[str, str] | None:
    """Under which key it runs and how it failed, when it did."""
    key = f"{OWN}.{name}" if kind.name == "formula" else name
    why = runtime().call(lambda self: self.engine.graph.broken.get(key))
    return {"key": key, "why": why} if why else None


def _preview(kind: ComputedKind, typed: Mapping[str, Any], name: str) -> Any:
    definition, _, wrong = _made(kind, typed, name if is_part(name) else "it")
    if definition is None:
        return {"wrong": wrong}
    return runtime().call(lambda self: self.computations.preview(definition))


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
    name = snake(str(typed.get("name", "")), "")
    definition, choices, wrong = _made(found, typed, name if is_part(name) else "it")
    if problem := _name_problem(found, name):
        wrong["name"] = problem
    if definition is None or wrong:
        return _page(found, typed, wrong, None), 422
    return _keep(None, found, name, choices)


def _keep(row_id: int | None, kind: ComputedKind, name: str, choices: Mapping[str, Any]) -> ResponseReturnValue:
    at = now()
    kept_id = store().write(lambda session: stored.keep(session, row_id, kind.name, name, choices, at).id)
    runtime().call(Runtime.refresh_computed, kept_id or 0)
    first = next(iter(build(kind.name, name, choices).outputs()))
    flash(f"{'Changed' if row_id else 'Kept as'} {first}.", "next:" + url_for("overlays.new", signal=first))
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
    definition, choices, wrong = _made(kind, typed, row.name)
    if definition is None:
        return _page(kind, typed, wrong, row), 422
    return _keep(row_id, kind, row.name, choices)


@blueprint.post("/computed/<int:row_id>/remove")
def remove(row_id: int) -> ResponseReturnValue:
    """Compute it no more."""
    row, at = _row(row_id), now()
    store().write(lambda session: stored.remove(session, row_id, at))
    runtime().call(Runtime.refresh_computed, row_id)
    flash(f"{row.name} is not computed any more.", "undo:" + url_for("computed.restore", row_id=row_id))
    return redirect(url_for("signals.show"))


@blueprint.post("/computed/<int:row_id>/restore")
def restore(row_id: int) -> ResponseReturnValue:
    """Compute it again, from the log."""

    def job(session: Session) -> ComputedRow | None:
        return stored.remove(session, row_id, None)

    row = store().write(job)
    if row is None:
        abort(404)
    runtime().call(Runtime.refresh_computed, row_id)
    flash(f"{row.name} is computed again.", "said")
    return redirect(url_for("signals.show"))


@blueprint.post("/computed/rebuild/<key>")
def rebuild(key: str) -> ResponseReturnValue:
    """Build a computation that failed anew, from the log."""

    async def job(self: Runtime) -> tuple[Definition | None, bool]:
        await self.computations.rebuild([key])
        return self.engine.graph.definition(key), key in self.engine.graph.broken

    definition, stopped = runtime().call(job)
    if definition is None:
        abort(404)
    if stopped:
        flash("It stopped again at the same error. Change how it is set up, or tell us.", "wrong")
    else:
        flash("It goes on, built anew from the log.", "said")
    is_instrument = isinstance(definition, Setup)
    return redirect(url_for("instruments.edit", name=key) if is_instrument else url_for("signals.show"))
