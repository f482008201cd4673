"""A program that keeps and puts back, killed at random moments: whatever it was doing, nothing is lost."""

from __future__ import annotations

import os

import pytest
from benchmarks.kills import killed


@pytest.mark.skipif(os.name != "posix", reason="kill -9 is for POSIX")
def test_six_kills_at_random_moments_lose_nothing() -> None:
    found = killed(6, 11)
    assert (found["kills"], found["problems"]) == (6, [])
    assert found["acts"] > 12
