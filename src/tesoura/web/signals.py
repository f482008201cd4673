"""The page of signals: every value, how fresh it is, and its last ten minutes."""

from __future__ import annotations

from flask import Blueprint, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.core.values import Signal
from tesoura.runtime import SCRIPT_FEED, Runtime
from tesoura.web.doors import now, runtime

blueprint = Blueprint("signals", __name__, url_prefix="/signals")


def _found() -> dict[str, list[Signal]]:
    """The signals whose name or unit has all the words looked for, by where they come from."""
    words = request.args.get("find", "").casefold().split()

    def gather(self: Runtime) -> tuple[list[Signal], set[str]]:
        return self.signals(trails=True), {report.name for report in self.feeding.reports()}

    every, feeds = runtime().call(gather)
    groups: dict[str, list[Signal]] = {"From feeds": [], "From scripts": [], "From events": []}
    for one in every:
        if all(word in f"{one.name} {one.unit}".casefold() for word in words):
            feed = one.name.partition(".")[0]
            groups["From feeds" if feed in feeds else "From scripts" if feed == SCRIPT_FEED else "From events"].append(
                one
            )
    return {words: signals for words, signals in groups.items() if signals}


@blueprint.get("/")
def show() -> ResponseReturnValue:
    """All signals."""
    return render_template("signals/show.html", groups=_found(), now=now(), find=request.args.get("find", ""))


@blueprint.get("/table")
def table_fragment() -> ResponseReturnValue:
    """The table alone."""
    return render_template("signals/_table.html", groups=_found(), now=now(), find=request.args.get("find", ""))
