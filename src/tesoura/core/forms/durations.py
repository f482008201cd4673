"""Lengths of time and times of day as people type them: `10 min`, `10:00`, `1h 5m`; `20:15`, `tomorrow 20:15`."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta, tzinfo

from tesoura.errors import Ambiguous, InvalidField

LONGEST = timedelta(days=366)
EXAMPLES = "Write it as 10 min, 10:00, 90 s or 1h 5m."
_UNITS = {
    "d": 86_400,
    "day": 86_400,
    "days": 86_400,
    "h": 3_600,
    "hour": 3_600,
    "hours": 3_600,
    "hr": 3_600,
    "m": 60,
    "min": 60,
    "mins": 60,
    "minute": 60,
    "minutes": 60,
    "s": 1,
    "sec": 1,
    "secs": 1,
    "second": 1,
    "seconds": 1,
}
_COLONS = re.compile(r"(?:(\d{1,5}):)?(\d{1,5}):(\d{2})")
_PART = re.compile(r"(\d{1,9}(?:[.,]\d{1,3})?)\s*([a-z]+)\s*(?:,|and)?\s*")
_TIME = re.compile(r"(?:(today|tomorrow|\d{4}-\d{2}-\d{2})[ t]+)?(\d{1,2})[:.h](\d{2})(?:[:.](\d{2}))?")


def duration(raw: object) -> timedelta:
    """A check for a length of time from a second to 366 days. A number alone is minutes."""
    typed = " ".join(str(raw).split()).casefold()
    if not typed:
        raise InvalidField(f"This is empty. {EXAMPLES}")
    seconds = _seconds(typed)
    if seconds is None:
        raise InvalidField(f"“{str(raw).strip()[:30]}” is not a length of time. {EXAMPLES}")
    if seconds < 1:
        raise InvalidField("Give at least 1 s.")
    if seconds > LONGEST.total_seconds():
        raise InvalidField("That's more than 366 days. Count down to a date instead, such as 2027-01-01 00:00.")
    return timedelta(seconds=round(seconds, 3))


def signed(raw: object) -> timedelta:
    """A check for a length of time to add, or with a minus before it to take away."""
    typed = str(raw).strip().replace("\u2212", "-")
    away = typed.startswith("-")
    length = duration(typed.lstrip("+-").strip())
    return -length if away else length


def _seconds(typed: str) -> float | None:
    if found := _COLONS.fullmatch(typed):
        hours, minutes, seconds = (int(part or 0) for part in found.groups())
        over = seconds > 59 or (found[1] is not None and minutes > 59)
        return None if over else hours * 3_600.0 + minutes * 60 + seconds
    if re.fullmatch(r"\d{1,9}(?:[.,]\d{1,3})?", typed):
        return float(typed.replace(",", ".")) * 60
    total, at = 0.0, 0
    while at < len(typed):
        part = _PART.match(typed, at)
        if part is None or part[2] not in _UNITS:
            return None
        total += float(part[1].replace(",", ".")) * _UNITS[part[2]]
        at = part.end()
    return total


def brief(length: timedelta) -> str:
    """A length of time in a few words: `3 min`, `1 h 5 min`, `90 s` as `1 min 30 s`."""
    total = abs(round(length.total_seconds()))
    found = []
    for size, unit in ((86_400, "d"), (3_600, "h"), (60, "min"), (1, "s")):
        count, total = divmod(total, size)
        if count:
            found.append(f"{count} {unit}")
    return " ".join(found) or "0 s"


def soonest(local: datetime, now: datetime, zone: tzinfo) -> datetime:
    """The instant of a local time in this zone; of one that comes twice, when the clocks go back, the next to come."""
    first, second = (local.replace(tzinfo=zone, fold=fold).astimezone(UTC) for fold in (0, 1))
    return second if first <= now < second else first


def time_to_come(raw: object, now: datetime, zone: tzinfo) -> datetime:
    """The instant of a time of day, with a date or `tomorrow` before it where that is meant, in this zone.

    Raises InvalidField, and Ambiguous when today's is over.
    """
    typed = " ".join(str(raw).split()).casefold()
    found = _TIME.fullmatch(typed)
    parts = [int(part or 0) for part in found.groups()[1:]] if found else []
    if found is None or parts[0] > 23 or max(parts[1:]) > 59:
        raise InvalidField(
            f"“{str(raw).strip()[:30]}” is not a time. Write it as 20:15, 20:15:30, tomorrow 20:15 or 2026-12-24 20:15."
        )
    local = now.astimezone(zone)
    hour, minute, second = parts
    at = local.replace(hour=hour, minute=minute, second=second, microsecond=0, tzinfo=None, fold=0)
    day = found[1]
    if day == "tomorrow":
        at += timedelta(days=1)
    elif day not in (None, "today"):
        try:
            date = datetime.strptime(day, "%Y-%m-%d")  # noqa: DTZ007 - the zone is put on with the time
        except ValueError:
            raise InvalidField(f"There is no {day} in the calendar.") from None
        at = at.replace(year=date.year, month=date.month, day=date.day)
    instant = soonest(at, now, zone)
    if instant > now:
        return instant
    clock = f"{hour}:{minute:02}" + (f":{second:02}" if second else "")
    if day not in (None, "today"):
        raise InvalidField(f"{day} {clock} has passed. Give a future time.")
    tomorrow = f"tomorrow {clock}"
    raise Ambiguous(f"Today's {clock} has passed. Do you mean tomorrow's?", [(f"Tomorrow's {clock}", {"to": tomorrow})])
