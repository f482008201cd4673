"""Computed signals and instruments: set up, changed, put away, built anew from the log."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import tzinfo
from functools import partial
from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given, one_of_these
from tesoura.actions.roles import MACHINE, SET_UP
from tesoura.core.computed.definitions import COMPUTED, ComputedKind, build
from tesoura.core.computed.graph import Definition
from tesoura.core.cues.setup import CUE, STEPS, pressed_by, starts_programs, way_back
from tesoura.core.forms.checks import group, text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.forms.form import Filled, fill, in_zone
from tesoura.core.forms.meanwhile import OPENED_WITH, merged
from tesoura.core.instruments.base import InstrumentKind
from tesoura.core.instruments.items import SET
from tesoura.core.instruments.registry import KINDS
from tesoura.core.names import free_title, is_part, snake, unused
from tesoura.errors import Gone, InvalidField, InvalidPiece
from tesoura.store import computed as stored
from tesoura.store import feeds as stored_feeds
from tesoura.store.tables import ComputedRow

RESERVED = {"new", "try", "restore"}
"""Names that would stand where instruments' pages do."""
_CHOICES = {"choices": Field("Choices", group, kind="data")}
_INSTRUMENT = {"instrument": Field("Instrument", text(60))}
_COMPUTED = {"computed": Field("Computed signal", whole(1, 2**53), kind="number")}
_setup = partial(Action, noted=True, may=SET_UP)


async def _keep(doing: Doing, row_id: int | None, kind: str, name: str, choices: Mapping[str, Any]) -> int:
    at = doing.now()
    kept = await doing.write(lambda session: stored.keep(session, row_id, kind, name, choices, at).id or 0)
    await doing.runtime.refresh_computed(kept)
    return kept


async def _put_away(doing: Doing, row_id: int, away: bool) -> None:
    at = doing.now() if away else None
    await doing.write(lambda session: stored.remove(session, row_id, at) and None)
    await doing.runtime.refresh_computed(row_id)


# Computed signals


def made_of(doing: Doing, kind: ComputedKind, typed: Mapping[str, Any], name: str) -> tuple[Definition, dict[str, Any]]:
    """The definition and its choices. Raises InvalidPiece, which names every field that is wrong."""
    filled = fill(kind.fields, in_zone(kind.fields, typed, doing.runtime.preferences.zone))
    if filled.wrong:
        raise InvalidPiece(filled.wrong)
    definition = build(kind.name, name, filled.choices)
    if cycle := doing.runtime.computations.cycle(definition):
        first = "formula" if kind.name == "formula" else next(iter(kind.fields))
        way = " → ".join(cycle)
        raise InvalidPiece({first: f"It would depend on itself: {way}. Remove one of these from a formula."})
    return definition, dict(filled.choices)


async def _name_problem(doing: Doing, kind: ComputedKind, name: str) -> str | None:
    if not is_part(name):
        return "Use lower case letters, digits and _, such as gifts_today."
    if kind.name == "formula":
        taken = any(one.name == f"own.{name}" for one in doing.runtime.signals())
        return f"There is an own.{name} already. Choose another name." if taken else None
    in_use = doing.runtime.names_taken() | await doing.read(stored_feeds.names_taken) | {"own", "event"}
    return f"“{name}” is already in use. Choose another name." if name in in_use else None


async def _new_computed(doing: Doing, given: Given) -> Done:
    kind = COMPUTED.get(given["kind"])
    if kind is None:
        raise one_of_these("kind of computed signal", given["kind"], list(COMPUTED))
    name = snake(given["name"], "")
    wrong: dict[str, str] = {}
    choices: dict[str, Any] = {}
    try:
        _, choices = made_of(doing, kind, given["choices"], name if is_part(name) else "it")
    except InvalidPiece as error:
        wrong |= error.wrong
    if problem := await _name_problem(doing, kind, name):
        wrong["name"] = problem
    if wrong:
        raise InvalidPiece(wrong)
    row_id = await _keep(doing, None, kind.name, name, choices)
    first = next(iter(build(kind.name, name, choices).outputs()))
    return Done(
        f"Saved as {first}.", {"computed": row_id, "signal": first}, Call("computed.remove", {"computed": row_id})
    )


async def _computed(doing: Doing, row_id: int, gone_too: bool = False) -> ComputedRow:
    def ask(session: Session) -> ComputedRow | None:
        return session.get(ComputedRow, row_id) if gone_too else stored.get(session, row_id)

    row = await doing.read(ask)
    if row is None or row.kind not in COMPUTED:
        raise Gone("There is no such computed signal. It may have been deleted.")
    return row


