"""The page of signals: every value, how fresh it is, and its last ten minutes."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, abort, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.core.signals.assignments import AIR_FEED, SCENE_FEED, SCRIPT_FEED, SEEN_FEED
from tesoura.core.values import Signal
from tesoura.runtime.computations import defined
from tesoura.runtime.facade import Runtime
from tesoura.store import computed as stored_computed
from tesoura.web.shared.doors import now, runtime, store

_OWN = {SCRIPT_FEED: "From scripts", SCENE_FEED: "What viewers have", AIR_FEED: "What viewers have",
        SEEN_FEED: "What viewers have"}  # fmt: skip
blueprint = Blueprint("signals", __name__, url_prefix="/signals")


def _found() -> dict[str, Any]:
    """The signals whose name or unit has all the words looked for, by where they come from."""
    words = request.args.get("find", "").casefold().split()

    def gather(self: Runtime) -> tuple[list[Signal], set[str]]:
        return self.signals(trails=True), {report.name for report in self.feeds.reports()}

    every, feeds = runtime().call(gather)
    edit: dict[str, int] = {}
    for row in store().read(stored_computed.all_computed):
        definition = defined(row)
        for name in definition.outputs() if definition else ():
            edit[name] = row.id or 0
    groups: dict[str, list[Signal]] = {"From feeds": [], "Computed": [], "From scripts": [], "From events": [],
                                       "What viewers have": []}  # fmt: skip
    for one in every:
        if all(word in f"{one.name} {one.unit}".casefold() for word in words):
            groups[_group(one.name, feeds, edit)].append(one)
    return {
        "groups": {words: signals for words, signals in groups.items() if signals},
        "edit": edit,
        "now": now(),
        "find": request.args.get("find", ""),
    }


def _group(name: str, feeds: set[str], computed: dict[str, int]) -> str:
    feed = name.partition(".")[0]
    if name in computed:
        return "Computed"
    return "From feeds" if feed in feeds else _OWN.get(feed, "From events")


@blueprint.get("/")
def show() -> ResponseReturnValue:
    """All signals."""
    return render_template("signals/show.html", **_found())


@blueprint.get("/<name>/why")
def why(name: str) -> ResponseReturnValue:
    """What stands behind a signal: the events that changed it, its readings, the signals it is computed from."""
    found = runtime().call(Runtime.explain, name)
    if found is None:
        abort(404)
    return render_template("signals/why.html", it=found)


@blueprint.get("/table")
def table_fragment() -> ResponseReturnValue:
    """The table alone."""
    return render_template("signals/_table.html", **_found())
