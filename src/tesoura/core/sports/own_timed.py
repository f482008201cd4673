"""Rules of one's own for a sport against the clock, or one that is simply counted, as TOML.

title = "Yard football"
periods = 2
minutes = 12            # of each; 0 for one without an end
counts_down = true
stops = true            # whether the clock stands still whenever play does
called = "half"
to = 15                 # whoever has so many has won at once
extra = 1               # further periods where nobody leads, each of `extra_minutes`
extra_minutes = 5
sudden = true           # the first score of them wins
[scores]                # what scores, and how much
goal = 1
[penalties]             # minutes for which a side is one fewer
bench = 2
[[count]]               # what is counted beside the score
name = "foul"
title = "Fouls"
span = "half"           # anew in each period, half, or only with the match
most = 5
leads_to = "a free kick"
barred = true           # whether no further one can be taken
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.core.names import snake
from tesoura.core.sports.timed import HALF, MATCH, PERIOD, TeamCount, TimedSport
from tesoura.errors import InvalidField

MOST_COUNTS, MOST_SCORES, MOST_PERIODS, MOST_MINUTES, MOST_WORTH = 8, 8, 20, 240, 100
_TOP = (
    "title",
    "source",
    "scores",
    "periods",
    "minutes",
    "counts_down",
    "stops",
    "called",
    "to",
    "extra",
    "extra_minutes",
    "sudden",
    "count",
    "penalties",
)
_COUNT = ("name", "title", "span", "most", "leads_to", "barred")


def timed_sport(told: Mapping[str, Any]) -> TimedSport:
    """The sport that a group of values tells of. Raises InvalidField, which says what would be right."""
    known(told, _TOP, "at the top")
    title = words(told.get("title"), "title")
    scores = _numbers(told.get("scores"), "scores", MOST_SCORES, 1, MOST_WORTH)
    if not scores:
        raise InvalidField("Say what scores, as in [scores] goal = 1.")
    penalties = _numbers(told.get("penalties", {}), "penalties", MOST_COUNTS, 0.1, MOST_MINUTES)
    counts = told.get("count", [])
    if not isinstance(counts, list) or len(counts) > MOST_COUNTS:
        raise InvalidField(f"Give at most {MOST_COUNTS} tables [[count]].")
    to = None if told.get("to") is None else int(_number(told["to"], "to", 1, 10_000))
    extra = int(_number(told.get("extra", 0), "extra", 0, MOST_PERIODS))
    return TimedSport(
        snake(title) or "own",
        title,
        {name: int(worth) for name, worth in scores.items()},
        int(_number(told.get("periods", 1), "periods", 1, MOST_PERIODS)),
        _number(told.get("minutes", 0), "minutes", 0, MOST_MINUTES),
        words(told.get("source", "your own"), "source"),
        counts_down=_switch(told, "counts_down"),
        stops=_switch(told, "stops"),
        to=to,
        extra=extra,
        extra_minutes=_number(told.get("extra_minutes", 0), "extra_minutes", 0, MOST_MINUTES),
        sudden=_switch(told, "sudden"),
        team_counts=tuple(_count(one) for one in counts),
        # One pair of extra periods is played to its end, as in the sports that ship.
        extra_together=2 if extra == 2 and not _switch(told, "sudden") else 1,
        penalties=penalties or None,
        called=words(told.get("called", PERIOD), "called"),
    )


def never_happens(sport: TimedSport) -> list[str]:
    """What in the rules can never come to pass, and what contradicts itself, a sentence each."""
    found = []
    if sport.sudden and not sport.extra:
        found.append("sudden never counts: there is no extra time. Give extra = 1.")
    if sport.extra_minutes and not sport.extra:
        found.append("extra_minutes never counts: there is no extra time. Give extra = 1.")
    if sport.counts_down and not sport.minutes:
        found.append("counts_down never counts: without minutes there is nothing to count down from.")
    if sport.penalties and not sport.minutes:
        found.append("Penalties never end: without minutes there is no clock that they run with.")
    if not sport.minutes and sport.to is None and sport.periods == 1 and sport.extra:
        found.append("Extra time has no end. Set minutes, or end the period by hand.")
    return found


def known(told: Mapping[str, Any], names: tuple[str, ...], where: str) -> None:
    """Nothing but these names stands there. Raises InvalidField."""
    if strange := [name for name in told if name not in names]:
        raise InvalidField(f"“{strange[0][:30]}” means nothing {where}. There are: {', '.join(names)}.")


def words(raw: object, name: str) -> str:
    """A short text. Raises InvalidField."""
    if not isinstance(raw, str) or not raw.strip() or len(raw) > 60:
        raise InvalidField(f"Give {name} as a text of at most 60 characters.")
    return raw.strip()


def _number(raw: object, name: str, least: float, most: float) -> float:
    if isinstance(raw, bool) or not isinstance(raw, int | float) or not least <= raw <= most:
        raise InvalidField(f"{name} is a number from {least:g} to {most:g}.")
    return float(raw)


def _switch(told: Mapping[str, Any], name: str) -> bool:
    raw = told.get(name, False)
    if not isinstance(raw, bool):
        raise InvalidField(f"{name} is true or false.")
    return raw


def _numbers(raw: object, name: str, several: int, least: float, most: float) -> dict[str, float]:
    if not isinstance(raw, Mapping) or len(raw) > several:
        raise InvalidField(f"Give {name} as a table of at most {several}, each with its number.")
    return {
        words(key, f"a name in {name}"): _number(value, f"{key} in {name}", least, most) for key, value in raw.items()
    }


def _count(told: object) -> TeamCount:
    if not isinstance(told, Mapping):
        raise InvalidField("A count is a table: [[count]], with a name.")
    known(told, _COUNT, "in a count")
    name = snake(words(told.get("name"), "a count's name"))
    span = told.get("span", MATCH)
    if span not in (PERIOD, HALF, MATCH):
        raise InvalidField(f"span of “{name}” is one of: {PERIOD}, {HALF}, {MATCH}.")
    most = (int(_number(told["most"], f"most of “{name}”", 1, 1_000)),) if "most" in told else ()
    barred = _switch(told, "barred")
    if barred and not most:
        raise InvalidField(f"“{name}” is barred, and nothing says from how many on. Give most.")
    leads_to = words(told["leads_to"], "leads_to") if told.get("leads_to") else ""
    return TeamCount(name, words(told.get("title", name), "title"), span, most, leads_to, barred)
