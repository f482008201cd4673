"""Wheels: spins to be checked, by a page of Tesoura and by one that needs none."""

from __future__ import annotations

import json
from importlib.resources import files

from flask import Blueprint, Response, abort, jsonify, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.core.wheel.draw import SPIN_RECORD
from tesoura.runtime.facade import Runtime
from tesoura.store import spins as signed_spins
from tesoura.store.tables import ComputedRow
from tesoura.web.instruments.views import row_of
from tesoura.web.shared.doors import runtime, store

blueprint = Blueprint("wheels", __name__, url_prefix="/instruments")
MOST_SHOWN = 20
TOLD = ("number", "who", "field", "chance_pct", "came", "hash", "opened", "weights", "fields")


def _wheel(name: str) -> ComputedRow:
    row = row_of(name)
    if row.kind != "wheel":
        abort(404)
    return row


def _spins(name: str, most: int | None = None) -> list[dict[str, object]]:
    """What anybody needs to check each spin, signed, the newest first."""
    found: list[dict[str, object]] = []
    for kept in runtime().call(Runtime.records, name, SPIN_RECORD):
        data = kept.record.data
        found.append({"at": kept.record.at.isoformat(), **{key: data.get(key) for key in TOLD}})
    return signed_spins.signed(found[::-1], store().secrets)[::-1][:most]


@blueprint.get("/<name>/spins.json")
def spins(name: str) -> ResponseReturnValue:
    """All spins with what is needed to check them."""
    _wheel(name)
    answer = jsonify(_spins(name))
    answer.headers["Content-Disposition"] = f'attachment; filename="{name}-spins.json"'
    return answer


@blueprint.get("/<name>/check")
def check(name: str) -> ResponseReturnValue:
    """The page that checks spins; with `alone`, as a file that needs no Tesoura."""
    row, told = _wheel(name), json.dumps(_spins(name, MOST_SHOWN), ensure_ascii=False, indent=1)
    if "alone" not in request.args:
        return render_template("instruments/wheel/check.html", row=row, told=told)
    script = files("tesoura.web").joinpath("static/js/wheel/check.js").read_text("utf-8")
    page = render_template("instruments/wheel/check_alone.html", row=row, told=told, script=script)
    headers = {"Content-Disposition": f'attachment; filename="{name}-check.html"'}
    return Response(page, mimetype="text/html", headers=headers)
