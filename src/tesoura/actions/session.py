"""Stream sessions: started, taken back, their start corrected."""

from __future__ import annotations

from datetime import datetime

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.core.forms.checks import INSTANT, optional, text, time_before, whole
from tesoura.core.forms.fields import Field
from tesoura.core.instants import iso_instant
from tesoura.errors import Gone, InvalidField, SessionsOutOfOrder
from tesoura.store import state


async def _start(doing: Doing, given: Given) -> Done:
    now, present = doing.now(), doing.runtime.session_started_at
    at = given["began"] or now
    if at > now:
        raise InvalidField("A session can't start in the future.")
    if present is not None and at <= present:
        raise InvalidField("The present session began after that. Correct its start instead, or take it back.")
    await doing.write(lambda session: state.start_session(session, at))
    await doing.runtime.session_changed()
    return Done(
        f"Session started at {_clock(doing, at)}. Its counts start from there.",
        {"began": at.isoformat()},
        Call("session.undo"),
    )


def _clock(doing: Doing, at: datetime) -> str:
    return f"{at.astimezone(doing.runtime.preferences.zone):%H:%M:%S}"


async def _foresee_start(doing: Doing, given: Given) -> str:
    began = doing.runtime.session_started_at
    since = f"began at {began.isoformat(timespec='seconds')}" if began else "has not begun"
    return f"The present session {since}; a new one begins now, and what counts from it begins at 0."


async def _undo(doing: Doing, given: Given) -> Done:
    if await doing.read(state.present_session) is None:
        raise Gone("No session to undo.")
    await doing.write(state.undo_start)
    await doing.runtime.session_changed()
    return Done("The session start was undone, with its counts.")


async def _correct(doing: Doing, given: Given) -> Done:
    number, typed = given["session"] or None, given["began"]
    until = doing.now()
    if number:
        found = next((one for one in await doing.read(state.all_sessions) if one.id == number), None)
        until = (found and found.ended_at) or until
    at = iso_instant(typed) or time_before(until.astimezone(doing.runtime.preferences.zone))(typed)
    if at > doing.now():
        raise InvalidField("A session can't start in the future.")
    try:
        before = await doing.write(lambda session: state.correct_start(session, at, number))
    except SessionsOutOfOrder as error:
        earlier, later = error.between
        after = f"after {_clock(doing, earlier)}, when the previous one started" if earlier else ""
        ahead = f"before {_clock(doing, later)}, when the next one started" if later else ""
        raise InvalidField(
            f"Sessions can't overlap. Choose a time {' and '.join(filter(None, (after, ahead)))}."
        ) from None
    await doing.runtime.session_changed()
    which = {"session": number} if number else {}
    undo = Call("session.correct", {"began": before.isoformat(), **which}) if before else None
    words = f"This session started at {_clock(doing, at)}. Its counts were recomputed."
    return Done(words, {"began": at.isoformat()}, undo)


START = Action(
    "session.start",
    "Start a session",
    "Start a new stream session, now or at a given time.",
    {"began": Field("Started at", optional(INSTANT), kind="instant")},
    _start,
    _foresee_start,
    noted=True,
)
UNDO = Action(
    "session.undo", "Undo session start", "Let the last start of a session not have been.", {}, _undo, noted=True
)
CORRECT = Action(
    "session.correct",
    "Correct the start",
    "Of the current session, or of another one.",
    {
        "began": Field("Started at", text(40), placeholder="19:02", help="A time of day, or an instant with its zone."),
        "session": Field("Session's number", whole(0, 2**53), kind="number", default=0),
    },
    _correct,
    noted=True,
)

ALL = (START, UNDO, CORRECT)