async def _change_computed(doing: Doing, given: Given) -> Done:
    row = await _computed(doing, given["computed"])
    kind = COMPUTED[row.kind]
    _, mine = made_of(doing, kind, given["choices"], row.name)
    _, choices = made_of(doing, kind, merged(given["opened_with"], mine, row.choices), row.name)
    await _keep(doing, row.id, row.kind, row.name, choices)
    first = next(iter(build(row.kind, row.name, choices).outputs()))
    undo = Call("computed.change", {"computed": row.id, "choices": dict(row.choices)})
    return Done(f"Changed {first}.", {"computed": row.id, "signal": first}, undo)


async def _copy_computed(doing: Doing, given: Given) -> Done:
    row = await _computed(doing, given["computed"])
    kind = COMPUTED[row.kind]
    at = 2
    while await _name_problem(doing, kind, f"{row.name}_{at}"):
        at += 1
    return await _new_computed(doing, {"kind": row.kind, "name": f"{row.name}_{at}", "choices": row.choices})


async def _computed_away(doing: Doing, given: Given, away: bool) -> Done:
    row = await _computed(doing, given["computed"], not away)
    await _put_away(doing, given["computed"], away)
    other = Call("computed.restore" if away else "computed.remove", {"computed": given["computed"]})
    return Done(f"{row.name} is {'deleted' if away else 'computed again'}.", {}, other)


async def _rebuild(doing: Doing, given: Given) -> Done:
    runtime, key = doing.runtime, given["key"]
    await runtime.computations.rebuild([key])
    if runtime.engine.graph.definition(key) is None:
        raise Gone(f"Nothing is computed as {key[:60]}.")
    if key in runtime.engine.graph.broken:
        raise InvalidField("It stopped again with the same error. Change its settings, or report the error.")
    return Done("Rebuilt from the log.")


NEW_COMPUTED = _setup(
    "computed.new",
    "Create a computed signal",
    "`choices` are the settings of its kind.",
    {"kind": Field("Kind", text(40)), "name": Field("Name", text(120, empty=True)), **_CHOICES},
    _new_computed,
    needs=("kind",),
)
CHANGE_COMPUTED = _setup(
    "computed.change",
    "Change a computed signal",
    "Its counts are recomputed from the log.",
    {**_COMPUTED, **_CHOICES, **OPENED_WITH},
    _change_computed,
)
COPY_COMPUTED = _setup("computed.copy", "Duplicate a computed signal", "With its settings.", _COMPUTED, _copy_computed)
REMOVE_COMPUTED = _setup(
    "computed.remove", "Delete a computed signal", "It can be restored.", _COMPUTED, partial(_computed_away, away=True)
)
RESTORE_COMPUTED = _setup(
    "computed.restore",
    "Restore a computed signal",
    "Recomputed from the log.",
    _COMPUTED,
    partial(_computed_away, away=False),
)
REBUILD = _setup(
    "computed.rebuild",
    "Rebuild",
    "Rebuild a failed computation or instrument from the log.",
    {"key": Field("Key", text(130))},
    _rebuild,
)


# Instruments


def filled_instrument(kind: InstrumentKind, typed: Mapping[str, Any], zone: tzinfo) -> Filled:
    """The form as filled in, with what is wrong with its choices together."""
    filled = fill(kind.fields, in_zone(kind.fields, typed, zone))
    return filled if filled.wrong else Filled(filled.choices, {}, kind.check(filled.choices))


def _instrument_choices(doing: Doing, kind: InstrumentKind, typed: Mapping[str, Any]) -> Mapping[str, Any]:
    filled = filled_instrument(kind, typed, doing.runtime.preferences.zone)
    if filled.wrong:
        raise InvalidPiece(filled.wrong)
    return filled.choices


async def _new_instrument(doing: Doing, given: Given) -> Done:
    kind = KINDS.get(given["kind"])
    if kind is None:
        raise one_of_these("kind of instrument", given["kind"], list(KINDS))
    choices = _instrument_choices(doing, kind, given["choices"])
    taken = doing.runtime.names_taken() | await doing.read(stored_feeds.names_taken) | {"own", "event"}
    taken |= RESERVED | await doing.read(stored.names_ever_used)
    name = unused(snake(str(choices["title"]), kind.example), taken)
    if kind.name == CUE:
        await _cue_may_be(doing, name, choices)
    await _keep(doing, None, kind.name, name, choices)
    if kind.first:
        await doing.runtime.instruments.command(name, kind.first, {}, doing.actor)
    return Done(
        f"“{choices['title']}” was created. Its signals start with {name}.",
        {"instrument": name},
        Call("instrument.remove", {"instrument": name}),
    )


