"""Cues: the list in sentences, one being made, what it would have done, and what it did."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import islice
from typing import Any
from urllib.parse import urlencode

from flask import Blueprint, abort, current_app, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.actions.computed_setup import filled_instrument
from tesoura.core.cues.crossings import Crosses
from tesoura.core.cues.cue import FIRES, RECORD, Cue, CuePlan
from tesoura.core.cues.happenings import Happens
from tesoura.core.cues.setup import GROUPS, STEPS, group_of, plan, sentence
from tesoura.core.cues.starters import STARTERS
from tesoura.core.cues.triggers import Trigger
from tesoura.core.forms.fields import Field
from tesoura.core.forms.form import Filled
from tesoura.core.instruments.registry import KINDS
from tesoura.core.nearest import nearest
from tesoura.core.values import Scalar
from tesoura.errors import Invalid
from tesoura.runtime.instruments import InstrumentState
from tesoura.runtime.rehearsal import Rehearsed
from tesoura.store import computed as stored
from tesoura.store import log as event_log
from tesoura.store.log import Logged
from tesoura.store.tables import ComputedRow
from tesoura.web.cues.past import offered, past_of
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import now, runtime, store
from tesoura.web.shared.shown import zone
from tesoura.web.shared.things import NOW, PART, Thing
from tesoura.web.shared.typed import as_typed, typed_form

blueprint = Blueprint("cues", __name__, url_prefix="/cues")
SHOWN = 20
IN_SIGHT = timedelta(seconds=6)
LOOKED_AT = 200
"""So far back the log is looked at when no stream session was begun."""


@dataclass(frozen=True, slots=True)
class Decision:
    """One of a cue's decisions as its page tells it: when, what, why or why not, and what became of its effects."""

    seq: int
    at: datetime
    outcome: str
    words: str
    why: str
    cause: int | None
    effects: tuple[Mapping[str, Any], ...] = ()
    more: int = 0


def row_of(name: str) -> ComputedRow:
    """The stored set-up of a cue, or 404."""
    found = store().read(lambda session: stored.by_name(session, name))
    if found is None or found.kind != "cue":
        abort(404)
    return found


def _standing(name: str) -> InstrumentState:
    found = runtime().call(lambda self: self.instruments.standing(name))
    if found is None or found.setup.kind != "cue":
        abort(404)
    return found


def _said(standing: InstrumentState) -> list[tuple[str, bool]]:
    it = standing.instrument
    assert isinstance(it, Cue)
    return sentence(it.plan)


def sentence_of(standing: InstrumentState) -> str:
    """A cue as one plain sentence."""
    return "".join(words for words, _ in _said(standing))


def _card(standing: InstrumentState, said: str = "", wrong: str = "") -> dict[str, Any]:
    return {"it": standing, "name": standing.setup.name, "sentence": _said(standing), "said": said, "wrong": wrong}


# The list


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All cues, in sentences, by their groups."""
    groups: dict[str, list[dict[str, Any]]] = {}
    for one in runtime().call(lambda self: self.instruments.all("cues")):
        groups.setdefault(str(one.setup.choices.get("group", "")), []).append(_card(one))
    gone = store().read(lambda session: [row for row in stored.removed(session) if row.kind == "cue"])
    return render_template("cues/index.html", groups=sorted(groups.items()), gone=gone[:6])


@blueprint.get("/<name>/card")
def card_fragment(name: str) -> ResponseReturnValue:
    """One cue of the list. What its last press led to stays in sight for a moment, however often it is drawn again."""
    at, said, wrong = _answers().get(name, (None, "", ""))
    if at is None or now() - at > IN_SIGHT:
        said = wrong = ""
    return render_template("cues/_card.html", **_card(_standing(name), said, wrong))


def _answers() -> dict[str, tuple[datetime, str, str]]:
    """What the last press of each cue led to, and when."""
    answers: dict[str, tuple[datetime, str, str]] = current_app.extensions.setdefault("cue answers", {})
    return answers


@blueprint.post("/<name>/do/<any(press, on, off, clear):command>")
def do(name: str, command: str) -> ResponseReturnValue:
    """Fire it, switch it on or off, send away who waits; its card as it is then."""
    _standing(name)
    said = wrong = ""
    try:
        by = {"by": "the desk"} if command == "press" else {}
        said = str(act("instrument.command", instrument=name, command=command, **by).result["effect"])
    except Invalid as error:
        wrong = str(error)
    _answers()[name] = (now(), said, wrong)
    if not request.headers.get("HX-Request"):
        flash(said or wrong, "wrong" if wrong else "said")
        return redirect(url_for("cues.show", name=name))
    return render_template("cues/_card.html", **_card(_standing(name), said, wrong)), 422 if wrong else 200


# One cue


def _groups() -> list[tuple[str, list[dict[str, Field]]]]:
    """The form's fields under their headings, in rows: each step has one of its own."""
    fields = KINDS["cue"].fields
    found = []
    for words in GROUPS:
        own = {name: one for name, one in fields.items() if group_of(name) == words}
        rows = [{name: one for name, one in own.items() if name.endswith(f"_{at}")} for at in range(1, STEPS + 1)]
        first = {name: one for name, one in own.items() if not any(name in row for row in rows)}
        found.append((words, [row for row in (first, *rows) if row]))
    return found


