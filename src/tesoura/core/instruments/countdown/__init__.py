"""Countdowns, counts up, and clocks: as many as wanted, exactly on time, changed while they run."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.checks import text
from tesoura.core.forms.durations import brief, time_to_come
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.base import Choices, InstrumentKind
from tesoura.core.instruments.commands import CommandKind
from tesoura.core.instruments.countdown.commands import Countdown, restored
from tesoura.core.instruments.countdown.piece import PIECE
from tesoura.core.instruments.countdown.plan import (
    COMMANDED,
    DOWN,
    FIELDS,
    UP,
    CountdownMark,
    CountdownPlan,
    make,
    us_of,
)
from tesoura.core.instruments.countdown.state import OVER, READY, RESCHEDULED, mark_type, upcoming
from tesoura.core.instruments.countdown.time_text import DAY, HOUR, MINUTE, SECOND
from tesoura.core.values import INSTANT, Scalar
from tesoura.errors import Ambiguous


def _plan(name: str, choices: Choices, almanac: Almanac) -> CountdownPlan:
    return make(name, choices, almanac.zone, almanac.session_began)


def _begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> Countdown:
    plan = _plan(name, choices, almanac)
    target = plan.since if plan.counts in ("session", "since") else None
    return Countdown(plan, target=target, set_at=target, length_us=plan.length_us)


def _restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> Countdown:
    return restored(_plan(name, choices, almanac), saved)


def _outputs(choices: Choices) -> Mapping[str, str]:
    if choices["counts"] == "clock":
        return {"text": "", "state": ""}
    if choices["counts"] in UP:
        return {"text": "", "time": "", "gone_s": "s", "state": ""}
    return {"text": "", "time": "", "left_s": "s", "share": "", "state": "", "ends_at": INSTANT}


def _marks(choices: Choices) -> list[CountdownMark]:
    if choices["counts"] not in DOWN:
        return []
    own = [CountdownMark(us_of(choices[f"mark_{at}"])) for at in (1, 2, 3) if choices.get(f"mark_{at}")]
    return [CountdownMark(0), *own]


def _types(name: str, choices: Choices) -> list[str]:
    """Return the types of its own events, by which it knows that they are in the log."""
    return list(_moments(name, choices))


def _moments(name: str, choices: Choices) -> Mapping[str, str]:
    title = choices["title"]
    moved = {f"{name}.{RESCHEDULED}": f"{title} counts to another time"} if choices["counts"] == "event" else {}
    return moved | {
        mark_type(name, one): f"{title} has {brief(timedelta(microseconds=one.left_us))} left"
        if one.left_us
        else f"{title} ends"
        for one in _marks(choices)
    }


def _depends_on(choices: Choices, almanac: Almanac) -> str:
    began = almanac.session_began.isoformat() if almanac.session_began else ""
    return f"{almanac.zone} {began if choices['counts'] == 'session' else ''}"


def _preview(
    name: str,
    choices: Choices,
    almanac: Almanac,
    now: datetime,
    saved: Mapping[str, Any] | None,
    values: Mapping[str, Scalar],
) -> Mapping[str, Any]:
    """What it says now and in its next ten changes, and around the times at which its form changes."""
    plan, note = _plan(name, choices, almanac), ""
    it = restored(plan, saved) if saved else _begin(name, choices, almanac, now)
    if it.state(now) in (READY, OVER) and plan.counts in COMMANDED:
        ends = now + timedelta(microseconds=plan.length_us)
        if plan.counts == "time":
            ends, note = _time_of_day(plan, now)
        it = replace(_begin(name, choices, almanac, now), target=now if it.up else ends, set_at=now)
    turning = []
    if plan.counts != "clock":
        write = plan.writing.counting_up if it.up else plan.writing.counting_down
        for words, us in _TURNS:
            turning.append((words, write(us)))
    extremes = it.extremes(now)["text"]
    last = extremes.last if plan.counts in DOWN else None
    return {
        "now": it.text(now),
        "changes": upcoming(it, now, 10),
        "turning": turning,
        "last": last,
        "widest": extremes.widest,
        "note": note,
    }


def _time_of_day(plan: CountdownPlan, now: datetime) -> tuple[datetime, str]:
    """The instant that it would count to, and what is to be known of that. Raises InvalidField for one that is over."""
    try:
        return time_to_come(plan.to, now, plan.zone), ""
    except Ambiguous as error:
        tomorrow = error.offers[0][1]["to"]
        return time_to_come(
            tomorrow, now, plan.zone
        ), f"Today's {plan.to} has passed: this is how {tomorrow} would look."


_TURNS = (
    ("a day", DAY + HOUR),
    ("an hour", HOUR),
    ("under an hour", HOUR - SECOND),
    ("a minute", MINUTE),
    ("nine seconds", 9 * SECOND),
)
_given = text(40, empty=True)
_UNTIL = {"length": Field("For", _given, placeholder="5 min"), "to": Field("Until", _given, placeholder="20:15")}

KIND = InstrumentKind(
    name="countdown",
    title="A countdown or a clock",
    about="Counts down from a length, to a time of day or a calendar event; counts up; or shows date and time.",
    example="kettle_break",
    fields=FIELDS,
    shifts=True,
    begin=_begin,
    restore=_restore,
    outputs=_outputs,
    commands=(
        CommandKind("start", "Start", "Starts it, with another length or end time if given.", _UNTIL, also=("until",)),
        CommandKind("pause", "Pause", "Stops the clock for now."),
        CommandKind("go_on", "Resume", "Continues from where it stopped."),
        CommandKind("stop", "Stop", "Resets it."),
        CommandKind("restart", "Start again", "Restarts at once.", _UNTIL, also=("until",)),
        CommandKind(
            "add",
            "Add or remove time",
            "While running; a minus sign removes time.",
            {"by": Field("By", _given, placeholder="3 min")},
            also=("by_s",),
        ),
        CommandKind("set", "Set time left", "While running.", _UNTIL, also=("until",)),
        CommandKind("dismiss", "Hide the last text", "Removes the last text from the screen."),
        CommandKind("show_end", "Test the end on air", "Viewers see the last five seconds and the last text."),
        CommandKind("undo", "Undo", "Undoes the last command."),
    ),
    buttons=(
        ("Start", "start", ""),
        ("Pause", "pause", ""),
        ("Resume", "go_on", ""),
        ("Add 3 min", "add", "by 3 min"),
        ("Take 1 min", "add", "by -1 min"),
        ("Test the end on air", "show_end", ""),
        ("Undo", "undo", ""),
    ),
    types=_types,
    moments=_moments,
    reads=lambda choices, almanac: (choices["signal"],) if choices["counts"] == "event" else (),
    depends_on=_depends_on,
    pieces=(PIECE,),
    preview=_preview,
    passing=True,
)
