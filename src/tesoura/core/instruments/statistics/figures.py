"""The figures of a scope, by the definitions of the table."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from tesoura.core.instruments.statistics.course import Match
from tesoura.core.instruments.statistics.tally import Tally
from tesoura.core.values import Scalar

MINUTE_US = 60_000_000
LEAST_US = 1_000_000
WON, LOST, DRAWN = "won", "lost", "drawn"
RESULTS = {WON: ("won", "win", "victory"), LOST: ("lost", "loss", "lose", "defeat"), DRAWN: ("drawn", "draw", "tie")}
RESULT_OF = {word: result for result, words in RESULTS.items() for word in words}


def ratio(above: int, below: int) -> float | int:
    """Above / below; without any below, what is above."""
    return round(above / below, 4) if below else above


def played(tally: Tally, played_us: int) -> dict[str, Scalar | None]:
    """What a tally comes to, in so much match time."""
    return {
        "kills": tally.kills,
        "deaths": tally.deaths,
        "assists": tally.assists,
        "kd": ratio(tally.kills, tally.deaths),
        "kda": ratio(tally.kills + tally.assists, tally.deaths),
        "deathless": tally.deaths == 0,
        "per_minute": round(tally.kills * MINUTE_US / played_us, 4) if played_us >= LEAST_US else None,
        "minutes": round(played_us / MINUTE_US, 2),
        "streak": tally.run,
        "best_streak": tally.best,
        "multis": tally.multi(2),
        "best_multi": tally.longest_multi(),
        "damage": _whole(tally.dealt) if tally.dealt else None,
        "taken": _whole(tally.taken) if tally.taken else None,
        "accuracy_pct": round(100 * tally.hits / tally.shots, 2) if tally.shots else None,
    }


def _whole(number: float) -> int | float:
    return int(number) if number == int(number) else round(number, 3)


def results(matches: Iterable[Match]) -> dict[str, Scalar | None]:
    """What the results of matches come to, the oldest first; those without one do not count."""
    known = [one.result for one in matches if one.result]
    wins = known.count(WON)
    run = next((at for at, result in enumerate(reversed(known)) if result != WON), len(known))
    return {
        "wins": wins,
        "losses": known.count(LOST),
        "draws": known.count(DRAWN),
        "win_rate_pct": round(100 * wins / len(known), 2) if known else None,
        "win_run": run,
    }


def place(told: Mapping[str, int], players: frozenset[str]) -> dict[str, Scalar | None]:
    """The player's place among the rivals of a match, by everybody's kills; nothing while no rival's kill was told. Who
    was only killed is a rival, too."""
    mine = sum(kills for name, kills in told.items() if name in players)
    others = [kills for name, kills in told.items() if name not in players]
    if not players or not others:
        return {"rank": None, "rivals": None}
    return {"rank": 1 + sum(kills > mine for kills in others) if any(others) else None, "rivals": len(others)}


# Drawings


PLACES = 30
"""How many matches the row has room for."""


def rows(results_: Sequence[str]) -> dict[str, str]:
    """The results as shapes beside each other, the newest at the right: kites won, crosses lost, bars drawn.

    Each is a path in a picture of 300 × 10.
    """
    shown = list(results_)[-PLACES:]
    found = {"row_won": "", "row_lost": "", "row_drawn": ""}
    for at, result in enumerate(shown, PLACES - len(shown)):
        x = 10 * at
        if result == WON:
            found["row_won"] += f"M{x + 5} .8L{x + 8.6:g} 4.4 {x + 5} 9.4 {x + 1.4:g} 4.4Z"
        elif result == LOST:
            found["row_lost"] += f"M{x + 2.2:g} 2.2l5.6 5.6M{x + 7.8:g} 2.2l-5.6 5.6"
        else:
            found["row_drawn"] += f"M{x + 2:g} 5h6"
    return found


def line(ratings: Sequence[float]) -> str:
    """Ratings as a path from left to right in a picture of 100 × 100, the highest at the top; one is a level line."""
    if not ratings:
        return ""
    low, high = min(ratings), max(ratings)
    heights = [50.0 if high == low else 94 - 88 * (one - low) / (high - low) for one in ratings]
    if len(heights) == 1:
        return f"M0 {heights[0]:g}L100 {heights[0]:g}"
    step = 100 / (len(heights) - 1)
    return "M" + "L".join(f"{at * step:.1f} {height:.1f}" for at, height in enumerate(heights))
