"""Rules of one's own for a sport that is counted rally by rally, as TOML; and a check that says what can never happen.

title = "Kites in the yard"

[[unit]]                # from that which points win up to the match
name = "game"
to = 11
by = 2                  # the lead; 1 unless told
cap = 15                # whoever has so many has won, whatever the lead
last_to = 7             # instead of `to` where it decides the match
[[unit]]
name = "match"
to = 2

[serving]
kind = "turns"          # turns, rally (the winner of the last one) or games
each = 2
[ends]
each_unit = true
last_at = 4

With a table [scores] it is a sport against the clock, or one that is simply counted: `own_timed` tells of those.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterator, Mapping
from dataclasses import replace

from tesoura.core.names import snake
from tesoura.core.sports.own_timed import known, never_happens, timed_sport, words
from tesoura.core.sports.rally import is_won
from tesoura.core.sports.tables import (
    ALTERNATES,
    COURTS,
    GAME_BY_GAME,
    GAMES,
    OTHER,
    PAIRS,
    RALLY,
    ROTATES,
    TURNS,
    WINNER,
    Ends,
    RallySport,
    Serving,
    Unit,
)
from tesoura.core.sports.timed import TimedSport
from tesoura.errors import InvalidField

MOST_CHARACTERS = 10_000
MOST_UNITS, MOST = 4, 200
_ORDERS = (PAIRS, GAME_BY_GAME, COURTS, ROTATES, ALTERNATES)
_UNIT = {"name": str, "to": int, "by": int, "cap": int, "last_to": int, "tie_at": int, "tie": dict}
_SERVING = {"kind": (RALLY, TURNS, GAMES), "next_first": (OTHER, WINNER)}
_ENDS = {
    "each_unit": bool,
    "odd_units": bool,
    "last_at": int,
    "every_points": int,
    "every_points_last": int,
    "every_points_tie": int,
}


Sport = RallySport | TimedSport


def read(text: str) -> Sport:
    """The sport that a TOML text tells of. Raises InvalidField, which says what would be right."""
    if len(text) > MOST_CHARACTERS:
        raise InvalidField(
            f"The rules are longer than {MOST_CHARACTERS:,} characters. A sport needs a few dozen lines."
        )
    try:
        told = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise InvalidField(f"Not valid TOML: {error}.") from None
    if "scores" in told:
        return timed_sport(told)
    known(told, ("title", "unit", "serving", "ends", "names", "source", "order"), "at the top")
    title = words(told.get("title"), "title")
    if (order := told.get("order", "")) not in ("", *_ORDERS):
        raise InvalidField(f"order must be one of: {', '.join(_ORDERS)}.")
    units = told.get("unit")
    if not isinstance(units, list) or not 1 <= len(units) <= MOST_UNITS:
        raise InvalidField(f"Give one to {MOST_UNITS} tables [[unit]], from the one that points win up to the match.")
    names = told.get("names", [])
    if not isinstance(names, list) or not all(isinstance(one, str) for one in names) or len(names) > 20:
        raise InvalidField('Give names as a list of texts, as in ["0", "15", "30", "40"].')
    sport = RallySport(
        snake(title) or "own",
        title,
        tuple(_unit(one) for one in units),
        _serving(told.get("serving", {})),
        _ends(told.get("ends", {})),
        words(told.get("source", "your own"), "source"),
        tuple(names),
        order,
    )
    for level, unit in enumerate(sport.units):
        if unit.last_to is not None and level == len(units) - 1:
            raise InvalidField(f"“{unit.name}” is the match itself: nothing is above it that it could decide.")
    return sport


def _unit(told: object) -> Unit:
    if not isinstance(told, Mapping):
        raise InvalidField("A unit is a table: [[unit]], with a name and to.")
    known(told, tuple(_UNIT), "in a unit")
    name = words(told.get("name"), "a unit's name")
    numbers = {key: told[key] for key in ("to", "by", "cap", "last_to", "tie_at") if key in told}
    for key, value in numbers.items():
        if isinstance(value, bool) or not isinstance(value, int) or not 1 <= value <= MOST:
            raise InvalidField(f"{key} of “{name}” is a whole number from 1 to {MOST}.")
    if "to" not in numbers:
        raise InvalidField(f"Without to, “{name}” would never end. Set how many win it.")
    if ("tie" in told) != ("tie_at" in told):
        raise InvalidField(f"In “{name}”, tie and tie_at must be set together: what is played, and at what score.")
    tie = _unit(told["tie"]) if "tie" in told else None
    return Unit(
        name,
        numbers["to"],
        numbers.get("by", 1),
        numbers.get("cap"),
        numbers.get("last_to"),
        numbers.get("tie_at"),
        tie,
    )


def _serving(told: object) -> Serving:
    if not isinstance(told, Mapping):
        raise InvalidField("serving must be a table, [serving], with a kind.")
    known(told, ("kind", "each", "next_first"), "in serving")
    for name, allowed in _SERVING.items():
        if name in told and told[name] not in allowed:
            raise InvalidField(f"{name} of serving is one of: {', '.join(allowed)}.")
    each = told.get("each", 1)
    if isinstance(each, bool) or not isinstance(each, int) or not 1 <= each <= MOST:
        raise InvalidField(f"each of serving is a whole number from 1 to {MOST}.")
    return Serving(told.get("kind", RALLY), each, told.get("next_first", OTHER))


def _ends(told: object) -> Ends:
    if not isinstance(told, Mapping):
        raise InvalidField("ends is a table: [ends].")
    known(told, tuple(_ENDS), "in ends")
    for name, value in told.items():
        right = isinstance(value, bool) if _ENDS[name] is bool else type(value) is int and 1 <= value <= MOST
        if not right:
            what = "true or false" if _ENDS[name] is bool else f"a whole number from 1 to {MOST}"
            raise InvalidField(f"{name} of ends is {what}.")
    return replace(Ends(), **told)


# What can never happen


def unreachable(sport: Sport) -> list[str]:
    """What in the rules can never come to pass, and what contradicts itself, a sentence each."""
    if isinstance(sport, TimedSport):
        return never_happens(sport)
    found: list[str] = []
    for level, unit in enumerate(sport.units):
        found += _of_unit(unit, unit.to)
        if unit.last_to is not None:
            found += [f"{one[:-1]}, where it decides." for one in _of_unit(replace(unit, tie_at=None), unit.last_to)]
        if unit.tie is not None:
            found += _of_unit(unit.tie, unit.tie.to)
            if level != 1:
                found.append(f"“{unit.tie.name}” is never played: only the unit above the points can have one.")
    points, ends = sport.units[0], sport.ends
    deciding = points.last_to or points.to
    if ends.last_at is not None and not any(
        score[0] == ends.last_at > score[1] for score in _scores(points, deciding, ends.last_at)
    ):
        found.append(f"Ends are never changed at {ends.last_at}: the deciding {points.name} ends earlier.")
    if ends.every_points_tie is not None and not any(one.tie for one in sport.units):
        found.append("every_points_tie never counts: there is no tie-break.")
    if sport.serving.each > 1 and sport.serving.kind != TURNS:
        found.append(f"each of serving never counts: with “{sport.serving.kind}” nobody serves in turns.")
    return list(dict.fromkeys(found))


def _of_unit(unit: Unit, to: int) -> Iterator[str]:
    if unit.cap is not None and unit.cap < to:
        yield f"“{unit.name}” is won at {unit.cap} by its cap, so nobody ever comes to {to}."
        return
    most = max(unit.cap or 0, unit.tie_at or 0, to) + unit.by + 1
    scores = _scores(unit, to, most)
    if unit.cap is not None and not any(
        is_won(unit, to, mine + 1, theirs) and not is_won(replace(unit, cap=None), to, mine + 1, theirs)
        for mine, theirs in scores
    ):
        yield f"The cap of “{unit.name}” at {unit.cap} never counts: it is won by the lead before."
    if unit.tie_at is not None and (unit.tie_at, unit.tie_at) not in scores:
        yield f"“{unit.name}” never reaches {unit.tie_at} each: it is won earlier."
    if unit.by > to and unit.cap is None:
        yield f"“{unit.name}” needs a lead of {unit.by}, so nobody has won it with {to}."


def _scores(unit: Unit, to: int, most: int) -> set[tuple[int, int]]:
    """All scores at which a unit is still played, as far as so many."""
    found, waiting = {(0, 0)}, [(0, 0)]
    while waiting:
        mine, theirs = waiting.pop()
        for score in ((mine + 1, theirs), (mine, theirs + 1)):
            over = is_won(unit, to, *score) or is_won(unit, to, score[1], score[0])
            if not over and score not in found and max(score) <= most:
                found.add(score)
                waiting.append(score)
    return found
