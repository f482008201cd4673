"""Made-up matches, to see a match-end card before any match has ended."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from tesoura.core.instruments.statistics import figures
from tesoura.core.values import Scalar

COUNTS = ("1", "2", "30")
NAME_OF_30 = "Bartholomew von Quillfeather I"
_RESULTS = ("won", "won", "lost", "won", "drawn", "lost", "lost", "won", "won", "won", "lost", "won")
_CHANGES = {"won": 18, "lost": -15, "drawn": 1}
FIRST_RATING = 1_394.0


def matches(count: int) -> tuple[list[str], list[float]]:
    """So many results, the newest last and always won, and the rating after each."""
    results = [_RESULTS[(count - 1 - at) % len(_RESULTS)] for at in range(count)]
    ratings, rating = [], FIRST_RATING
    for result in results:
        rating += _CHANGES[result]
        ratings.append(rating)
    return results, ratings


def drawn(results: Sequence[str], ratings: Sequence[float | None]) -> dict[str, Scalar | None]:
    """The last matches as a row and as a line."""
    return {**figures.rows(results), "rating_line": figures.line([one for one in ratings if one is not None])}


def card(count: int, last: int) -> Mapping[str, Scalar | None]:
    """What a card shows with so many made-up matches."""
    results, ratings = matches(count)
    return {
        "kills": 14,
        "deaths": 6,
        "assists": 5,
        "kd": round(14 / 6, 4),
        "kda": round(19 / 6, 4),
        "deathless": False,
        "per_minute": 1.27,
        "minutes": 11.0,
        "streak": 3,
        "best_streak": 5,
        "multis": 3,
        "best_multi": 4,
        "damage": 2_840,
        "taken": 1_905,
        "accuracy_pct": 38.0,
        "rank": 2,
        "rivals": 9,
        "result": results[-1],
        "rating": ratings[-1],
        "rating_change": _CHANGES[results[-1]],
        "opponent": NAME_OF_30,
        **drawn(results[-last:], ratings[-last:]),
    }
