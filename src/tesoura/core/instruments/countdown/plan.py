"""What a countdown is set up with."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo
from typing import Any

from tesoura.core.forms.checks import choice, line, text, whole
from tesoura.core.forms.durations import brief, duration, time_to_come
from tesoura.core.forms.fields import Field
from tesoura.core.instants import iso_instant
from tesoura.core.instruments.countdown.time_text import CLOCKS, DATES, LEFT, SECOND, Writing
from tesoura.errors import Ambiguous, InvalidField

COUNTS = (
    ("duration", "down from a length of time"),
    ("time", "down to a time of day"),
    ("event", "down to a calendar event"),
    ("up", "up from the start"),
    ("session", "up since the stream session started"),
    ("since", "up since a date"),
    ("clock", "date and time only"),
)
DOWN, UP = ("duration", "time", "event"), ("up", "session", "since")
COMMANDED = ("duration", "time", "up")
"""Those that are started and stopped; the others go by themselves."""
MARKS = 3
NO_SOUND = "none"
_FORMS = (("colons", "1:05:09"), ("letters", "1 h 5 min 9 s"))
_EMPTY = (("none", "hide: 4"), ("minutes", "keep minutes: 0:04"), ("all", "keep all: 0:00:04"))
_READY = (("length", "the full time"), ("nothing", "nothing"))
_YES_NO = (("yes", "yes"), ("no", "no"))


@dataclass(frozen=True, slots=True)
class CountdownMark:
    """A moment before the end, `left_us` before it, at which something is heard or the scene changes."""

    left_us: int
    sound: str = ""
    scene: str = ""


@dataclass(frozen=True, slots=True)
class CountdownPlan:
    """A countdown's choices, ready for use. `to` is a time as it was typed, `zone` that in which it is meant."""

    name: str
    title: str
    counts: str
    writing: Writing
    zone: tzinfo = UTC
    length_us: int = 0
    to: str = ""
    signal: str = ""
    since: datetime | None = None
    clock: str = "24s"
    date: str = "none"
    end_words: str = ""
    end_us: int = 0
    ready: str = "length"
    marks: Sequence[CountdownMark] = ()


def us_of(raw: str) -> int:
    """A checked length of time in microseconds."""
    return round(duration(raw).total_seconds() * SECOND)


def make(name: str, choices: Mapping[str, Any], zone: tzinfo, session_began: datetime | None) -> CountdownPlan:
    """The plan that checked choices come to. What was not asked for stands at its default."""
    choices = {**_UNASKED, **choices}
    counts = choices["counts"]
    since = session_began if counts == "session" else _instant(choices.get("since"))
    marks = [CountdownMark(0, _sound(choices["end_sound"]), choices["end_scene"])]
    for at in range(1, MARKS + 1):
        if choices.get(f"mark_{at}"):
            marks.append(
                CountdownMark(us_of(choices[f"mark_{at}"]), _sound(choices[f"sound_{at}"]), choices[f"scene_{at}"])
            )
    return CountdownPlan(
        name,
        choices["title"],
        counts,
        Writing(
            choices["form"],
            choices["leading"] == "yes",
            choices["empty"],
            choices["hours_from_min"],
            choices["days"] == "yes",
            choices["tenths"] == "yes",
            choices["before"],
            choices["after"],
            choices["last_minute"],
        ),
        zone,
        us_of(choices["length"]) if counts == "duration" else 0,
        choices.get("to", ""),
        choices.get("signal", ""),
        since,
        choices["clock"],
        choices["date"],
        choices["end_words"],
        choices["end_s"] * SECOND,
        choices["ready"],
        marks if counts in DOWN else (),
    )


def _sound(name: str) -> str:
    return "" if name == NO_SOUND else name


def _instant(raw: object) -> datetime | None:
    return datetime.fromisoformat(str(raw)) if raw else None


# Checks


def _length(raw: object) -> str:
    return brief(duration(raw))


def _mark(raw: object) -> str:
    return _length(raw) if str(raw).strip() else ""


def _time(raw: object) -> str:
    typed = " ".join(str(raw).split())
    with suppress(Ambiguous):
        time_to_come(typed, datetime(2000, 1, 1, tzinfo=UTC), UTC)
    return typed


def _moment(raw: object) -> str:
    typed = str(raw).strip()
    at = iso_instant(typed, UTC)
    if at is None:
        raise InvalidField("Choose a date and a time.")
    return at.isoformat()


def _signal(raw: object) -> str:
    typed = str(raw).strip()
    if not typed:
        raise InvalidField("Choose the signal with the event's start time, such as shows.starts_at.")
    return typed[:120]


def _last_minute(raw: object) -> str:
    typed = text(120, empty=True)(raw).strip()
    if typed.replace(LEFT, "").count("{") or typed.replace(LEFT, "").count("}"):
        raise InvalidField(f"Write {LEFT} in place of the time, such as “{LEFT} to go”.")
    return typed


def _words(raw: object) -> str:
    return text(60, empty=True)(raw).replace("\n", " ")


