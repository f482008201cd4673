"""The nearest name, for one that is gone."""

from __future__ import annotations

import pytest

from tesoura.core.nearest import nearest, same_name

SCENES = ("Play", "Talk", "Break", "Starting soon")


@pytest.mark.parametrize(
    ("name", "found"),
    [
        ("Plya", "Play"),
        ("play", "Play"),
        ("Play 2", "Play"),
        ("Starting", "Starting soon"),
        ("breaks", "Break"),
        ("Zzz", None),
        ("", None),
    ],
)
def test_the_nearest_name_is_the_one_most_like_it_or_none(name: str, found: str | None) -> None:
    assert nearest(name, SCENES) == found


def test_case_and_blanks_make_no_other_name() -> None:
    assert same_name("  starting   SOON ", SCENES) == "Starting soon"
    assert same_name("Start", SCENES) is None
