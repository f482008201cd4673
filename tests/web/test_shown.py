"""How values, ages and lines are shown."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from flask import Flask

from tesoura.core.overlays.document import new_piece
from tesoura.runtime.preferences import Preferences
from tesoura.settings import Settings
from tesoura.web.overlays.css import piece_rules
from tesoura.web.shared import shown
from tesoura.web.shared.doors import EXTENSION, Doors

NOW = datetime(2026, 11, 26, 19, 30, 5, tzinfo=UTC)


@pytest.fixture(autouse=True)
def _pages() -> Iterator[None]:
    class German:
        preferences = Preferences("de", UTC, 0, (), None)

    app = Flask("shown")
    runtime: Any = German()
    store: Any = None
    app.extensions[EXTENSION] = Doors(runtime, store, Settings(Path(), clock=lambda: NOW), store)
    with app.app_context():
        yield


@pytest.mark.parametrize(
    ("seconds", "words"),
    [
        (0.4, "now"),
        (3, "3 s ago"),
        (89, "89 s ago"),
        (120, "2 min ago"),
        (7200, "2 h ago"),
        (200_000, "2 days ago"),
        (-5, "now"),
    ],
)
def test_an_age_is_told_in_one_unit(seconds: float, words: str) -> None:
    assert shown.age(NOW - timedelta(seconds=seconds)) == words


def test_a_time_of_another_day_has_its_date() -> None:
    assert shown.clock_time(NOW) == "19:30:05"
    assert shown.clock_time(NOW, seconds=False) == "19:30"
    assert shown.clock_time(NOW - timedelta(days=1)) == "25 Nov 19:30:05"
    assert shown.clock_time(None) == "—"
    assert shown.age(None) == "never"


def test_a_wait_is_told_in_seconds() -> None:
    assert shown.in_time(NOW + timedelta(seconds=8)) == "in 8 s"
    assert shown.in_time(NOW - timedelta(seconds=8)) == "now"
    assert shown.in_time(None) == ""


def test_values_are_written_in_the_users_language_and_none_is_a_dash() -> None:
    assert [shown.value(one) for one in (1284, 0.5, "Ana", True, None)] == ["1.284", "0,5", "Ana", "yes", "—"]


def test_a_line_runs_over_ten_minutes_from_least_to_greatest() -> None:
    points = ((NOW.timestamp() - 600, 10.0), (NOW.timestamp() - 300, 20.0))
    assert shown.trail_path(points, NOW) == "M0.0 29.0L80.0 3.0L160.0 3.0"
    assert shown.trail_path(points[:1], NOW) == "M0.0 16.0L160.0 16.0"
    assert shown.trail_path(((NOW.timestamp() - 601, 1.0),), NOW) == ""


@pytest.mark.parametrize(("opacity", "background"), [(0, "transparent"), (100, "#1E2A38"), (86, "rgb(30 42 56 / 86%)")])
def test_a_backing_is_exact(opacity: int, background: str) -> None:
    piece = new_piece("text", "a", backing_opacity_pct=opacity, padding_px=25)
    rules = piece_rules(piece, {}, "dark")
    assert (rules["--backing"], rules["--pad-y"], rules["--pad"]) == (background, "12px", "25px")


@pytest.mark.parametrize(
    ("actor", "words"),
    [
        ("desk", "the desk"),
        ("desk:10.0.0.7", "the desk at 10.0.0.7"),
        ("key:me", "a program, key “me”"),
        ("feed:reach", "the feed reach"),
        ("page:1f", "a page of viewers (1f)"),
        ("instrument:kettle", "the instrument kettle"),
        ("effect", "a cue"),
        ("device:My phone", "My phone"),
    ],
)
def test_who_did_something_is_told_in_words(actor: str, words: str) -> None:
    assert shown.actor_words(actor) == words
