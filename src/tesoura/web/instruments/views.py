"""Instruments: setting one up, trying it, operating it. What differs by kind is its module and its template folder."""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from typing import Any

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.actions.computed_setup import filled_instrument
from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.fields import Field
from tesoura.core.forms.form import Fields
from tesoura.core.instruments.base import InstrumentKind
from tesoura.core.instruments.items import marks, rows_from_text
from tesoura.core.instruments.records import KeptRecord
from tesoura.core.instruments.registry import KINDS, of_room
from tesoura.core.instruments.runner import Setup
from tesoura.core.values import Scalar
from tesoura.errors import Ambiguous, InvalidField
from tesoura.runtime.facade import Runtime
from tesoura.runtime.instruments import InstrumentState
from tesoura.store import computed as stored
from tesoura.store import overlays as stored_overlays
from tesoura.store.exports import record_lines
from tesoura.store.tables import ComputedRow
from tesoura.web.desk.cards import cards
from tesoura.web.desk.panels import EffectNote, panel, panels
from tesoura.web.shared.acting import act, back_to
from tesoura.web.shared.doors import now, runtime, store
from tesoura.web.shared.offers import Offers
from tesoura.web.shared.shown import zone
from tesoura.web.shared.things import HISTORY, NOW, PART, SETUP, USE, Thing
from tesoura.web.shared.typed import as_typed, typed_form

blueprint = Blueprint("instruments", __name__, url_prefix="/instruments")
SHOWN_RECORDS = 50


def _kind(name: str) -> InstrumentKind:
    if name not in KINDS or KINDS[name].room != "instruments":
        abort(404)
    return KINDS[name]


def row_of(name: str) -> ComputedRow:
    """The stored set-up of an instrument, or the page that says that there is none."""
    found = store().read(lambda session: stored.by_name(session, name))
    if found is None or found.kind not in KINDS or KINDS[found.kind].room != "instruments":
        abort(404)
    return found


# Panels


def _standing(name: str) -> InstrumentState:
    found = runtime().call(lambda self: self.instruments.standing(name))
    if found is None:
        abort(404)
    return found


@blueprint.get("/<name>/panel")
def panel_fragment(name: str) -> ResponseReturnValue:
    """One panel."""
    return render_template("instruments/_panel.html", p=panel(_standing(name)))


def given_of(typed: Mapping[str, Any]) -> dict[str, Any]:
    """What was given with a command, without what the page adds."""
    return {key: value for key, value in typed.items() if key != "csrf_token" and value != ""}


@blueprint.post("/<name>/do/<command>")
def do(name: str, command: str) -> ResponseReturnValue:
    """Give an instrument a command; its panel as it is then, which says what was done or why nothing was."""
    _standing(name)
    said, asks, status = None, None, 200
    try:
        done = act("instrument.command", **given_of(request.form), instrument=name, command=command)
        said = EffectNote(str(done.result["effect"]))
    except InvalidField as error:
        said, status = EffectNote(str(error), True), 422
        asks = error if isinstance(error, Ambiguous) else None
    return _answer(name, said, asks, command, status)


def _answer(
    name: str, said: EffectNote, asks: Ambiguous | None = None, command: str = "", status: int = 200
) -> ResponseReturnValue:
    """An instrument's panel with what was done, or its page where no panel is asked for."""
    if not request.headers.get("HX-Request"):
        flash(said.words[:1].upper() + said.words[1:], "wrong" if said.wrong else "said")
        return redirect(back_to(url_for("instruments.show", name=name)))
    return render_template(
        "instruments/_panel.html", p=panel(_standing(name), said, asks, command, request.form if said.wrong else {})
    ), status


@blueprint.get("/<name>/effect/<command>")
def effect_fragment(name: str, command: str) -> ResponseReturnValue:
    """What a command would do, told before."""
    _standing(name)
    found = panel(_standing(name))["effect"](command, **given_of(request.args))
    return render_template("instruments/_effect.html", said=found)


@blueprint.app_template_global("control_id")
def control_id(name: str, command: str, given: Mapping[str, Any]) -> str:
    """What a control is known by when its panel is drawn anew: so the focus stays on it."""
    told = "-".join(str(one) for one in given.values())
    return f"do-{name}-{command}" + (f"-{zlib.crc32(told.encode('utf-8', 'surrogatepass')):x}" if told else "")


@blueprint.app_template_global("pages_showing")
def pages_showing(name: str) -> int:
    """How many viewers' pages have a piece of an instrument on them."""
    return runtime().call(lambda self: self.stage.pages_showing(name))


