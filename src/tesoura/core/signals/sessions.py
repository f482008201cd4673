"""When to suggest a new stream session. Starting one stays a deliberate act."""

from __future__ import annotations

from datetime import datetime, timedelta

QUIET = timedelta(hours=6)


def suggestion(started_at: datetime | None, last_event_at: datetime | None, now: datetime) -> str | None:
    """Why a new session may be due, in a sentence, or None. All instants in the user's zone, for a day is theirs."""
    if started_at is None:
        return None
    last = max(started_at, last_event_at or started_at)
    if now - last >= QUIET:
        hours = int((now - last).total_seconds() // 3600)
        return f"No events for {hours} hours."
    # A stream that runs past midnight is still the same stream: only a quiet hour makes it another.
    if now.date() > started_at.date() and now - last >= timedelta(hours=1):
        return "A new day has begun since this session started."
    return None
