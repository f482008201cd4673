"""What is done to the log: an event said, an amount corrected, a moment shown again or skipped."""

from __future__ import annotations

import uuid
from datetime import datetime
from functools import partial
from typing import Any

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.roles import SET_UP
from tesoura.core.forms.checks import INSTANT, choice, group, optional, text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.signals.by_hand import number
from tesoura.core.signals.engine import OWN_TYPES
from tesoura.core.values import Event
from tesoura.errors import Gone, InvalidField
from tesoura.runtime.corrections import EventChange

_EVENT = {"event": Field("Event", whole(1, 2**53), kind="number")}


def _type(raw: object) -> str:
    kind = text(120)(raw).strip()
    if kind.startswith(OWN_TYPES):
        raise InvalidField(f"It begins with {OWN_TYPES}, which is reserved for Tesoura. Choose another.")
    return kind


def _data(raw: object) -> dict[str, Any]:
    if raw in ("", None):
        return {}
    if not isinstance(raw, dict):
        raise InvalidField('Give an object, as in {"amount": 5}.')
    return raw


MOST_AT_ONCE, MOST_LINES = 500, 60


async def _say(doing: Doing, given: Given) -> Done:
    event = Event(
        uuid.uuid4().hex, doing.actor, given["type"], doing.now(), given["data"], None, doing.cause, doing.actor
    )
    [logged] = await doing.runtime.journal.log([event])
    return Done(f"{given['type']} was logged.", {"event": logged.seq})


async def _correct(doing: Doing, given: Given) -> Done:
    field, value = given["field"], given["value"]
    before = await doing.runtime.corrections.correct(given["event"], field, value)
    if before is None:
        raise Gone("There is no such event, or it has no such field.")
    was: Any = before[0]
    undo = Call("log.correct", {"event": given["event"], "field": field, "value": was})
    return Done("Corrected. All counts were updated.", {"was": was}, undo)


def _change_of(given: Given, now: datetime) -> EventChange:
    if given["time"] is not None and given["time"] > now:
        raise InvalidField("It can't have happened in the future.")
    fields = {name: value for name, value in given["fields"].items() if isinstance(value, str | int | float | bool)}
    if len(fields) < len(given["fields"]):
        raise InvalidField("Each field must be text, a number, true or false.")
    return EventChange(fields, given["time"])


async def _edit(doing: Doing, given: Given) -> Done:
    back = await doing.runtime.corrections.change(given["event"], _change_of(given, doing.now()))
    undo = {"event": given["event"], "fields": dict(back.fields), "time": back.time.isoformat() if back.time else ""}
    return Done("Corrected. All counts were updated.", {}, Call("log.edit", undo))


async def _foresee_edit(doing: Doing, given: Given) -> str:
    return _lines(await doing.runtime.corrections.foresee(given["event"], _change_of(given, doing.now())))


def _lines(lines: list[str]) -> str:
    shown = "\n".join(lines[:MOST_LINES])
    more = f"\nand {len(lines) - MOST_LINES} more" if len(lines) > MOST_LINES else ""
    return shown + more if lines else "no computed value changes"


async def _void(doing: Doing, given: Given, void: bool) -> Done:
    await doing.runtime.corrections.change(given["event"], EventChange(is_void=void))
    words = "Voided. It is no longer counted." if void else "Restored. It is counted again."
    return Done(words, {"void": void}, Call("log.restore" if void else "log.void", {"event": given["event"]}))


async def _foresee_void(doing: Doing, given: Given, void: bool) -> str:
    return _lines(await doing.runtime.corrections.foresee(given["event"], EventChange(is_void=void)))


async def _again(doing: Doing, given: Given) -> Done:
    count = await doing.runtime.corrections.show_again(given["event"])
    if not count:
        raise Gone(
            "Nothing on air shows this kind of event. A piece does when it appears “as a moment”; "
            "its choices on the mat say so."
        )
    return Done(f"Shown again on {count} {'piece' if count == 1 else 'pieces'}, queued.", {"pieces": count})


async def _skip(doing: Doing, given: Given) -> Done:
    skipped = await doing.runtime.corrections.skip(given["moment"])
    if skipped is None:
        raise Gone("This alert is no longer queued or on screen.")
    undo = Call("moment.again", {"event": skipped.seq})
    return Done(f"“{skipped.text[:60]}” won't be shown.", {"event": skipped.seq}, undo)


