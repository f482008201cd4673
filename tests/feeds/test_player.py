"""A statistics service: whom it found, each match once, and every way in which it refuses."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest

from tesoura.errors import CredentialsRejected, ResponseNotUnderstood, SourceUnavailable
from tesoura.feeds.player import KIND
from tesoura.standins.ratings import DEFAULT_KEY, RatingService
from tests.feeds.following import failure, gather


@pytest.fixture
def service() -> Iterator[RatingService]:
    made = RatingService()
    made.start()
    yield made
    made.stop()


def choices(service: RatingService, player: str = "mara_vane", **more: Any) -> dict[str, Any]:
    return {
        "address": service.address,
        "player": player,
        "key_in": "header",
        "key_name": "X-Key",
        "period_s": 20.0,
        **more,
    }


KEY = {"key": DEFAULT_KEY}


def test_a_player_is_found_by_name_whatever_the_case(service: RatingService) -> None:
    [came] = gather(KIND, choices(service, "Mara_Vane"), secrets=KEY)
    assert came.note == "Found: mara_vane, rating 1,412"
    assert came.payload == {"player": {"id": "p0", "name": "mara_vane", "rating": 1_412, "formerly": []}}


def test_each_match_is_told_once_with_what_it_came_to(service: RatingService) -> None:
    service.played("won", 1_430, kills=9, deaths=3)
    service.played("lost", 1_415)
    first, again = gather(KIND, choices(service), 2, secrets=KEY)
    assert [(one.type, one.id, one.data["result"], one.data["rating"]) for one in first.items] == [
        ("match.end", "p0-1", "won", 1_430),
        ("match.end", "p0-2", "lost", 1_415),
    ]
    assert first.items[0].data["kills"] == 9
    assert first.items[0].time is not None
    assert again.items == ()


def test_a_player_who_was_renamed_is_followed_and_the_new_name_said(service: RatingService) -> None:
    service.rename("mara_vane", "mara_of_the_pier")
    [came] = gather(KIND, choices(service), secrets=KEY)
    assert came.note == "Found: mara_of_the_pier, rating 1,412 (formerly mara_vane)"


def test_a_name_that_nobody_has_offers_those_that_are_near(service: RatingService) -> None:
    error = failure(KIND, choices(service, "mara_van"), secrets=KEY)
    assert isinstance(error, SourceUnavailable)
    assert "has no player mara_van. Known: mara_vane." in str(error)
    assert "Check the spelling." in str(failure(KIND, choices(service, "zz"), secrets=KEY))


def test_without_a_key_that_works_the_user_is_asked(service: RatingService) -> None:
    assert isinstance(failure(KIND, choices(service), secrets={"key": "no"}), CredentialsRejected)


def test_a_service_that_was_asked_too_often_is_waited_for() -> None:
    now = [0.0]
    service = RatingService(most=2, clock=lambda: now[0])
    service.start()
    try:
        gather(KIND, choices(service), secrets=KEY)
        error = failure(KIND, choices(service), secrets=KEY)
        assert isinstance(error, SourceUnavailable)
        assert error.retry_after_s == 10
        assert "polled too often (429). It asks to wait 10 s." in str(error)
        now[0] = 10.5
        gather(KIND, choices(service), secrets=KEY)
    finally:
        service.stop()


def test_an_answer_that_is_no_statistics_service_is_shown(service: RatingService) -> None:
    service.strange = True
    error = failure(KIND, choices(service), secrets=KEY)
    assert isinstance(error, ResponseNotUnderstood)
    assert error.payload == "{'answer': 42}"