def _page(typed: Mapping[str, Any], row: ComputedRow | None) -> dict[str, Any]:
    fields = KINDS["cue"].fields
    return {
        "row": row,
        "groups": _groups(),
        "typed": {name: value for name, value in typed.items() if name in fields and value != fields[name].default},
        "starters": () if row else [(one.words, f"{url_for('cues.new')}?{urlencode(one.choices)}") for one in STARTERS],
        "card": _card(_standing(row.name)) if row else None,
        "history": _history(row.name) if row else [],
    }


@blueprint.get("/new")
def new() -> ResponseReturnValue:
    """The form for a new cue."""
    return render_template("cues/new.html", **_page(request.args.to_dict(), None))


@blueprint.get("/<name>", defaults={"part": NOW})
@blueprint.get(f"/<name>/<{PART}:part>")
def show(name: str, part: str) -> ResponseReturnValue:
    """A sub-page of a cue: its state, its settings, its runs, or where it can be used."""
    row = row_of(name)
    thing = Thing(str(row.choices["title"]), name, "cues.show", ("Cues", url_for("cues.index")))
    page = _page(as_typed(KINDS["cue"].fields, row.choices), row)
    return render_template("cues/show.html", part=part, thing=thing, **page)


def filled_cue(typed: Mapping[str, Any]) -> tuple[Filled, CuePlan | None]:
    """What was typed so far, and the cue that it comes to, when it comes to one."""
    filled = filled_instrument(KINDS["cue"], {**typed, "title": str(typed.get("title", "")).strip() or "It"}, zone())
    almanac = runtime().call(lambda self: self.engine.graph.almanac)
    return filled, None if filled.wrong else plan("it", filled.choices, almanac)


@blueprint.post("/try")
def attempt() -> ResponseReturnValue:
    """A cue as a sentence while it is made; what it would have done is looked up behind that."""
    filled, made = filled_cue(typed_form())
    if made is None:
        return render_template("cues/_tried.html", wrong=filled.wrong, fields=KINDS["cue"].fields)
    reads = dict.fromkeys((*made.trigger.reads, *made.conditions.reads, *made.program.reads))
    values = runtime().call(lambda self: dict(self.engine.values))
    missing = [name for name in reads if name not in values]
    doubts = [*_doubtful_fields(made.trigger), *_doubtful_level(made.trigger, values)]
    return render_template("cues/_tried.html", wrong={}, sentence=sentence(made), missing=missing, doubts=doubts)


def _doubtful_fields(trigger: Trigger) -> list[str]:
    """The fields that it asks for and that no event of its type has told, each in a sentence."""
    if not isinstance(trigger, Happens) or not trigger.conditions:
        return []
    told = store().read(lambda session: event_log.recent_data(session, [trigger.type], LOOKED_AT))
    there = {key for data in told for key in data}
    found = []
    for name in dict.fromkeys(one.field for one in trigger.conditions):
        if told and name.partition(".")[0] not in there:
            near = nearest(name, there)
            found.append(f"No {trigger.type} so far has “{name}”." + (f" The nearest is {near}." if near else ""))
    return found


def _doubtful_level(trigger: Trigger, values: Mapping[str, Scalar]) -> list[str]:
    """That a value is a text, which reaches no level."""
    if not isinstance(trigger, Crosses):
        return []
    return [
        f"{name} is the text “{str(value)[:40]}” now: a text reaches no level."
        for name in trigger.reads
        if isinstance(value := values.get(name), str)
    ]


@blueprint.post("/would")
def would() -> ResponseReturnValue:
    """What a cue would have done with what is in the log, while it is made."""
    filled, made = filled_cue(typed_form())
    if made is None:
        return "", 200
    past = past_of(request.form.get("past", ""))
    pressed = filled.choices["when"] == "press"
    if not pressed:
        # Its conditions are those of that time, too.
        made = plan("it", filled.choices, past.ground.almanac)
    told = Rehearsed() if pressed else past.rehearse(made)
    return render_template(
        "cues/_would.html", told=told, found=told.found, pressed=pressed, past=past, sessions=offered()
    )


@blueprint.get("/<name>/history")
def history_fragment(name: str) -> ResponseReturnValue:
    """What it did lately."""
    row = row_of(name)
    return render_template("cues/_history.html", row=row, history=_history(name))


def _history(name: str) -> list[Decision]:
    def ask(session: Any) -> list[Decision]:
        last = event_log.last_seq(session)
        found = islice(event_log.backwards(session, [RECORD + name], last), SHOWN)
        return [_decision(one, _ended(session, one)) for one in found]

    return store().read(ask)


def _ended(session: Any, one: Logged) -> tuple[Mapping[str, Any], ...]:
    """What became of the effects of a firing."""
    if one.event.data.get("outcome") != FIRES:
        return ()
    begun = event_log.caused_by(session, one.seq)
    ended = [end.event.data for start in begun for end in event_log.caused_by(session, start.seq)]
    return tuple(data for data in [*ended, *(start.event.data for start in begun)] if "outcome" in data and data)


def _decision(one: Logged, effects: tuple[Mapping[str, Any], ...]) -> Decision:
    data = one.event.data
    return Decision(
        one.seq,
        one.event.time,
        str(data.get("outcome")),
        str(data.get("words", "")),
        str(data.get("why", "")),
        one.event.cause,
        effects,
        int(str(data.get("more", 0))),
    )
