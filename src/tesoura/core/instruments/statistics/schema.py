"""The events of a game, as any program may send them: their types, what stands in their data, what they mean."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

FIELDS: Mapping[str, str] = {
    "match": "which match, a text of your own; without one, the match that goes on",
    "actor": "who did it, a name; of a match, whose it is, where several players are told of",
    "target": "whom it was done to, a name",
    "means": "with what, a text",
    "tags": "a list of texts, such as gust bonus, friendly, warm-up",
    "amount": "how much, a number",
    "opponent": "against whom, a name",
    "arena": "where, a text",
    "rating": "a number; at a match's start the one before it, at its end the one after it",
    "rating_before": "a number, the one before the match",
    "result": "won, lost or drawn",
    "round": "the number of the round",
    "shots": "how many shots, a number",
    "hits": "how many of them hit, a number",
    "kills": "a number; only where no single kill was told",
    "deaths": "a number; only where no single death was told",
    "assists": "a number; only where no single assist was told",
    "duration_s": "how long the match was, seconds; only where its start was not told",
    "health": "a number, and so on for every vital by its name",
    "x": "across, a number in the game's own units",
    "y": "up or down, a number in the game's own units",
    "friendly": "true for friendly fire",
    "warm_up": "true in the warm-up",
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
        "A match begins. One that still goes on is over, without a result.",
        (),
        ("match", "actor", "opponent", "arena", "rating"),
    ),
    GameEvent("match.pause", "Match time stands still.", (), ("match",)),
    GameEvent("match.resume", "Match time goes on.", (), ("match",)),
    GameEvent("round.start", "A round begins.", (), ("match", "round")),
    GameEvent("round.end", "A round ends; it may tell how it was aimed.", (), ("match", "round", "shots", "hits")),
    GameEvent(
        "kill",
        "Somebody was beaten by somebody. Others' kills count for the place among rivals.",
        ("actor",),
        ("target", "means", "tags", "friendly", "warm_up", "match"),
    ),
    GameEvent("death", "Somebody died.", ("target",), ("actor", "means", "tags", "warm_up", "match")),
    GameEvent("assist", "Somebody helped.", ("actor",), ("target", "match")),
    GameEvent("damage", "Somebody hurt somebody.", ("actor", "amount"), ("target", "shots", "hits", "match")),
    GameEvent(
        "objective",
        "Something was reached. It is in the log and can be counted by a window.",
        ("actor",),
        ("amount", "tags", "match"),
    ),
    GameEvent("vitals", "How the player fares.", ("health",), ("actor", "match")),
    GameEvent("position", "Where the player is.", ("x", "y"), ("actor", "match")),
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