async def _skip_all(doing: Doing, given: Given) -> Done:
    skipped = []
    for waiting in doing.runtime.stage.moments.waiting():
        if (one := await doing.runtime.corrections.skip(waiting.number)) is not None:
            skipped.append(one)
    if not skipped:
        raise Gone("Nothing queued.")
    count = "1 alert" if len(skipped) == 1 else f"{len(skipped)} alerts"
    events = list(dict.fromkeys(one.seq for one in skipped))
    undo = Call("moments.again", {"events": events})
    return Done(f"{count} won't be shown.", {"events": events}, undo)


async def _again_all(doing: Doing, given: Given) -> Done:
    for seq in given["events"]:
        await _again(doing, {"event": seq})
    return Done("Skipped alerts are queued again.", {"events": given["events"]})


def _places(raw: object) -> list[int]:
    if not isinstance(raw, list) or not 0 < len(raw) <= MOST_AT_ONCE or not all(isinstance(one, int) for one in raw):
        raise InvalidField(f"Give a list of 1 to {MOST_AT_ONCE} log entry numbers.")
    return raw


SAY = Action(
    "event.say",
    "Send an event",
    "Logs an event as a program would send it.",
    {"type": Field("Event type", _type, kind="event"), "data": Field("Data", _data, kind="data")},
    _say,
)
CORRECT = Action(
    "log.correct",
    "Correct an amount",
    "With a correction entry; the original stays.",
    {**_EVENT, "field": Field("Field", text(120)), "value": Field("Amount", number, kind="number")},
    _correct,
)
EDIT = Action(
    "log.edit",
    "Correct an event",
    "Its fields or time, with correction entries; the original stays.",
    {
        **_EVENT,
        "fields": Field("Fields", group, kind="data", default={}),
        "time": Field("Time", optional(INSTANT), kind="instant"),
    },
    _edit,
    _foresee_edit,
    may=SET_UP,
)
VOID = Action(
    "log.void",
    "Void an event",
    "It stays in the log and is not counted.",
    _EVENT,
    partial(_void, void=True),
    partial(_foresee_void, void=True),
    may=SET_UP,
)
RESTORE = Action(
    "log.restore",
    "Restore an event",
    "A voided event is counted again.",
    _EVENT,
    partial(_void, void=False),
    partial(_foresee_void, void=False),
    may=SET_UP,
)
AGAIN = Action("moment.again", "Show it again", "Show the alerts of an event again.", _EVENT, _again)
SKIP_ALL = Action("moments.skip", "Skip all alerts", "All queued alerts.", {}, _skip_all)
AGAIN_ALL = Action(
    "moments.again",
    "Show them again",
    "The alerts of these events.",
    {"events": Field("Events", _places, kind="data")},
    _again_all,
)
SKIP = Action(
    "moment.skip",
    "Skip an alert",
    "Remove an alert from the queue or from the screen.",
    {"moment": Field("Moment", whole(1, 2**53), kind="number")},
    _skip,
)


async def _hold(doing: Doing, given: Given) -> Done:
    held = given["held"] == "yes"
    doing.runtime.stage.moments.held = held
    doing.runtime.touched("moments")
    if not held:
        doing.runtime.show_waiting()
    words = "Alerts are paused." if held else "Alerts resumed."
    return Done(words, {"held": held}, Call("moments.hold", {"held": "no" if held else "yes"}))


async def _foresee_hold(doing: Doing, given: Given) -> str:
    count = len(doing.runtime.stage.moments.waiting())
    return f"{count} queued alerts are paused" if given["held"] == "yes" else f"{count} queued alerts are shown"


HOLD = Action(
    "moments.hold",
    "Pause alerts",
    "No alert starts until resumed; restarting Tesoura resumes them.",
    {"held": Field("Held", choice(("yes", "no")), kind="switch", default="yes")},
    _hold,
    _foresee_hold,
)

ALL = (SAY, CORRECT, EDIT, VOID, RESTORE, AGAIN, SKIP, HOLD, SKIP_ALL, AGAIN_ALL)