@blueprint.app_template_global("chat_presence")
def chat_presence(name: str) -> Any:
    """How the chat of this name stands; None when it is not joined."""
    return runtime().call(lambda self: self.links.standing(name)) if name else None


@blueprint.get(f"/<name>/live/<any({NOW}, {SETUP}, {HISTORY}):part>")
def live_fragment(name: str, part: str) -> ResponseReturnValue:
    """What an instrument's kind draws on one of its sub-pages."""
    row, standing = row_of(name), _standing(name)
    return render_template(
        f"instruments/{row.kind}/{part}.html", row=row, kind=KINDS[row.kind], it=standing, now=standing.values
    )


# Setting up


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All instruments."""
    kinds = [kind.name for kind in of_room("instruments")]
    gone = store().read(lambda session: [row for row in stored.removed(session) if row.kind in kinds])
    return render_template("instruments/index.html", panels=panels(), kinds=of_room("instruments"), gone=gone[:6])


@blueprint.get("/of-kind/<kind>")
def together_fragment(kind: str) -> ResponseReturnValue:
    """The instruments of a kind as one panel: that which is in use, or the one that was picked, and the choice."""
    found = [one for one in runtime().call(lambda self: self.instruments.all()) if one.setup.kind == kind]
    if not found or not found[0].setup.kind_of.together:
        abort(404)
    wanted = request.args.get("of", "")
    busy = next((one for one in found if KINDS[kind].in_use(one.values)), found[0])
    shown = next((one for one in found if one.setup.name == wanted), busy)
    return render_template("instruments/_together.html", kind=KINDS[kind], p=panel(shown), there=found)


@blueprint.get("/new")
def choose() -> ResponseReturnValue:
    """Which kind of instrument."""
    return render_template("instruments/choose.html", kinds=of_room("instruments"))


def grouped(fields: Fields) -> list[tuple[str, dict[str, Field]]]:
    """Fields under their headings."""
    found: dict[str, dict[str, Field]] = {}
    for name, field in fields.items():
        found.setdefault(field.group, {})[name] = field
    return list(found.items())


def _page(kind: InstrumentKind, typed: Mapping[str, Any], row: ComputedRow | None) -> dict[str, Any]:
    standing = runtime().call(lambda self: self.instruments.standing(row.name)) if row else None
    full = {**{name: field.default for name, field in kind.fields.items()}, **typed}
    return {
        "kind": kind,
        "typed": full,
        "row": row,
        "groups": grouped(kind.fields),
        "panel": panel(standing) if standing else None,
        "it": standing,
        "now": standing.values if standing else {},
        "marks": marks(standing.items) if standing and kind.items else {},
        "outputs": kind.outputs(row.choices) if row else {},
        "records": _records(row, kind),
        "fires": [one for one in kind.types(row.name, row.choices) if one.startswith(f"{row.name}.")] if row else [],
    }


def _from_log(kind: InstrumentKind, choices: Mapping[str, Any], name: str) -> dict[str, Any]:
    """What the signals are now, and what the log would make of them with other choices."""
    with_this = runtime().call(lambda self: self.computations.preview(Setup(kind.name, name or "it", choices)))
    then = {key.partition(".")[2]: one for key, one in with_this.values.items()}
    return {"now": _standing(name).values if name else {}, "then": then, "partly": with_this.partly}


MOST_SEEN, MOST_PASTED = 6, 100_000


def never_seen(kind: InstrumentKind, choices: Mapping[str, Any]) -> list[str]:
    """What was chosen by a name that nothing lately told, with the names that it did: a slip of the pen, perhaps."""
    found = []
    for name, field in kind.fields.items():
        if field.kind != "seen":
            continue
        told = choices.get(name, "")
        typed = [str(one) for one in (told if isinstance(told, list | tuple) else [told]) if str(one).strip()]
        seen = Offers.seen(field.of) if typed else []
        known = {one.casefold() for one in seen}
        for one in typed:
            if seen and one.casefold() not in known:
                there = ", ".join(seen[:MOST_SEEN]) + ("…" if len(seen) > MOST_SEEN else "")
                found.append(f"{field.label}: no recent event has “{one}”. Recent events have {there}.")
    return found


def preview(kind: InstrumentKind, typed: Mapping[str, Any], name: str) -> dict[str, Any]:
    """What a set-up would show, with the present state of the instrument of this name if there is one."""
    # Without a name it would show the same; that one is missing is said once it is to be made.
    filled = filled_instrument(kind, {**typed, "title": str(typed.get("title", "")).strip() or kind.title}, zone())
    if filled.wrong:
        return {"wrong": filled.wrong, "shown": None}
    questions = never_seen(kind, filled.choices)
    if kind.preview is None:
        return {"wrong": {}, "shown": _from_log(kind, filled.choices, name), "questions": questions}

    def present(self: Runtime) -> tuple[Almanac, Mapping[str, Any] | None, Mapping[str, Scalar]]:
        standing = self.instruments.standing(name) if name else None
        state = self.engine.graph.ask(name, lambda runner: runner.instrument.saved(), None) if standing else None
        almanac = self.engine.graph.almanac
        return almanac, state, dict(self.engine.values)

    almanac, state, values = runtime().call(present)
    try:
        shown = kind.preview(name or "it", filled.choices, almanac, now(), state, values)
    except InvalidField as error:
        return {"wrong": {"": str(error)}, "shown": None}
    return {"wrong": {}, "shown": shown, "questions": questions}


@blueprint.post("/try/<kind>")
def attempt(kind: str) -> ResponseReturnValue:
    """What a set-up would show."""
    found = _kind(kind)
    shown = preview(found, typed_form(), request.args.get("name", ""))
    return render_template("instruments/_preview.html", kind=found, **shown)


@blueprint.get("/new/<kind>")
def new(kind: str) -> ResponseReturnValue:
    """The form for a new instrument."""
    found = _kind(kind)
    return render_template("instruments/new.html", **_page(found, request.args.to_dict(), None))


@blueprint.get("/<name>", defaults={"part": NOW})
@blueprint.get(f"/<name>/<{PART}:part>")
def show(name: str, part: str) -> ResponseReturnValue:
    """A sub-page of an instrument: its panel, its settings, its records, or where it can be used."""
    row = row_of(name)
    kind = KINDS[row.kind]
    page = _page(kind, as_typed(kind.fields, row.choices), row)
    thing = Thing(str(row.choices["title"]), name, "instruments.show", ("Instruments", url_for("instruments.index")))
    return render_template("instruments/show.html", part=part, thing=thing, **page, **_beside(part, name))


def _beside(part: str, name: str) -> dict[str, Any]:
    """What a sub-page shows of overlays: those with a piece of the instrument, or all that it can be added to."""
    if part == USE:
        overlays = store().read(lambda session: [(one.id, one.name) for one in stored_overlays.all_overlays(session)])
        return {"overlays": overlays}
    return {"shown_on": [card for card in cards() if card.shows(name)]} if part == NOW else {}


@blueprint.post("/<name>/choose/<field>/<value>")
def change_one(name: str, field: str, value: str) -> ResponseReturnValue:
    """Change one choice of an instrument."""
    row = row_of(name)
    choices = {**as_typed(KINDS[row.kind].fields, row.choices), field: value}
    try:
        return _answer(name, EffectNote(act("instrument.change", instrument=name, choices=choices).words))
    except InvalidField as error:
        return _answer(name, EffectNote(str(error), True), status=422)


# Its items, and what it has written down


@blueprint.post("/<name>/rows")
def pasted_rows(name: str) -> ResponseReturnValue:
    """The rows of a pasted table, to be edited before they are saved."""
    row = row_of(name)
    form = KINDS[row.kind].items or abort(404)
    rows = rows_from_text(form, request.form.get("text", "")[:MOST_PASTED])[: form.most]
    return render_template("instruments/_rows.html", form=form, rows=rows, begin=request.form.get("begin", 1, type=int))


def _records(row: ComputedRow | None, kind: InstrumentKind) -> dict[str, list[KeptRecord]]:
    """The last records of each kind."""
    if row is None:
        return {}
    return {one.name: runtime().call(Runtime.records, row.name, one.name, SHOWN_RECORDS) for one in kind.records}


@blueprint.get("/<name>/records/<kind>.csv")
def records_file(name: str, kind: str) -> ResponseReturnValue:
    """What an instrument has written down, as a table."""
    found = next((one for one in KINDS[row_of(name).kind].records if one.name == kind), None)
    if found is None:
        abort(404)
    lines = record_lines(runtime().call(Runtime.records, name, kind), found.columns)
    headers = {"Content-Disposition": f'attachment; filename="{name}-{kind}.csv"'}
    return Response("".join(lines), mimetype="text/csv", headers=headers)
