"""When feeds failed, from what the log tells of them."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from tesoura.core.signals.outages import Outage, outages
from tesoura.core.values import Event


def at(minute: int) -> datetime:
    return datetime(2026, 11, 26, 19, minute, tzinfo=UTC)


def changes(*told: tuple[str, str, int]) -> list[Event]:
    """Events of a feed's name, what it is now, and the minute."""
    return [
        Event(
            f"e{minute}",
            "tesoura",
            "tesoura.feed",
            at(minute),
            {"feed": feed, "state": state, **({"why": f"why {minute}"} if state == "down" else {})},
        )
        for feed, state, minute in told
    ]


@pytest.mark.parametrize(
    ("told", "expected"),
    [
        ([], []),
        ([("reach", "down", 2), ("reach", "back", 7)], [Outage("reach", at(2), at(7), "why 2")]),
        # It came back from what was before.
        ([("reach", "back", 3)], []),
        ([("reach", "down", 2)], [Outage("reach", at(2), None, "why 2")]),
        # While Tesoura was off it came back, and nobody can say when.
        (
            [("reach", "down", 2), ("reach", "down", 9), ("reach", "back", 11)],
            [Outage("reach", at(2), None, "why 2"), Outage("reach", at(9), at(11), "why 9")],
        ),
        (
            [("reach", "down", 2), ("wind", "down", 3), ("reach", "back", 5), ("wind", "back", 4)],
            [Outage("reach", at(2), at(5), "why 2"), Outage("wind", at(3), at(4), "why 3")],
        ),
        # The one that began first stands first, though it ended last.
        (
            [("wind", "down", 1), ("reach", "down", 2), ("reach", "back", 3), ("wind", "back", 8)],
            [Outage("wind", at(1), at(8), "why 1"), Outage("reach", at(2), at(3), "why 2")],
        ),
    ],
)
def test_outages_are_told_from_when_feeds_went_down_and_came_back(
    told: list[tuple[str, str, int]], expected: list[Outage]
) -> None:
    assert outages(changes(*told)) == expected


def test_how_long_an_outage_was_is_known_once_its_end_is() -> None:
    assert Outage("reach", at(2), at(7), "").length_s == 300
    assert Outage("reach", at(2), None, "").length_s is None
