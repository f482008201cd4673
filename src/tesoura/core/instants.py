"""Parsing times from outside, limited to what every time zone and export can represent."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, tzinfo

EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
EARLIEST, LATEST = datetime(1900, 1, 1, tzinfo=UTC), datetime(2999, 12, 31, tzinfo=UTC)
"""Times outside these years are rejected: nobody means them, and time zones and exports can't represent them."""
DAMAGED = EARLIEST
_FIRST, _LAST = ((at - EPOCH) // timedelta(microseconds=1) for at in (EARLIEST, LATEST))
"""Replaces a stored time that can't be represented."""
_MILLISECONDS_FROM = 2e10
"""A number this large counts milliseconds since 1970, and not seconds."""


def told_instant(value: object, zone: tzinfo | None = UTC) -> datetime | None:
    """An instant out of what others write: seconds or milliseconds since 1970, or as `iso_instant` takes it."""
    if isinstance(value, str):
        is_number = value.strip().replace(".", "", 1).isdecimal()
        return told_instant(float(value[:24]), zone) if is_number else iso_instant(value, zone)
    if isinstance(value, int | float) and not isinstance(value, bool) and 0 < value < 1e15:
        try:
            at = EPOCH + timedelta(seconds=value / 1000 if value > _MILLISECONDS_FROM else value)
        except OverflowError:
            return None
        return at if _is_within(at) else None
    return None


def iso_instant(value: object, zone: tzinfo | None = None) -> datetime | None:
    """An instant in ISO 8601; without a zone of its own it is of `zone`. None for anything else."""
    if not isinstance(value, str):
        return None
    try:
        at = datetime.fromisoformat(value.strip()[:40])
    except ValueError:
        return None
    if at.tzinfo is None:
        if zone is None:
            return None
        at = at.replace(tzinfo=zone)
    return at if _is_within(at) else None


def stored_instant(micros: int) -> datetime:
    """The instant so many microseconds after 1970; `DAMAGED` where that is none."""
    return EPOCH + timedelta(microseconds=micros) if _FIRST <= micros <= _LAST else DAMAGED


def _is_within(at: datetime) -> bool:
    try:
        return EARLIEST <= at.astimezone(UTC) <= LATEST
    except OverflowError:
        return False
