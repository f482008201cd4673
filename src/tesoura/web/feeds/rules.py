"""Making events of what a feed brings: a rule, tried on what came last before it is kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from flask import Blueprint, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.actions import feed_picks
from tesoura.core.names import snake
from tesoura.core.signals.payload import suggested_name
from tesoura.errors import InvalidPiece
from tesoura.feeds.rules import EventRule
from tesoura.store.tables import FeedRow
from tesoura.web.feeds.views import feed_row
from tesoura.web.shared.doors import runtime

blueprint = Blueprint("rules", __name__, url_prefix="/feeds/<name>/rules")


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


def _making(row: FeedRow) -> Making:
    typed: dict[str, Any] = {
        name: request.form.get(name, "").strip() for name in ("type", "items", "id_path", "time_path", "fields")
    }
    items = typed["items"]
    kind = typed["type"] or (snake(suggested_name(items)).removesuffix("s") if items else "")
    shown = Making(**{**typed, "type": kind})
    try:
        rule = EventRule(0, **feed_picks.rule_choices({**typed, "type": kind}))
    except InvalidPiece as error:
        return replace(shown, wrong=error.wrong)
    made, problem, _ = runtime().call(lambda self: self.feeds.try_rule(row.name, rule))
    return replace(shown, made=tuple(made), problem=problem)


@blueprint.post("/try")
def attempt(name: str) -> ResponseReturnValue:
    """What a rule makes of the latest response: the whole panel, or only its preview."""
    row = feed_row(name)
    template = "feeds/_made.html" if request.form.get("only") == "proof" else "feeds/_making.html"
    return render_template(template, row=row, making=_making(row))
