"""Figures set by hand: which there are in a sport, and a match with one of them set."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from tesoura.core.sports.own import Sport
from tesoura.core.sports.rally import Pair, RallyMatch, is_won
from tesoura.core.sports.tables import RallySport
from tesoura.core.sports.timed import CountedOnce, TimedMatch
from tesoura.errors import InvalidField

MOST_FIGURE = 9_999
PERIOD_FIGURE = "period"


def figures(sport: Sport) -> Mapping[str, str]:
    """The figures that can be set by hand, each with its words: those that a side has, and `period`."""
    if isinstance(sport, RallySport):
        found = {"points": "Points"}
        found |= {f"{unit.name}s": f"{unit.name.capitalize()}s" for unit in sport.units[:-1]}
        return found
    counted = {one.name: one.title for one in sport.team_counts}
    return {"points": "Score", **counted, **({"period": sport.called.capitalize()} if sport.periods > 1 else {})}


def with_figure(match: RallyMatch | TimedMatch, what: str, side: int, value: int) -> RallyMatch | TimedMatch:
    """A match with a figure set. Raises InvalidField for one that there is not, or where the side is missing."""
    if what not in (known := figures(match.sport)):
        raise InvalidField(f"There is no figure “{what[:30]}”. There are: {', '.join(known)}.")
    if what == PERIOD_FIGURE:
        return replace(match, period=value) if isinstance(match, TimedMatch) else match
    if side < 0:
        raise InvalidField("Give the side: home or away.")
    if isinstance(match, RallyMatch):
        return _rally_figure(match, what, side, value)
    if what == "points":
        return replace(match, score=_with(match.score, side, value))
    return _counted(match, side, what, value)


def _rally_figure(match: RallyMatch, what: str, side: int, value: int) -> RallyMatch:
    level = (
        0
        if what == "points"
        else next(at + 1 for at, unit in enumerate(match.sport.units[:-1]) if what == f"{unit.name}s")
    )
    if level == 0:
        match = match.with_points(_with(match.counts[0], side, value))
    counts = list(match.counts)
    counts[level] = _with(counts[level], side, value)
    top, unit = counts[-1], match.sport.match
    winner = next((one for one in (0, 1) if is_won(unit, unit.to, top[one], top[1 - one])), None)
    return replace(match, counts=tuple(counts), winner=winner, told=())


def _counted(match: TimedMatch, side: int, name: str, value: int) -> TimedMatch:
    """With so many counted in the present span: some more now, or the last ones gone."""
    more = value - match.had(side, name)
    counted = list(match.counted)
    for _ in range(-more):
        counted.remove(next(one for one in reversed(counted) if one.name == name and one.side == side))
    return replace(match, counted=(*counted, *[CountedOnce(name, side, match.period)] * more), told="")


def _with(pair: Pair, side: int, value: int) -> Pair:
    return (value, pair[1]) if side == 0 else (pair[0], value)
