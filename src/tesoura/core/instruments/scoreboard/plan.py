"""What a scoreboard is set up with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from tesoura.core.forms.checks import line, text
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.instruments.scoreboard.sides import Lineup
from tesoura.core.instruments.scoreboard.stage import MatchRules
from tesoura.core.sports.own import MOST_CHARACTERS, Sport, read, unreachable
from tesoura.core.sports.tables import RALLY_SPORTS, RallySport
from tesoura.core.sports.timed import TIMED_SPORTS
from tesoura.errors import InvalidField

OWN = "own"
SPORTS: Mapping[str, Sport] = {**RALLY_SPORTS, **TIMED_SPORTS}
_MATCH, _PHONES, _CARD = "Match", "Scoring", "End card"
ANYBODY, ONE = "anybody", "one"
_COUNTS_BY = ((ANYBODY, "the desk and every phone"), (ONE, "the desk and one phone"))
PLAYED_BY = ("sport", "rules", "wins", "minutes", "final", "streak")
"""The choices that are the match's rules."""


def _rules(raw: object) -> str:
    typed = text(MOST_CHARACTERS, empty=True)(raw)
    if typed.strip():
        sport = read(typed)
        if never := unreachable(sport):
            raise InvalidField(" ".join(never))
    return typed


def _tenths(raw: object) -> float:
    try:
        value = float(str(raw).replace(",", "."))
    except ValueError:
        value = -1.0
    if not 0 <= value <= 10:
        raise InvalidField("Give seconds from 0 to 10, as 1.5.")
    return round(value, 1)


@dataclass(frozen=True, slots=True)
class MatchPlan:
    """The choices, ready for use."""

    name: str
    title: str
    sport: Sport
    final: bool = False
    streak: int = 5
    referee: str = ""
    """The device whose presses alone count; empty for anybody's."""
    same_rally_s: float = 1.5
    card_s: float = 0.0
    chosen: Mapping[str, Any] = field(default_factory=dict)
    """The choices by which the match is played, as they were made: they go along with its file."""

    def rules(self, lineup: Lineup) -> MatchRules:
        """By what the match is played, with these players."""
        home, away = (max(len(side.names), 1) for side in lineup.sides)
        return MatchRules(self.sport, (home, away), self.streak)


FIELDS: Mapping[str, Field] = {
    "title": Field("Name", line(60), default="Scoreboard", group=_MATCH),
    "sport": one_of(
        "Sport",
        (*((one.name, one.title) for one in SPORTS.values()), (OWN, "custom rules")),
        "table_tennis",
        group=_MATCH,
    ),
    "rules": Field(
        "Custom rules",
        _rules,
        kind="area",
        group=_MATCH,
        only_if=("sport", (OWN,)),
        help="As TOML. Contradictions are reported here.",
        placeholder='title = "Yard tennis"\n[[unit]]\nname = "game"\nto = 11\nby = 2\n[[unit]]\nname = "match"\nto = 2',
    ),
    "wins": number("Sets or games to win", 0, 20, 0, group=_MATCH, help="0 = as in the sport's rules."),
    "minutes": number("Minutes per period", 0, 120, 0, group=_MATCH, help="0 = as in the sport's rules."),
    "final": switch("Final", "no", group=_MATCH, help="The last point is announced as championship point."),
    "streak": number("Announce runs from", 2, 50, 5, "in a row", group=_MATCH),
    "counts_by": one_of("Scored by", _COUNTS_BY, ANYBODY, group=_PHONES),
    "referee": Field(
        "Scoring phone",
        text(60, empty=True),
        kind="device",
        group=_PHONES,
        only_if=("counts_by", (ONE,)),
        help="The referee's phone. Other phones can only view the match.",
    ),
    "same_rally_s": Field(
        "Ignore a second phone within", _tenths, "s", 1.5, "line", group=_PHONES, help="for the same rally. 0 = never."
    ),
    "card_s": number("Show for", 0, 3_600, 0, "s", group=_CARD, help="0 = until a new match starts."),
}


def sport_of(choices: Mapping[str, Any]) -> Sport:
    """The sport that checked choices come to."""
    own = str(choices.get("rules", ""))
    sport = read(own) if choices["sport"] == OWN and own.strip() else SPORTS.get(choices["sport"], SPORTS["free"])
    if isinstance(sport, RallySport):
        wins = int(choices.get("wins", 0))
        return replace(sport, units=(*sport.units[:-1], replace(sport.match, to=wins))) if wins else sport
    return replace(sport, minutes=float(choices["minutes"])) if choices.get("minutes") else sport


def make(name: str, choices: Mapping[str, Any]) -> MatchPlan:
    """The plan that checked choices come to."""
    referee = str(choices.get("referee", "")).strip() if choices["counts_by"] == ONE else ""
    return MatchPlan(
        name,
        choices["title"],
        sport_of(choices),
        choices["final"] == "yes",
        choices["streak"],
        referee,
        float(choices["same_rally_s"]),
        float(choices["card_s"]),
        {name: choices[name] for name in PLAYED_BY if name in choices},
    )


def check(choices: Mapping[str, Any]) -> Mapping[str, str]:
    """Rules of one's own that are missing; a phone that is not named."""
    wrong = {}
    if choices["sport"] == OWN and not str(choices.get("rules", "")).strip():
        wrong["rules"] = "Write the rules, or choose one of the sports."
    if choices["counts_by"] == ONE and not str(choices.get("referee", "")).strip():
        wrong["referee"] = "Choose the phone that scores. Pair one under Phones and pads first."
    return wrong
