"""The outside API: signals in and out; events come in by `intake.py`. Its keys are made under Preferences."""

from __future__ import annotations

import math
from typing import Any

from flask import Blueprint, Response, g, jsonify, request
from flask.typing import ResponseReturnValue

from tesoura.actions.schema import fields_schema
from tesoura.core.names import closest, is_signal_name, snake
from tesoura.core.signals.assignments import SCRIPT_FEED
from tesoura.core.values import Signal, as_scalar
from tesoura.errors import Invalid, InvalidField, KeyRefused, Unreadable, ValueRefused
from tesoura.runtime.facade import Runtime
from tesoura.runtime.instruments import InstrumentState
from tesoura.runtime.preferences import SCENE_SIGNAL
from tesoura.web.api.description import describe
from tesoura.web.api.models import parsed, read_value, whose
from tesoura.web.cues.views import sentence_of
from tesoura.web.desk.hand import change, controls
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime, store
from tesoura.web.shared.errors import problem

blueprint = Blueprint("api", __name__, url_prefix="/api")
MOST_RECORDS = 1_000
WITHOUT_KEY = ("api.openapi",)


@blueprint.before_request
def check_key() -> Response | None:
    """Let only those in who bring a key that works."""
    if request.endpoint in WITHOUT_KEY:
        return None
    try:
        g.actor = "key:" + whose(request.headers.get("Authorization", ""), store().key_name)
    except KeyRefused as error:
        response = problem(401, error.title, error.detail)
        response.headers["WWW-Authenticate"] = "Bearer"
        return response
    return None


def _body() -> object:
    return parsed(request.get_data())


@blueprint.errorhandler(Unreadable)
def unreadable(error: Unreadable) -> Response:
    """What was sent cannot be taken."""
    status = 422 if error.wrong else 400
    return problem(status, "Not accepted", error.detail, errors=error.wrong)


@blueprint.get("/signals")
def signals() -> ResponseReturnValue:
    """All signals."""
    return jsonify([_signal(one) for one in runtime().call(Runtime.signals)])


@blueprint.get("/signals/<name>")
def signal(name: str) -> ResponseReturnValue:
    """One signal."""
    found = runtime().call(Runtime.signal, name.lower())
    if found is None:
        near = closest(name.lower(), [one.name for one in runtime().call(Runtime.signals)])
        hint = f"Did you mean {near}?" if near else "GET /api/signals lists all signals."
        return problem(404, f"There is no signal {name[:100]}", hint)
    return _signal(found)


@blueprint.get("/signals/<name>/why")
def why(name: str) -> ResponseReturnValue:
    """What stands behind a signal: the events that changed it, its readings, the signals it is computed from."""
    found = runtime().call(Runtime.explain, name.lower())
    if found is None:
        return problem(404, f"There is no signal {name[:60]}", "GET /api/signals lists all signals.")
    return {
        **_signal(found.signal),
        "changed_by": [
            {
                "event": one.logged.seq,
                "type": one.logged.event.type,
                "at": one.logged.event.time.isoformat(),
                "actor": one.logged.event.actor,
                "before": one.before,
                "after": one.after,
            }
            for one in found.events
        ],
        "readings": [{"at": one.observed_at.isoformat(), "value": one.value} for one in found.found],
        "computed_from": [_signal(one) for one in found.reads],
        "partly": found.partly,
    }


@blueprint.put("/signals/<name>")
def put_signal(name: str) -> ResponseReturnValue:
    """Set a signal of the script feed, or the present scene; `lamp` is short for `script.lamp`."""
    full = name.lower() if "." in name else f"{SCRIPT_FEED}.{name.lower()}"
    if not is_signal_name(full):
        return problem(
            422,
            f"{name[:60]} is not a signal's name",
            f"Use lower case letters, digits and _, and one dot: {SCRIPT_FEED}."
            f"{snake(name.removeprefix(f'{SCRIPT_FEED}.').replace('.', '_'), 'lamp_on')[:48]}",
        )
    if full == runtime().preferences.scene_signal == SCENE_SIGNAL:
        scene = " ".join(str(read_value(_body()).value).split())[:60]
        act("scene.set", scene=scene)
        signal = runtime().call(Runtime.signal, full)
        assert signal is not None
        return _signal(signal)
    if not full.startswith(f"{SCRIPT_FEED}."):
        own = f"{SCRIPT_FEED}.{full.replace('.', '_')}"
        there = full.partition(".")[0] in runtime().call(Runtime.names_taken)
        detail = "It belongs to a feed or an event." if there else f"There is no feed {full.partition('.')[0]}."
        detail += f" Scripts set their own signals: PUT /api/signals/{own}"
        return problem(409, f"{full} can't be set", detail)
    given = read_value(_body())
    if isinstance(given.value, float) and not math.isfinite(given.value):
        return problem(422, "Not accepted", "value must be a finite number.")
    try:
        value = as_scalar(given.value)
    except ValueRefused as error:
        return problem(422, "Not accepted", str(error))
    act("signal.set", name=full, value=value, unit=given.unit or "", fresh_for_s=given.fresh_for_s)
    signal = runtime().call(Runtime.signal, full)
    assert signal is not None
    return _signal(signal)


