"""The events of a game, as any program may send them: their types, what stands in their data, what they mean."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

FIELDS: Mapping[str, str] = {
    "match": "match ID, a text; default: the match in progress",
    "actor": "the player who did it; for a match, whose it is",
    "target": "the player it was done to",
    "means": "weapon or means, a text",
    "tags": "a list of texts, such as gust bonus, friendly, warm-up",
    "amount": "amount, a number",
    "opponent": "opponent's name",
    "arena": "arena, a text",
    "rating": "a number: before the match at its start, after it at its end",
    "rating_before": "the rating before the match",
    "result": "won, lost or drawn",
    "round": "round number",
    "shots": "number of shots",
    "hits": "number of hits",
    "kills": "a number; only if no single kills are sent",
    "deaths": "a number; only if no single deaths are sent",
    "assists": "a number; only if no single assists are sent",
    "duration_s": "match length in seconds; only if no start is sent",
    "health": "a number; other vitals likewise, by name",
    "x": "horizontal position in the game's units",
    "y": "vertical position in the game's units",
    "friendly": "true for friendly fire",
    "warm_up": "true during the warm-up",
}


@dataclass(frozen=True, slots=True)
class GameEvent:
    """One type of event: what it means, what its data must have to be of use, and what it may have."""

    type: str
    meaning: str
    needs: Sequence[str] = ()
    may: Sequence[str] = ()


GAME_EVENTS: Sequence[GameEvent] = (
    GameEvent(
        "match.start",
        "A match starts. A match still in progress ends without a result.",
        (),
        ("match", "actor", "opponent", "arena", "rating"),
    ),
    GameEvent("match.pause", "Match time is paused.", (), ("match",)),
    GameEvent("match.resume", "Match time resumes.", (), ("match",)),
    GameEvent("round.start", "A round starts.", (), ("match", "round")),
    GameEvent("round.end", "A round ends; can include shots and hits.", (), ("match", "round", "shots", "hits")),
    GameEvent(
        "kill",
        "A player beat another. Others' kills count for the rank.",
        ("actor",),
        ("target", "means", "tags", "friendly", "warm_up", "match"),
    ),
    GameEvent("death", "A player died.", ("target",), ("actor", "means", "tags", "warm_up", "match")),
    GameEvent("assist", "A player assisted.", ("actor",), ("target", "match")),
    GameEvent("damage", "A player did damage.", ("actor", "amount"), ("target", "shots", "hits", "match")),
    GameEvent(
        "objective", "An objective was reached. Count it with a window.", ("actor",), ("amount", "tags", "match")
    ),
    GameEvent("vitals", "The player's health and other vitals.", ("health",), ("actor", "match")),
    GameEvent("position", "The player's position.", ("x", "y"), ("actor", "match")),
    GameEvent(
        "match.end",
        "A match ends.",
        ("result",),
        (
            "match",
            "actor",
            "rating",
            "rating_before",
            "opponent",
            "kills",
            "deaths",
            "assists",
            "shots",
            "hits",
            "duration_s",
        ),
    ),
)