def _mark_fields() -> dict[str, Field]:
    fields: dict[str, Field] = {}
    down = ("counts", DOWN)
    for at in range(1, MARKS + 1):
        fields |= {
            f"mark_{at}": Field("At time left", _mark, placeholder="1 min", only_if=down, group=f"Mark {at}"),
            f"sound_{at}": Field("Sound", _words, kind="sound", default=NO_SOUND, only_if=down, group=f"Mark {at}"),
            f"scene_{at}": Field("Scene", _words, kind="scene", only_if=down, group=f"Mark {at}"),
        }
    return fields


_TIMED = ("counts", (*DOWN, *UP))
_DOWN = ("counts", DOWN)
_CLOCK = ("counts", ("clock",))
FIELDS: Mapping[str, Field] = {
    "title": Field("Name", line(60), placeholder="Kettle break", group="Mode"),
    "counts": Field(
        "Mode", choice([one for one, _ in COUNTS]), kind="choice", default="duration", options=COUNTS, group="Mode"
    ),
    "length": Field(
        "For",
        _length,
        default="5 min",
        placeholder="5 min",
        only_if=("counts", ("duration",)),
        help="10 min, 10:00, 90 s or 1h 5m. You can change it while it runs.",
        group="Mode",
    ),
    "to": Field(
        "To",
        _time,
        placeholder="20:15",
        only_if=("counts", ("time",)),
        help="20:15, tomorrow 20:15, or 2026-12-24 20:15; in your zone.",
        group="Mode",
    ),
    "signal": Field(
        "Calendar signal",
        _signal,
        kind="signal",
        placeholder="shows.starts_at",
        only_if=("counts", ("event",)),
        help="A calendar feed has one.",
        group="Mode",
    ),
    "since": Field("Since", _moment, kind="instant", only_if=("counts", ("since",)), group="Mode"),
    "form": Field(
        "Time format",
        choice(["colons", "letters"]),
        kind="choice",
        default="colons",
        options=_FORMS,
        only_if=_TIMED,
        group="Format",
    ),
    "leading": Field(
        "Leading zeros",
        choice(["yes", "no"]),
        kind="choice",
        default="yes",
        options=(("yes", "yes: 09:04"), ("no", "no: 9:04")),
        group="Format",
    ),
    "empty": Field(
        "Empty units",
        choice(["none", "minutes", "all"]),
        kind="choice",
        default="minutes",
        options=_EMPTY,
        only_if=_TIMED,
        group="Format",
    ),
    "hours_from_min": Field(
        "Hours from", whole(1, 60_000), kind="number", default="60", unit="minutes", only_if=_TIMED, group="Format"
    ),
    "days": Field(
        "Days from 24 hours",
        choice(["yes", "no"]),
        kind="choice",
        default="yes",
        options=_YES_NO,
        only_if=_TIMED,
        group="Format",
    ),
    "tenths": Field(
        "Tenths in the last ten seconds",
        choice(["yes", "no"]),
        kind="choice",
        default="no",
        options=_YES_NO,
        only_if=_DOWN,
        group="Format",
    ),
    "clock": Field(
        "Time",
        choice([one for one, _ in CLOCKS]),
        kind="choice",
        default="24s",
        options=CLOCKS,
        only_if=_CLOCK,
        group="Format",
    ),
    "date": Field(
        "Date",
        choice([one for one, _ in DATES]),
        kind="choice",
        default="none",
        options=DATES,
        only_if=_CLOCK,
        group="Format",
    ),
    "before": Field("Text before", _words, placeholder="Back in ", group="Format"),
    "after": Field("Text after", _words, placeholder=" to go", group="Format"),
    "last_minute": Field(
        "In the last minute",
        _last_minute,
        only_if=_DOWN,
        placeholder=f"Nearly there: {LEFT}",
        help=f"{LEFT} is replaced by the time. Empty: the text stays.",
        group="Format",
    ),
    "ready": Field(
        "Before the start",
        choice(["length", "nothing"]),
        kind="choice",
        default="length",
        options=_READY,
        only_if=("counts", COMMANDED),
        group="Before and after",
    ),
    "end_words": Field(
        "At the end",
        _words,
        default="",
        placeholder="Kettle's on, in we go",
        only_if=_DOWN,
        help="Empty: shows zero.",
        group="Before and after",
    ),
    "end_s": Field(
        "Keep last text for",
        whole(0, 3_600),
        kind="number",
        default="10",
        unit="s",
        only_if=_DOWN,
        help="0 = until you hide it.",
        group="Before and after",
    ),
    "end_sound": Field(
        "Sound at the end", _words, kind="sound", default=NO_SOUND, only_if=_DOWN, group="Before and after"
    ),
    "end_scene": Field("Scene at the end", _words, kind="scene", only_if=_DOWN, group="Before and after"),
    **_mark_fields(),
}
_UNASKED = {name: int(field.default) if field.kind == "number" else field.default for name, field in FIELDS.items()}
