"""The log: what happened, looked through, shown again, corrected, taken along."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, datetime, timedelta
from functools import partial
from typing import Any

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from tesoura.core.computed.occurrence import micros
from tesoura.core.instants import iso_instant
from tesoura.core.overlays.pieces.kind import THERE
from tesoura.core.values import Event, as_scalar
from tesoura.errors import DataFolderError, Gone, InvalidField, InvalidPiece
from tesoura.runtime.facade import Runtime
from tesoura.store import exports, log_search, state
from tesoura.store import log as event_log
from tesoura.store.event_corrections import FROM_INSTRUMENTS
from tesoura.store.log import Logged
from tesoura.store.log_search import Search
from tesoura.store.search_words import asked_words
from tesoura.web.log.words import (
    called_things,
    event_words,
    facts_of,
    found_by,
    is_own,
    outcome_words,
    source_words,
    told,
)
from tesoura.web.shared.acting import act, effect_of
from tesoura.web.shared.doors import now, runtime, store
from tesoura.web.shared.pressing import address_of
from tesoura.web.shared.shown import zone

LED_TO = 40
blueprint = Blueprint("log", __name__, url_prefix="/log")
blueprint.add_app_template_global(event_words)
blueprint.add_app_template_global(facts_of)
blueprint.add_app_template_filter(source_words)
blueprint.add_app_template_filter(outcome_words)
PAGE = 30
CATCH_UP = 20
"""How many times a search puts more events into the index of words before it looks."""


def search_asked() -> Search:
    """What is looked for, as the address says."""
    asked = request.args
    since, until = iso_instant(asked.get("since"), zone()), iso_instant(asked.get("until"), zone())
    if chosen := asked.get("session", ""):
        found = next((one for one in store().read(state.all_sessions) if str(one.id) == chosen), None)
        if found is not None:
            since = max(since, found.started_at) if since else found.started_at
            until = min(until, found.ended_at) if until and found.ended_at else found.ended_at or until
    words = asked.get("find", "")[:200]
    called = called_things()
    otherwise = {one: found_by(one, called) for one in asked_words(words)}

    def as_told(event: Event) -> str:
        return told(event, called) if is_own(event) else ""

    return Search(words, asked.get("type", ""), asked.get("feed", ""), since, until, as_told, otherwise)


def _before() -> tuple[datetime, int] | int | None:
    raw = request.args.get("before", "")
    at, dot, seq = raw.partition(".")
    if not re.fullmatch(r"(-?[0-9]{1,17}\.)?[0-9]{1,18}", raw):
        return None
    return (datetime(1970, 1, 1, tzinfo=UTC) + timedelta(microseconds=int(at)), int(seq)) if dot else int(raw)


def _listed() -> dict[str, Any]:
    search, before = search_asked(), _before()
    if search.words:
        _index_words()
    most = min(request.args.get("most", PAGE, type=int), PAGE)
    rows = store().read(lambda session: log_search.page(session, search, before, most + 1))
    shown, more = rows[:most], rows[most:]
    further = None
    if more:
        last = shown[-1]
        further = str(last.seq) if search.words else f"{micros(last.event.time)}.{last.seq}"
    args = {key: value for key, value in request.args.items() if value and key != "before"}
    return {"rows": shown, "further": further, "args": args, "first": before is None, "search": search}


def _index_words() -> None:
    # What came a moment ago is not in the index yet. A search works without it, when the disk is full for example.
    with contextlib.suppress(DataFolderError):
        for _ in range(CATCH_UP):
            if not store().index_words(event_log.AT_ONCE):
                break


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """What happened, newest first."""
    types, sources, sessions, began = store().read(
        lambda session: (
            log_search.types(session),
            log_search.sources(session),
            state.all_sessions(session)[:60],
            event_log.first_time(session),
        )
    )
    # What is asked for stays asked for when the rows come again, though nothing of it has come yet.
    types, sources = (
        [asked, *known] if (asked := request.args.get(name)) and asked not in known else known
        for name, known in (("type", list(types)), ("feed", list(sources)))
    )
    return render_template(
        "log/index.html",
        types=types,
        sources=sources,
        sessions=sessions,
        began=began,
        signals=runtime().call(lambda self: [one.name for one in self.signals() if isinstance(one.value, int | float)]),
        keep_days=runtime().preferences.keep_days,
        **_listed(),
        **_moments(),
    )


@blueprint.get("/rows")
def rows_fragment() -> ResponseReturnValue:
    """The rows alone."""
    return render_template("log/_rows.html", **_listed())


def _moments() -> dict[str, Any]:
    def gather(self: Runtime) -> tuple[Any, ...]:
        moments = self.stage.moments
        return (
            [(one, *self.stage.placed(one.key)) for one in moments.waiting()],
            [
                (one, *self.stage.placed(one.key), self.hub.audience(int(one.key.partition("/")[0])).pages)
                for one in moments.showing()
            ],
            moments.held,
            self.stage.told.last(),
        )

    waiting, showing, held, last = runtime().call(gather)
    return {"waiting": waiting, "showing": showing, "there": THERE, "held": held, "last_moment": last}


@blueprint.get("/moments")
def moments_fragment() -> ResponseReturnValue:
    """What is being shown, and what waits to be."""
    return moments_drawn()


def moments_drawn() -> Markup:
    """What is being shown and what waits, as it stands on the desk."""
    return Markup(render_template("log/_moments.html", **_moments()))  # noqa: S704 - the template has escaped all of it


@blueprint.get("/<int:seq>")
def show(seq: int) -> ResponseReturnValue:
    """One event: all its data, what it changed, its corrections."""
    found, corrected, corrections, led_to = store().read(
        lambda session: (
            event_log.one(session, seq),
            event_log.with_corrections(session, seq),
            event_log.corrections_of(session, seq),
            event_log.caused_by(session, seq)[:LED_TO],
        )
    )
    if found is None or corrected is None:
        abort(404)
    because = found.event.cause
    cause = store().read(lambda session: event_log.one(session, because)) if because else None

    def gather(self: Runtime) -> tuple[Any, ...]:
        return (
            self.computations.counted(corrected.event, seq, corrected.accepted_at),
            self.engine.event_feed(corrected.event.type),
            [one.name for one in self.signals()],
        )

    counted, feed, names = runtime().call(gather)
    own = [name for name in names if feed and name.startswith(f"{feed}.")]
    return render_template(
        "log/show.html",
        logged=found,
        corrected=corrected,
        corrections=corrections,
        counted=counted,
        own=own,
        cause=cause,
        led_to=led_to,
        editable=_editable(corrected),
        is_void=_is_void(corrections),
        own_doing=found.event.type.startswith("tesoura."),
    )


def _editable(logged: Logged) -> dict[str, Any]:
    """The fields of an event that can be corrected: those with a single value."""
    event = logged.event
    if event.type.startswith("tesoura.") or event.source.startswith(FROM_INSTRUMENTS):
        return {}
    return {name: value for name, value in event.data.items() if isinstance(value, str | int | float | bool)}


def _is_void(corrections: Iterable[Logged]) -> bool:
    told = [one.event.data["void"] for one in corrections if "void" in one.event.data]
    return bool(told and told[-1])


def _typed_change(seq: int) -> dict[str, Any]:
    """What the form says is to be different. Raises InvalidField."""
    found = store().read(lambda session: event_log.with_corrections(session, seq))
    if found is None:
        abort(404)
    fields = {}
    for name, present in _editable(found).items():
        typed = request.form.get(f"field-{name}", written_value(present)).strip()
        if typed != written_value(present):
            fields[name] = _value_like(present, typed, name)
    at = request.form.get("time", "").strip()
    given: dict[str, Any] = {"event": seq, "fields": fields}
    if at and at != local_time(found.event.time):
        if (instant := iso_instant(at, zone())) is None:
            raise InvalidField(f"“{at[:30]}” is not a time. Write it as 2026-11-26 20:14:05.")
        given["time"] = instant.isoformat()
    return given


@blueprint.app_template_filter("local_time")
def local_time(at: datetime) -> str:
    """An instant in the user's zone as a form has it, to the second."""
    return at.astimezone(zone()).strftime("%Y-%m-%d %H:%M:%S")


