"""Reading what plays out of a text file, by a pattern with named parts."""

from __future__ import annotations

import time
from typing import Any

import regex

from tesoura.core.tracks.course import PlayerReport, TrackCourse
from tesoura.core.tracks.reading import heard
from tesoura.core.tracks.track import seconds_typed
from tesoura.errors import ResponseNotUnderstood, TooMuch
from tesoura.feeds.api import FetchContext, Fetched, Item
from tesoura.feeds.file.watch import look

MOST = 4_000
WITHIN_S = 0.2


async def fetch(context: FetchContext) -> Fetched:
    """Look once. Raises SourceError."""
    course: TrackCourse = context.scratch.setdefault("course", TrackCourse())
    try:
        came = await look(context, str(context.choices["path"]), "text", may_be_empty=True)
    except Exception:
        # Once it is there again, all of it is told again.
        context.scratch.pop("course", None)
        raise
    if came.unchanged:
        return came
    text = str(came.payload.get("text", "")) if isinstance(came.payload, dict) else ""
    report = read(text[:MOST], str(context.choices["pattern"]))
    items = tuple(Item(kind, data) for kind, data in course.after(report, time.monotonic()))
    note = heard(report) if report.nothing else f"Playing: {heard(report)}."
    told = {**report.details, "position_s": report.position_s}
    return Fetched(told, came.size_bytes, items=items, quiet=True, note=note)


def read(text: str, pattern: str) -> PlayerReport:
    """How the player stands, by what stands in its file. Raises SourceError."""
    if not text.strip():
        return PlayerReport()
    try:
        found = regex.search(pattern, text.strip(), timeout=WITHIN_S)
    except TimeoutError:
        raise TooMuch("The pattern takes too long on this file, so it was paused. Simplify it.") from None
    except regex.error as error:
        raise ResponseNotUnderstood(f"Not a valid pattern: {error}.", "") from None
    if found is None:
        raise ResponseNotUnderstood("The file doesn't match the pattern. Change the pattern.", text[:200])
    parts = {name: value.strip() for name, value in found.groupdict().items() if value and value.strip()}
    details: dict[str, Any] = {name: parts[name] for name in ("title", "album") if name in parts}
    if "artists" in parts:
        details["artists"] = [one.strip() for one in parts["artists"].split(";") if one.strip()]
    if (length := seconds_typed(parts.get("length", ""))) is not None:
        details["length_s"] = length
    return PlayerReport(details, True, seconds_typed(parts.get("position", "")))
