"""When a value reached a number: each time in a stream session, from the log and the readings."""

from __future__ import annotations

from datetime import timedelta

from flask import Blueprint, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.core.cues.crossings import Crosses
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.runtime.facade import Runtime
from tesoura.runtime.rehearsal import Question
from tesoura.web.cues.past import past_of
from tesoura.web.shared.doors import runtime
from tesoura.web.shared.shown import zone

blueprint = Blueprint("reached", __name__, url_prefix="/log")
_ASKED = ("signal", "way", "level")


@blueprint.get("/reached")
def show() -> ResponseReturnValue:
    """The answer: when, to what value, by which event."""
    fields = {name: KINDS["cue"].fields[name] for name in _ASKED}
    # A number may be typed as it is shown, 1,000.
    typed = {name: given.strip().replace(",", "") for name in _ASKED if (given := request.args.get(name, ""))}
    filled = fill(fields, {"when": "crosses", **typed})
    there = runtime().call(lambda self: {one.name for one in Runtime.signals(self)})
    wrong = dict(filled.wrong)
    if "signal" not in wrong and filled.choices["signal"] not in there:
        wrong["signal"] = f"There is no signal {filled.choices['signal'][:60]}."
    if wrong:
        return render_template("log/_reached.html", wrong=wrong)
    past, level = past_of(request.args.get("past", "")), float(filled.choices["level"])
    question = Question(Crosses(filled.choices["signal"], level, level, filled.choices["way"] == "up"))
    told = past.rehearse(question)
    # The log until just behind each.
    behind = [(one.at + timedelta(seconds=1)).astimezone(zone()) for one in told.found.latest]
    until = [one.replace(tzinfo=None).isoformat(timespec="seconds") for one in behind]
    times = list(zip(told.found.latest, until, strict=True))
    return render_template("log/_reached.html", wrong={}, question=question, past=past, told=told, times=times)
