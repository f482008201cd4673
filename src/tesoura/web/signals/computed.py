"""Computed signals: formulas, windows, chains, goals, changes; seen live while they are written."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, abort, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.actions.action import Doing
from tesoura.actions.computed_setup import made_of
from tesoura.core.computed.definitions import COMPUTED, ComputedKind
from tesoura.core.computed.derived import OWN
from tesoura.core.language.functions import FUNCTIONS
from tesoura.core.names import is_part, snake
from tesoura.errors import InvalidPiece
from tesoura.runtime.facade import Runtime
from tesoura.store import computed as stored
from tesoura.store.tables import ComputedRow
from tesoura.web.shared.doors import runtime, store
from tesoura.web.shared.typed import as_typed, typed_form

blueprint = Blueprint("computed", __name__, url_prefix="/signals")


def _kind(name: str) -> ComputedKind:
    if name not in COMPUTED:
        abort(404)
    return COMPUTED[name]


@blueprint.get("/new")
def choose() -> ResponseReturnValue:
    """Which kind of computed signal."""
    return render_template("computed/choose.html", kinds=COMPUTED.values())


def _page(kind: ComputedKind, typed: Mapping[str, Any], row: ComputedRow | None) -> str:
    return render_template(
        "computed/edit.html",
        kind=kind,
        typed=typed,
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
    known = name if is_part(name) else "it"

    def look(self: Runtime) -> Any:
        return self.computations.preview(made_of(Doing(self, "desk"), kind, typed, known)[0])

    try:
        return runtime().call(look)
    except InvalidPiece as error:
        return {"wrong": error.wrong}


@blueprint.post("/try/<kind>")
def attempt(kind: str) -> ResponseReturnValue:
    """What it would tell now."""
    found, typed = _kind(kind), typed_form()
    name = snake(str(typed.get("name", "")), "it")
    return render_template("computed/_preview.html", preview=_preview(found, typed, name))


@blueprint.get("/new/<kind>")
def new(kind: str) -> ResponseReturnValue:
    """The form for a new computed signal."""
    return _page(_kind(kind), request.args.to_dict(), None)


def _row(row_id: int) -> ComputedRow:
    row = store().read(lambda session: stored.get(session, row_id))
    if row is None or row.kind not in COMPUTED:
        abort(404)
    return row


@blueprint.get("/computed/<int:row_id>")
def edit(row_id: int) -> ResponseReturnValue:
    """The form of a computed signal; what it counts is recomputed from the log after a change."""
    row = _row(row_id)
    kind = COMPUTED[row.kind]
    return _page(kind, as_typed(kind.fields, row.choices), row)
