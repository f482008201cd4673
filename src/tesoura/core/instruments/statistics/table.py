"""The statistics: what each is called, how it is computed, and what it is where the formula has no answer."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

SCOPES: Mapping[str, str] = {
    "match": "this match",
    "session": "this stream session",
    "day": "today",
    "last": "the last matches",
    "ended": "the match that ended last",
}
PLAYED = tuple(SCOPES)
OVER_MATCHES = ("session", "day", "last")


@dataclass(frozen=True, slots=True)
class Statistic:
    """One statistic: the end of its signals' names, its label and unit, its formula, and its edge cases, in words."""

    name: str
    label: str
    formula: str
    edges: str = ""
    unit: str = ""
    scopes: Sequence[str] = PLAYED
    icon: str = "none"
    format: str = ""

    def wording(self, signal: str) -> str:
        """How a piece says it: written as it is meant, a share with its sign."""
        spec = f":{self.format}" if self.format else ""
        return f"{{{signal}{spec}}}" + (" %" if self.unit == "%" else "")


STATISTICS: Sequence[Statistic] = (
    Statistic("kills", "Kills", "kills that count by the rule", "", "", icon="scissors"),
    Statistic(
        "deaths",
        "Deaths",
        "times the player died",
        "warm-up deaths are excluded unless the rule counts them",
        "",
        icon="kite",
    ),
    Statistic("assists", "Assists", "assists sent by the game", "", "", icon="people"),
    Statistic(
        "kd", "K/D", "kills / deaths", "without deaths: the kills, and deathless is true", "", icon="none", format=".2f"
    ),
    Statistic(
        "kda",
        "(K+A)/D",
        "(kills + assists) / deaths",
        "without deaths: kills + assists, and deathless is true",
        "",
        format=".2f",
    ),
    Statistic("deathless", "No death yet", "true if there was no death", "", ""),
    Statistic(
        "per_minute",
        "Kills a minute",
        "kills / minutes of match time",
        "pauses and time between matches don't count; empty during the first second",
        "",
        icon="clock",
        format=".2f",
    ),
    Statistic(
        "minutes",
        "Minutes played",
        "match time without pauses",
        "a match without an end lasts until its last event",
        "min",
        icon="clock",
        format=".0f",
    ),
    Statistic(
        "streak",
        "Streak",
        "kills since the last death",
        "continues across matches, except for “this match”",
        "",
        icon="bolt",
    ),
    Statistic("best_streak", "Best streak", "most kills between two deaths", "", "", icon="star"),
    Statistic(
        "multis",
        "Multi-kills",
        "series of two or more kills, each within the maximum gap",
        "a series of three counts once; a series ends with its match",
        "",
        icon="bolt",
    ),
    Statistic("best_multi", "Best multi-kill", "the longest series", "no series: 0", "", icon="star"),
    Statistic(
        "damage", "Damage", "amounts of damage dealt", "empty if the game sends none", "", icon="bolt", format=",.0f"
    ),
    Statistic("taken", "Damage taken", "amounts of damage received", "empty if the game sends none", "", format=",.0f"),
    Statistic("accuracy_pct", "Accuracy", "100 × hits / shots", "empty without shots", "%", icon="none", format=".0f"),
    Statistic("wins", "Wins", "matches won", "", "", OVER_MATCHES, "cup"),
    Statistic("losses", "Losses", "matches lost", "", "", OVER_MATCHES, "none"),
    Statistic("draws", "Draws", "matches drawn", "", "", OVER_MATCHES, "none"),
    Statistic(
        "win_rate_pct",
        "Win rate",
        "100 × wins / (wins + losses + draws)",
        "empty before the first result; matches without a result don't count",
        "%",
        OVER_MATCHES,
        "cup",
        ".0f",
    ),
    Statistic(
        "win_run",
        "Wins in a row",
        "wins since the last match that wasn't won",
        "matches without a result are skipped",
        "",
        OVER_MATCHES,
        "flag",
    ),
    Statistic(
        "rating_change",
        "Rating change",
        "current rating − rating at the start",
        "starts from the last rating before, or the first one since",
        "",
        ("session", "day", "last", "ended"),
        "up",
        "signed",
    ),
    Statistic(
        "rating_peak",
        "Best rating",
        "highest rating",
        "includes the rating at the start",
        "",
        ("session", "day", "last"),
        "star",
        ",.0f",
    ),
    Statistic("result", "Result", "won, lost or drawn", "empty if the end had no result", "", ("ended",)),
    Statistic(
        "rank",
        "Place",
        "1 + rivals with more kills",
        "equal kills share a rank; empty if only the player's kills are sent",
        "",
        ("match", "ended"),
        "flag",
    ),
    Statistic(
        "rivals", "Rivals", "other players in the match's kills", "empty if unknown", "", ("match", "ended"), "people"
    ),
)
SINGLE: Mapping[str, str] = {
    "rating": "Rating now",
    "state": "on during a match, otherwise between",
    "match_number": "Matches this session",
    "opponent": "Against whom",
    "arena": "Where",
}
CARD: Mapping[str, str] = {
    "rating": "",
    "opponent": "",
    "row_won": "drawing",
    "row_lost": "drawing",
    "row_drawn": "drawing",
    "rating_line": "drawing",
}
"""What the match-end card has beside the statistics of the match that ended last."""


def outputs(vitals: Iterable[str]) -> dict[str, str]:
    """All signals with their units, by the part after the dot."""
    found = {f"{scope}_{one.name}": one.unit for one in STATISTICS for scope in one.scopes}
    found |= {f"card_{one.name}": one.unit for one in STATISTICS if "ended" in one.scopes}
    found |= {f"card_{name}": unit for name, unit in CARD.items()} | dict.fromkeys(SINGLE, "")
    return found | {f"vital_{name}{part}": "" for name in vitals for part in ("", "_share")}
