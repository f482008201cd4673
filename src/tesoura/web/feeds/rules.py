"""Making events of what a feed brings: a rule, tried on what came last before it is kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.forms.checks import line
from tesoura.core.names import snake
from tesoura.core.signals.payload import suggested_name
from tesoura.errors import Invalid, InvalidField
from tesoura.feeds.rules import EventRule
from tesoura.store.tables import FeedRow
from tesoura.web.feeds.views import feed_page, feed_row
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime

blueprint = Blueprint("rules", __name__, url_prefix="/feeds/<name>/rules")
MAX_FIELDS = 30


@dataclass(frozen=True, slots=True)
class Making:
    """A rule being made: what was typed, what it makes of what came last, or what is wrong."""

    type: str
    items: str
    id_path: str
    time_path: str
    fields: str
    made: tuple[Any, ...] = ()
    problem: str | None = None
    wrong: Mapping[str, str] = field(default_factory=dict)


def fields_of(typed: str) -> dict[str, str]:
    """The fields that an event gets, one a line: `name = path`, or a path alone. Raises InvalidField."""
    fields: dict[str, str] = {}
    for one in typed.splitlines():
        if not one.strip():
            continue
        name, equals, path = (part.strip() for part in one.partition("="))
        path = path if equals else name
        fields[snake(name if equals else suggested_name(path))] = path
    if len(fields) > MAX_FIELDS:
        raise InvalidField(f"At most {MAX_FIELDS} fields.")
    return fields


def _making(row: FeedRow) -> tuple[Making, dict[str, Any] | None]:
    form = request.form
    items = form.get("items", "").strip()
    kind = form.get("type", "").strip() or (snake(suggested_name(items)).removesuffix("s") if items else "")
    wrong: dict[str, str] = {}
    fields: dict[str, str] = {}
    try:
        line(120)(kind)
    except InvalidField:
        wrong["type"] = "Say what happened, such as follow."
    if kind.startswith("tesoura."):
        wrong["type"] = "Types that begin with tesoura. are its own. Choose another."
    try:
        fields = fields_of(form.get("fields", ""))
    except InvalidField as error:
        wrong["fields"] = str(error)
    id_path, time_path = form.get("id_path", "").strip(), form.get("time_path", "").strip()
    paths: dict[str, Any] = {"id_path": id_path, "time_path": time_path}
    made, problem, _ = runtime().call(
        lambda self: self.feeds.try_rule(row.name, rule_of(0, kind or "event", items, fields=fields, **paths))
    )
    making = Making(
        kind, items, paths["id_path"], paths["time_path"], form.get("fields", ""), tuple(made), problem, wrong
    )
    if wrong or problem:
        return making, None
    return making, {"type": kind, "items": items, "fields": fields, **paths}


def rule_of(number: int, kind: str, items: str, **more: Any) -> EventRule:
    """A rule as the feeds know it; made by the runtime's own class, which the pages do not import."""
    return EventRule(number, kind, items, **more)


@blueprint.post("/try")
def attempt(name: str) -> ResponseReturnValue:
    """What a rule makes of what came last: the whole panel, or only its proof."""
    row = feed_row(name)
    making, _ = _making(row)
    template = "feeds/_made.html" if request.form.get("only") == "proof" else "feeds/_making.html"
    return render_template(template, row=row, making=making)


@blueprint.post("/")
def keep(name: str) -> ResponseReturnValue:
    """Keep a rule."""
    row = feed_row(name)
    making, made = _making(row)
    if made is None:
        return feed_page(row, 422, making=making)
    flash(act("feed.rule", feed=name, **made).words, "said")
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/<int:number>/remove")
def remove(name: str, number: int) -> ResponseReturnValue:
    """Make no more events by a rule."""
    done = act("feed.unrule", feed=feed_row(name).name, rule=number)
    assert done.undo is not None
    kept = {key: done.undo.given[key] for key in ("type", "items", "id_path", "time_path")}
    fields = "\n".join(f"{key} = {path}" for key, path in done.undo.given["fields"].items())
    flash(done.words, "undo:" + url_for("rules.restore", name=name, **kept, fields=fields))
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/restore")
def restore(name: str) -> ResponseReturnValue:
    """Make events by a rule again that was removed a moment ago."""
    given: dict[str, Any] = {key: request.args.get(key, "") for key in ("type", "items", "id_path", "time_path")}
    try:
        act("feed.rule", feed=feed_row(name).name, **given, fields=fields_of(request.args.get("fields", "")))
    except Invalid:
        abort(404)
    flash(f"It makes events of type {given['type']} again.", "said")
    return redirect(url_for("feeds.show", name=name))
