"""Reading a calendar: occurrences of recurring events in their own zones, told in the user's."""

from __future__ import annotations

import asyncio
import re
from collections.abc import AsyncIterator, Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta, tzinfo
from typing import Any

import icalendar
import recurring_ical_events

from tesoura.core.values import MAX_TEXT
from tesoura.errors import ResponseNotUnderstood
from tesoura.feeds.apart import LARGE, take_apart
from tesoura.feeds.api import FetchContext, Fetched, Item
from tesoura.feeds.file.watch import read_text
from tesoura.feeds.http.ask import get
from tesoura.feeds.paths import allowed

AHEAD = timedelta(days=400)
NEAR = timedelta(hours=1)
MAX_SHOWN = 10
MOST_RULES = 50
_FOLD = re.compile(r"\r?\n[ \t]")
_LONG = re.compile(r"SECONDLY|MINUTELY|HOURLY|BYSECOND|BYMINUTE|BYHOUR|EXRULE|DTSTART[^:\n]*:(?:0|1[0-8]|19[0-6])")
"""What repeats within a day, or has done so for longer than anybody streams."""


@dataclass(frozen=True, slots=True)
class Show:
    """One occurrence of an event."""

    title: str
    starts_at: datetime
    ends_at: datetime
    place: str
    id: str


async def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """The calendar as it stands at each moment: each second in the last hour before a show, else each minute."""
    period = timedelta(seconds=float(context.choices.get("period_s", 600.0)))
    shows: list[Show] = []
    read_at: datetime | None = None
    looked_at = context.clock()
    while True:
        now = context.clock()
        if read_at is None or not timedelta() <= now - read_at < period:
            text, size = await _text(context)
            shows = await _shows(context, text, now)
            read_at = now
        else:
            size = 0
        begun = tuple(
            Item("show.start", {"title": show.title, "place": show.place}, show.id, show.starts_at)
            for show in shows
            if looked_at < show.starts_at <= now
        )
        looked_at = now
        yield Fetched(payload_at(shows, now), size, items=begun)
        await asyncio.sleep(_pause_s(shows, now))


async def _shows(context: FetchContext, text: str, now: datetime) -> list[Show]:
    if is_plain(text):
        return await asyncio.to_thread(read, text, context.zone, now)
    return await take_apart(context.worker, read, text, context.zone, now, what="the calendar")


def is_plain(text: str) -> bool:
    """Whether what a calendar repeats is soon gone through; one that may not be is read within bounds of time."""
    if len(text) >= LARGE:
        return False
    whole = _FOLD.sub("", text).upper()
    return whole.count("RRULE") <= MOST_RULES and not _LONG.search(whole)


def _pause_s(shows: list[Show], now: datetime) -> float:
    coming = next((show for show in shows if show.starts_at > now), None)
    near = coming is not None and coming.starts_at - now <= NEAR
    step = 1.0 if near else 60.0
    # On the second by the wall clock, so that what counts down does not skip one.
    return max(step - (now.timestamp() % step), 0.02)


async def _text(context: FetchContext) -> tuple[str, int]:
    where = str(context.choices["where"])
    if "://" in where:
        _, body = await get(context, where, {"Accept": "text/calendar, */*"})
        return body.decode("utf-8", "replace"), len(body)
    path = await asyncio.to_thread(allowed, where, context.folders)
    text = await read_text(path)
    return text, len(text)


def read(text: str, zone: tzinfo, now: datetime) -> list[Show]:
    """The shows from yesterday to a year ahead, in order. Raises ResponseNotUnderstood."""
    try:
        calendar = icalendar.Calendar.from_ical(text)
        found = recurring_ical_events.of(calendar, skip_bad_series=True).between(now - timedelta(days=2), now + AHEAD)
        shows = [show for event in found if (show := _show(event, zone)) is not None]
    except (ValueError, KeyError, IndexError, TypeError, AttributeError) as error:
        raise ResponseNotUnderstood(
            f"This is not a calendar ({str(error)[:80]}). Calendar addresses usually end in .ics.", text[:300]
        ) from None
    return sorted(shows, key=lambda show: (show.starts_at, show.title))


def _show(event: Mapping[str, Any], zone: tzinfo) -> Show | None:
    if "DTSTART" not in event or str(event.get("STATUS", "")).upper() == "CANCELLED":
        return None
    starts = event["DTSTART"].dt
    ends = event["DTEND"].dt if "DTEND" in event else starts
    starts_at = _instant(starts, zone)
    title = str(event.get("SUMMARY", "")).strip()[:MAX_TEXT] or "Untitled"
    return Show(
        title,
        starts_at,
        max(_instant(ends, zone), starts_at),
        str(event.get("LOCATION", ""))[:400],
        f"{event.get('UID', title)}@{starts_at.isoformat()}"[:160],
    )


def _instant(when: date, zone: tzinfo) -> datetime:
    # A day without a time, and a time without a zone, are the user's.
    if not isinstance(when, datetime):
        when = datetime(when.year, when.month, when.day, tzinfo=zone)
    return (when if when.tzinfo else when.replace(tzinfo=zone)).astimezone(UTC)


def payload_at(shows: list[Show], now: datetime) -> dict[str, Any]:
    """What the calendar says at this moment: what is on, what comes next, and what then."""
    on = [show for show in shows if show.starts_at <= now < show.ends_at]
    coming = [show for show in shows if show.starts_at > now]
    if not shows and not coming:
        return {"now": None, "next": None, "coming": []}
    return {
        "now": {**_told(on[-1]), "left_s": int((on[-1].ends_at - now).total_seconds())} if on else None,
        "next": {**_told(coming[0]), "in_s": _whole_s(coming[0].starts_at - now)} if coming else None,
        "coming": [_told(show) for show in coming[:MAX_SHOWN]],
    }


def _whole_s(wait: timedelta) -> int:
    return int(-(-wait.total_seconds() // 1))


def _told(show: Show) -> dict[str, Any]:
    return {
        "title": show.title,
        "starts_at": show.starts_at.timestamp(),
        "ends_at": show.ends_at.timestamp(),
        "place": show.place,
    }
