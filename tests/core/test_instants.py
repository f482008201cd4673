"""Instants as others write them, and as damaged rows have them: none breaks who counts from it."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, timezone
from zoneinfo import ZoneInfo

import pytest

from tesoura.core.computed.occurrence import instant
from tesoura.core.instants import DAMAGED, iso_instant, stored_instant, told_instant

SEVEN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)


@pytest.mark.parametrize(
    ("told", "at"),
    [
        ("2026-11-26T19:00:00Z", SEVEN),
        ("2026-11-26 20:00+01:00", SEVEN),
        (" 2026-11-26T19:00 ", SEVEN),
        (1_795_719_600, SEVEN),
        ("1795719600", SEVEN),
        (1_795_719_600_000, SEVEN),
        ("1795719600.0", SEVEN),
    ],
)
def test_what_services_write_is_understood(told: object, at: datetime) -> None:
    assert told_instant(told) == at


@pytest.mark.parametrize(
    "told",
    [
        "0001-01-01T00:00:00+14:00",
        "9999-12-31T23:59:59-14:00",
        "0001-01-01",
        "1899-12-31T23:00Z",
        "3000-01-01",
        0,
        -5,
        1e308,
        9e14,
        "900000000000000",
        float("nan"),
        float("inf"),
        True,
        None,
        "soon",
        "",
        "1" * 5_000,
        "9" * 20,
        {"at": 1},
        "2026-13-01",
        "2026-11-26T19:00:00+24:00",
        "٢٠٢٦-11-26",
    ],
)
def test_what_is_no_instant_or_lies_beyond_every_calendar_is_none(told: object) -> None:
    assert told_instant(told) is None
    assert iso_instant(told, timezone(timedelta(hours=-12))) is None


def test_without_a_zone_it_is_of_the_one_that_is_given_or_none() -> None:
    assert iso_instant("2026-11-26T19:00") is None
    assert iso_instant("2026-11-26T20:00", ZoneInfo("Europe/Berlin")) == SEVEN


@pytest.mark.parametrize("micros", [-(2**63), -62_135_647_200_000_000, 253_402_300_800_000_000, 2**63 - 1])
def test_a_stored_instant_that_is_none_stands_for_damage(micros: int) -> None:
    assert stored_instant(micros) == instant(micros) == DAMAGED
    for hours in (-12, 14):
        assert DAMAGED.astimezone(timezone(timedelta(hours=hours))).year in (1899, 1900)
    assert stored_instant(1_795_719_600_000_000) == SEVEN
