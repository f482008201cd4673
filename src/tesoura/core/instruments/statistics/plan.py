"""What game statistics are set up with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from tesoura.core.forms.checks import choice, line, text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.statistics.rule import KillRule, keys_of
from tesoura.errors import InvalidField

HEARD = (
    "match.start",
    "match.pause",
    "match.resume",
    "match.end",
    "round.end",
    "kill",
    "death",
    "assist",
    "damage",
    "vitals",
)
"""The types of events that are taken."""
MAX_VITALS = 6
_YES_NO = (("no", "are excluded"), ("yes", "count"))
_DEATHS = (("death", "events of the type death"), ("kill", "kills with you as the target"))


@dataclass(frozen=True, slots=True)
class StatisticsPlan:
    """The choices, ready for use. `vitals` maps each value to what it is full at; without `sources` all are heard."""

    name: str
    title: str
    rule: KillRule
    deaths_by: str
    within_us: int
    last: int
    vitals: Mapping[str, float]
    sources: frozenset[str] = frozenset()


def source_key(source: str) -> str:
    """A source as it may be typed: the name of a feed or of a program, without what it is."""
    return source.rpartition(":")[2].strip().casefold()


def _keys(typed: str) -> frozenset[str]:
    return frozenset(source_key(one) for one in typed.split(",") if one.strip())


def make(name: str, choices: Mapping[str, Any]) -> StatisticsPlan:
    """The plan that checked choices come to."""
    rule = KillRule(
        keys_of(choices["player"].split(",")),
        keys_of(choices["without_tags"]),
        keys_of(choices["without_means"]),
        choices["friendly"] == "yes",
        choices["warm_up"] == "yes",
    )
    within_us = choices["within_s"] * 1_000_000
    return StatisticsPlan(
        name,
        choices["title"],
        rule,
        choices["deaths_by"],
        within_us,
        choices["last"],
        vitals_of(choices["vitals"]),
        _keys(str(choices.get("sources", ""))),
    )


def vitals_of(typed: str) -> dict[str, float]:
    """`health 100, shield 50` as the values and what each is full at. Raises InvalidField."""
    found: dict[str, float] = {}
    for part in typed.split(","):
        words = part.split()
        if not words:
            continue
        name, full = words[0].casefold(), words[1] if len(words) > 1 else "100"
        if not name.isidentifier() or len(words) > 2 or not full.isdecimal() or len(full) > 9 or int(full) == 0:
            raise InvalidField("Each with its full value, such as health 100, shield 50.")
        found[name] = float(full)
    if len(found) > MAX_VITALS:
        raise InvalidField(f"At most {MAX_VITALS} fit.")
    return found


def _vitals(raw: object) -> str:
    typed = text(200, empty=True)(raw)
    return ", ".join(f"{name} {full:g}" for name, full in vitals_of(typed).items())


def _names(raw: object) -> list[str]:
    parts = raw if isinstance(raw, list) else str(raw).split(",")
    return [" ".join(str(part).split())[:60] for part in parts if str(part).strip()][:30]


def _sources(raw: object) -> str:
    return ", ".join(_names(raw))


_WHOSE, _RULE, _MORE = "Player", "Kill rule", "More"
FIELDS: Mapping[str, Field] = {
    "title": Field("Name", line(60), default="Game statistics", group=_WHOSE),
    "player": Field(
        "Your name in the game",
        text(120, empty=True),
        placeholder="mara_vane",
        kind="seen",
        person=True,
        of="kill.actor",
        help="Add former names, separated with commas. Empty: every kill counts as yours.",
        group=_WHOSE,
    ),
    "sources": Field(
        "Sources",
        _sources,
        default="",
        placeholder="stats, my-game",
        help="Feeds or programs as named in the log, separated with commas. Empty: all.",
        group=_WHOSE,
    ),
    "without_tags": Field(
        "Exclude kills tagged",
        _names,
        kind="seen",
        of="kill.tags",
        default="",
        help="Reward kills such as a gust bonus. Separate with commas.",
        group=_RULE,
    ),
    "without_means": Field("Exclude kills with weapon", _names, kind="seen", of="kill.means", default="", group=_RULE),
    "friendly": Field(
        "Friendly fire", choice(["yes", "no"]), kind="choice", default="no", options=_YES_NO, group=_RULE
    ),
    "warm_up": Field(
        "Kills in the warm-up", choice(["yes", "no"]), kind="choice", default="no", options=_YES_NO, group=_RULE
    ),
    "deaths_by": Field(
        "Deaths are", choice(["death", "kill"]), kind="choice", default="death", options=_DEATHS, group=_RULE
    ),
    "within_s": Field("Multi-kill: maximum gap", whole(1, 60), kind="number", default="5", unit="s", group=_MORE),
    "last": Field("Last matches", whole(1, 30), kind="number", default="12", unit="matches", group=_MORE),
    "vitals": Field("Vitals with full value", _vitals, default="health 100, shield 50", group=_MORE),
}
