"""Runs: a route edited in place, taken along and brought in; a split's own page; all attempts as a table."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import date
from typing import TYPE_CHECKING, Any, cast

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.computed.occurrence import instant
from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.overlays.pieces.kind import media
from tesoura.core.runs.route import MOST_FILE, Route, route_file, route_table
from tesoura.errors import Invalid, InvalidField, InvalidPiece
from tesoura.store.exports import table_line
from tesoura.store.tables import ComputedRow
from tesoura.web.instruments.views import row_of
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime
from tesoura.web.shared.shown import zone

if TYPE_CHECKING:
    from tesoura.core.instruments.run.commands import Run
    from tesoura.core.runs.history import PastAttempt

blueprint = Blueprint("runs", __name__, url_prefix="/instruments")
SPLIT_FIELDS: Mapping[str, Field] = {
    "name": Field("Name", text(200)),
    "group": Field("Group", text(200, empty=True)),
    "picture": Field("Picture", media, kind="picture", help="Shown with the current split."),
    "save": Field(
        "Saved game", text(20, empty=True), kind="save", help="Restored with one press while this split is current."
    ),
}
ATTEMPT_COLUMNS = (
    "attempt",
    "route",
    "began",
    "ended",
    "ended_in",
    "through",
    "hits",
    "fight_hits",
    "way_hits",
    "splits_passed",
    "seconds",
)
DAYS_SHOWN = 14


def _run(name: str) -> tuple[ComputedRow, Run]:
    row = row_of(name)
    standing = runtime().call(lambda self: self.instruments.standing(name))
    if standing is None or row.kind != "run":
        abort(404)
    return row, cast("Run", standing.instrument)


def _route(name: str) -> tuple[Run, Route]:
    _, run = _run(name)
    route = run.route_of(request.args.get("route", run.route_id))
    if route is None:
        abort(404)
    return run, route


@blueprint.post("/<name>/route/<command>")
def edit(name: str, command: str) -> ResponseReturnValue:
    """Change a route; what was done in words, and what takes it back."""
    from tesoura.core.instruments.run.routes import DOES

    if command not in (*DOES, "choose_route"):
        abort(404)
    _run(name)
    given = request.get_json(silent=True)
    if not isinstance(given, dict):
        return {"wrong": "Send an object with the parameters."}, 422
    try:
        done = act("instrument.command", **{**given, "instrument": name, "command": command})
    except InvalidPiece as error:
        return {"wrong": " ".join(error.wrong.values())}, 422
    except Invalid as error:
        return {"wrong": str(error)}, 422
    undo = dict(done.undo.given) if done.undo else {}
    back = {"command": undo.pop("command"), "given": {key: one for key, one in undo.items() if key != "instrument"}}
    return {"words": done.words, "undo": back if done.undo else None}


@blueprint.get("/<name>/splits/<split>")
def split(name: str, split: str) -> ResponseReturnValue:
    """A split's own page."""
    row, run = _run(name)
    found = next((one for route in run.routes for one in route.splits if one.id == split), None)
    if found is None:
        abort(404)
    return render_template(
        "instruments/run/split.html",
        row=row,
        split=found,
        fields=SPLIT_FIELDS,
        typed={"name": found.name, "group": found.group, "picture": found.picture, "save": found.save},
        count=run.attempt.of(found.id),
    )


@blueprint.post("/<name>/routes")
def bring(name: str) -> ResponseReturnValue:
    """Bring a route in out of a file."""
    _run(name)
    sent = request.files.get("file")
    try:
        data = sent.read(MOST_FILE * 4 + 1) if sent and sent.filename else b""
        if not data:
            raise InvalidField("Choose a file first.")
        try:
            words = data.decode("utf-8-sig")
        except UnicodeDecodeError:
            raise InvalidField("The file is not UTF-8 text. Save it as UTF-8, then import it.") from None
        title = (
            sent.filename.rpartition(".")[0] if sent and sent.filename and not words.lstrip().startswith("{") else ""
        )
        flash(act("instrument.command", instrument=name, command="bring_route", file=words, title=title).words, "said")
    except InvalidField as error:
        flash(str(error), "wrong")
    return redirect(url_for("instruments.show", name=name, part="setup") + "#route")


@blueprint.get("/<name>/route.json")
def as_json(name: str) -> ResponseReturnValue:
    """A route as a file that comes in again."""
    run, route = _route(name)
    told = json.dumps(route_file(route, run.plan.game), ensure_ascii=False, indent=1)
    return Response(told, mimetype="application/json", headers=_attached(f"{name}-route.json"))


@blueprint.get("/<name>/route.csv")
def as_table(name: str) -> ResponseReturnValue:
    """A route as a table that comes in again."""
    _, route = _route(name)
    lines = [table_line(("split", "group")), *(table_line(row) for row in route_table(route))]
    return Response("".join(lines), mimetype="text/csv", headers=_attached(f"{name}-route.csv"))


@blueprint.get("/<name>/attempts.csv")
def attempts(name: str) -> ResponseReturnValue:
    """All attempts of a run, at all of its routes."""
    _, run = _run(name)
    titles = {one.id: one.name for one in run.routes}
    splits = {one.id: one.name for route in run.routes for one in route.splits}
    lines = [table_line(ATTEMPT_COLUMNS)]
    for one in run.history.attempts:
        end = one.ended_in(run.plan.rule)
        row = (
            one.number,
            titles.get(one.route, ""),
            instant(one.began).isoformat(timespec="seconds"),
            instant(one.over).isoformat(timespec="seconds"),
            splits.get(end or "", ""),
            "yes" if one.through else "no",
            one.hits(run.plan.rule),
            sum(each.fight for each in one.splits),
            sum(each.way for each in one.splits),
            one.passed,
            round(one.us / 1e6, 3),
        )
        lines.append(table_line([str(each) for each in row]))
    return Response("".join(lines), mimetype="text/csv", headers=_attached(f"{name}-attempts.csv"))


def _attached(name: str) -> dict[str, str]:
    return {"Content-Disposition": f'attachment; filename="{name}"'}


@blueprint.app_template_global("run_days")
def days(run: Run) -> list[dict[str, Any]]:
    """Attempts at the route that is run, by day of the user's zone, the last day first."""
    found: dict[date, list[PastAttempt]] = {}
    for one in run.history.attempts:
        if one.route == run.route_id:
            found.setdefault(instant(one.began).astimezone(zone()).date(), []).append(one)
    rule, names = run.plan.rule, [one.name for one in run.route.splits]
    lines = []
    for day in sorted(found, reverse=True)[:DAYS_SHOWN]:
        far = max(one.got_through(rule) for one in found[day])
        lines.append(
            {
                "words": f"{day:%a} {day.day} {day:%b %Y}",
                "attempts": len(found[day]),
                "furthest": names[far] if far < len(names) else "through",
                "through": sum(one.through and one.ended_in(rule) is None for one in found[day]),
            }
        )
    return lines
