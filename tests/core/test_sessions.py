"""When a new stream session is suggested, and when not."""

from datetime import UTC, datetime

import pytest

from tesoura.core.signals.sessions import suggestion


def at(day: int, hour: int, minute: int = 0) -> datetime:
    return datetime(2026, 11, day, hour, minute, tzinfo=UTC)


@pytest.mark.parametrize(
    ("started", "last", "now", "said"),
    [
        (None, at(26, 12), at(26, 20), None),
        (at(26, 19), at(26, 20), at(26, 21), None),
        (at(26, 13), at(26, 14), at(26, 20), "No events for 6 hours."),
        (at(26, 13), None, at(26, 20, 30), "No events for 7 hours."),
        (at(26, 22), at(27, 0, 30), at(27, 1), None),
        (at(26, 22), at(26, 23), at(27, 0, 30), "A new day has begun since this session started."),
    ],
)
def test_a_new_session_is_suggested(
    started: datetime | None, last: datetime | None, now: datetime, said: str | None
) -> None:
    assert suggestion(started, last, now) == said