@blueprint.app_template_global("written_value")
def written_value(value: object) -> str:
    """A field of an event as the form has it."""
    return ("yes" if value else "no") if isinstance(value, bool) else str(value)


def _value_like(present: object, typed: str, name: str) -> str | int | float | bool:
    if isinstance(present, bool):
        if typed not in ("yes", "no"):
            raise InvalidField(f"{name}: write yes or no.")
        return typed == "yes"
    if isinstance(present, int | float):
        try:
            return int(typed) if re.fullmatch(r"-?[0-9]{1,18}", typed) else _finite(float(typed))
        except (ValueError, OverflowError):
            raise InvalidField(f"{name}: “{typed[:30]}” is not a number.") from None
    return typed


def _finite(number: float) -> float:
    as_scalar(number)
    return number


@blueprint.post("/<int:seq>/edit")
def edit(seq: int) -> ResponseReturnValue:
    """Correct an event's fields or its time by further events; what was written stays."""
    try:
        flash(act("log.edit", **_typed_change(seq)).words, "undo:" + address_of("desk.undo"))
    except (InvalidField, InvalidPiece) as error:
        flash(next(iter(error.wrong.values())) if isinstance(error, InvalidPiece) else str(error), "wrong")
    return redirect(url_for("log.show", seq=seq))


@blueprint.post("/<int:seq>/preview")
def preview(seq: int) -> ResponseReturnValue:
    """What a correction would change, before it is saved."""
    voids = request.form.get("what") == "void"
    try:
        effect = effect_of("log.void", event=seq) if voids else effect_of("log.edit", **_typed_change(seq))
    except (InvalidField, InvalidPiece, Gone) as error:
        return render_template("log/_correction.html", wrong=str(error), lines=[]), 422
    return render_template("log/_correction.html", wrong="", lines=effect.splitlines())


# Taking it along

_FORMATS: dict[str, tuple[str, Callable[[Iterable[Logged]], Iterator[str]]]] = {
    "csv": ("text/csv; charset=utf-8", exports.csv_lines),
    "jsonl": ("application/jsonl; charset=utf-8", exports.json_lines),
}


@blueprint.get("/export.<form>")
def export(form: str) -> ResponseReturnValue:
    """All that is looked for, as CSV, JSON lines, or markers for a session's recording."""
    search, opened = search_asked(), store()
    lines: Callable[[Iterable[Logged]], Iterator[str]]
    if form == "vtt":
        if search.since is None:
            flash("Markers count from the start of a session. Choose a session first.", "wrong")
            return redirect(url_for("log.index"))
        began = search.since
        mimetype, lines = "text/vtt; charset=utf-8", partial(exports.markers, began=began)
    elif form in _FORMATS:
        mimetype, lines = _FORMATS[form]
    else:
        abort(404)
    order = log_search.by_time if form == "vtt" else log_search.everything
    name = f"tesoura-log-{now().astimezone(zone()):%Y-%m-%d}.{form}"
    return Response(
        lines(opened.stream(lambda session: order(session, search))),
        mimetype=mimetype.partition(";")[0],
        content_type=mimetype,
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )
