"""A few of the kills that `make bench ARGS=recount` does by the thousand."""

from __future__ import annotations

import os

import pytest
from benchmarks.evening_kills import killed


@pytest.mark.skipif(os.name != "posix", reason="kill -9 is for POSIX")
def test_an_evening_that_is_killed_four_times_loses_and_doubles_nothing() -> None:
    found = killed(4, seed=8)
    assert found["which"] == []
    assert found["compared"] > 200
    assert sum(found["acknowledged"].values()) > 0