async def _copy_instrument(doing: Doing, given: Given) -> Done:
    row = await _instrument(doing, given["instrument"])
    taken = [one.title for one in doing.runtime.instruments.setups()]
    title = free_title(taken, str(row.choices["title"]), 55)
    done = await _new_instrument(doing, {"kind": row.kind, "choices": {**row.choices, "title": title}})
    standing = doing.runtime.instruments.standing(row.name)
    if standing and standing.items:
        items = {"items": [dict(one.values) for one in standing.items]}
        await doing.runtime.instruments.command(done.result["instrument"], SET, items, doing.actor)
    return done


async def _instrument(doing: Doing, name: str, gone_too: bool = False) -> ComputedRow:
    ask = stored.by_name_ever if gone_too else stored.by_name
    row = await doing.read(lambda session: ask(session, name.lower()))
    if row is None or row.kind not in KINDS:
        raise Gone(f"There is no instrument {name[:60]}. It may have been deleted.")
    return row


async def change_choices(
    doing: Doing, row: ComputedRow, typed: Mapping[str, Any], opened_with: Mapping[str, Any]
) -> Mapping[str, Any]:
    """Give an instrument other choices, each checked; they are given back. Raises InvalidPiece."""
    kind = KINDS[row.kind]
    mine = _instrument_choices(doing, kind, typed)
    choices = _instrument_choices(doing, kind, merged(opened_with, mine, row.choices))
    if row.kind == CUE:
        await _cue_may_be(doing, row.name, choices)
    await _keep(doing, row.id, row.kind, row.name, choices)
    return choices


async def _change_instrument(doing: Doing, given: Given) -> Done:
    row = await _instrument(doing, given["instrument"])
    before = dict(row.choices)
    choices = await change_choices(doing, row, given["choices"], given["opened_with"])
    return Done(
        f"“{choices['title']}” was saved.",
        {"instrument": row.name},
        Call("instrument.change", {"instrument": row.name, "choices": before}),
    )


async def _instrument_away(doing: Doing, given: Given, away: bool) -> Done:
    row = await _instrument(doing, given["instrument"], not away)
    await _put_away(doing, row.id or 0, away)
    other = Call("instrument.restore" if away else "instrument.remove", {"instrument": row.name})
    return Done(f"“{row.choices['title']}” {'was deleted' if away else 'is back'}.", {"instrument": row.name}, other)


async def _cue_may_be(doing: Doing, name: str, choices: Mapping[str, Any]) -> None:
    """See that whoever makes a cue may, and that it does not press itself. Raises NotYours, and InvalidPiece."""
    if starts_programs(choices):
        doing.must_be(MACHINE, "A cue that runs a script")
    await _no_loop(doing, name, choices)


async def _no_loop(doing: Doing, name: str, choices: Mapping[str, Any]) -> None:
    """See that a cue does not press itself, by way of others either. Raises InvalidPiece, which shows the way."""
    rows = await doing.read(stored.all_computed)
    presses = {row.name: pressed_by(row.choices) for row in rows if row.kind == CUE} | {name: pressed_by(choices)}
    if way := way_back(name, presses):
        step = next(at for at in range(1, STEPS + 1) if choices.get(f"cue_{at}") == way[1])
        raise InvalidPiece({f"cue_{step}": f"It would run itself: {' → '.join(way)}. Remove one of them."})


NEW_INSTRUMENT = _setup(
    "instrument.new",
    "Create an instrument",
    "`choices` are the settings of its kind, including `title`.",
    {"kind": Field("Kind", text(40)), **_CHOICES},
    _new_instrument,
    needs=("kind",),
)
COPY_INSTRUMENT = _setup(
    "instrument.copy", "Duplicate an instrument", "With its settings and items.", _INSTRUMENT, _copy_instrument
)
CHANGE_INSTRUMENT = _setup(
    "instrument.change",
    "Change an instrument's settings",
    "Its current state stays.",
    {**_INSTRUMENT, **_CHOICES, **OPENED_WITH},
    _change_instrument,
)
REMOVE_INSTRUMENT = _setup(
    "instrument.remove",
    "Delete an instrument",
    "It can be restored.",
    _INSTRUMENT,
    partial(_instrument_away, away=True),
)
RESTORE_INSTRUMENT = _setup(
    "instrument.restore",
    "Restore an instrument",
    "Its state is rebuilt from the log.",
    _INSTRUMENT,
    partial(_instrument_away, away=False),
)

ALL = (
    NEW_COMPUTED,
    CHANGE_COMPUTED,
    REMOVE_COMPUTED,
    RESTORE_COMPUTED,
    REBUILD,
    NEW_INSTRUMENT,
    COPY_COMPUTED,
    COPY_INSTRUMENT,
    CHANGE_INSTRUMENT,
    REMOVE_INSTRUMENT,
    RESTORE_INSTRUMENT,
)