@blueprint.put("/hand/<name>")
def put_by_hand(name: str) -> ResponseReturnValue:
    """Set a value that is set by hand, or take a step: `{"value": 3}` or `{"step": 1}`."""
    wish = _body()
    if not isinstance(wish, dict) or set(wish) not in ({"value"}, {"step"}):
        return problem(422, "Not accepted", 'Send {"value": 3}, or {"step": 1} for one step up.')
    try:
        signal = change(name.lower(), wish)
    except InvalidField as error:
        return problem(422, "Not accepted", str(error))
    if signal is None:
        names = ", ".join(one["name"] for one in controls()) or "none yet; create one under Feeds"
        return problem(404, f"There is no hand-set value {name[:60]}", f"There are: {names}.")
    return _signal(signal)


@blueprint.get("/instruments")
def all_instruments() -> ResponseReturnValue:
    """All instruments: their values, and the commands that each knows."""
    return jsonify([_instrument(one) for one in runtime().call(lambda self: self.instruments.all())])


@blueprint.get("/instruments/<name>/records")
def records(name: str) -> ResponseReturnValue:
    """What an instrument has written down for good, the newest first."""
    if runtime().call(lambda self: self.instruments.standing(name.lower())) is None:
        return problem(404, f"There is no instrument {name[:60]}", "GET /api/instruments lists all instruments.")
    kept = runtime().call(Runtime.records, name.lower(), request.args.get("kind", ""), MOST_RECORDS)
    return jsonify(
        [
            {"kind": one.record.kind, "at": one.record.at.isoformat(), "event": one.seq, **one.record.data}
            for one in kept
        ]
    )


@blueprint.post("/instruments/<name>/<command>")
def command(name: str, command: str) -> ResponseReturnValue:
    """Give an instrument a command, with what belongs to it: `{"by": "3 min"}`. Nothing changes when it is refused."""
    given = _body() if request.get_data() else {}
    if not isinstance(given, dict):
        return problem(422, "Not accepted", 'Send the parameters of the command, such as {"by": "3 min"}.')
    full = name.lower()
    if runtime().call(lambda self: self.instruments.standing(full)) is None:
        names = (
            ", ".join(one.name for one in runtime().call(lambda self: self.instruments.setups("instruments"))) or "none"
        )
        return problem(404, f"There is no instrument {name[:60]}", f"There are: {names}.")
    try:
        done = act("instrument.command", **{**given, "instrument": full, "command": command})
    except Invalid as error:
        return problem(422, "Not done", str(error))
    standing = runtime().call(lambda self: self.instruments.standing(full))
    assert standing is not None
    return {**_instrument(standing), "effect": done.result["effect"]}


@blueprint.get("/cues")
def all_cues() -> ResponseReturnValue:
    """All cues: how each stands, and its sentence."""
    found = runtime().call(lambda self: self.instruments.all("cues"))
    return jsonify([{**_instrument(one), "sentence": sentence_of(one)} for one in found])


@blueprint.post("/cues/<name>/press")
def press_cue(name: str) -> ResponseReturnValue:
    """Fire a cue; its limits hold. `{"person": "bolt_uncle"}` says for whom."""
    given = _body() if request.get_data() else {}
    if not isinstance(given, dict) or not set(given) <= {"person", "by"}:
        return problem(422, "Not accepted", 'Send nothing, or {"person": "bolt_uncle"}.')
    full = name.lower()
    cues = runtime().call(lambda self: self.instruments.all("cues"))
    if full not in [one.setup.name for one in cues]:
        names = ", ".join(one.setup.name for one in cues) or "none"
        return problem(404, f"There is no cue {name[:60]}", f"There are: {names}.")
    try:
        done = act("instrument.command", **{**given, "instrument": full, "command": "press"})
    except Invalid as error:
        return problem(422, "Not done", str(error))
    return {"name": full, "effect": done.result["effect"]}


@blueprint.get("/openapi.json")
def openapi() -> ResponseReturnValue:
    """The API, described."""
    return jsonify(describe())


def _instrument(one: InstrumentState) -> dict[str, Any]:
    kind = one.setup.kind_of
    return {
        "name": one.setup.name,
        "kind": kind.name,
        "title": one.setup.title,
        "values": dict(one.values),
        "freshness": one.freshness.value,
        **({"items": [{"id": item.id, **item.values} for item in one.items]} if kind.items else {}),
        "commands": {known.name: list(known.fields) for known in kind.all_commands},
        "described": [
            {"name": known.name, "title": known.label, "about": known.about, "parameters": fields_schema(known.fields)}
            for known in kind.all_commands
        ],
    }


def _signal(one: Signal) -> dict[str, Any]:
    return {
        "name": one.name,
        "value": one.value,
        "unit": one.unit,
        "observed_at": one.observed_at.isoformat() if one.observed_at else None,
        "freshness": one.freshness.value,
    }
