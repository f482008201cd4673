"""A match that is counted rally by rally: how it stands, what the next point would be, who serves, when ends change."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from functools import lru_cache

from tesoura.core.sports.tables import GAMES, RALLY, WINNER, RallySport, Unit

Pair = tuple[int, int]
NOTHING: Pair = (0, 0)
HOME, AWAY = 0, 1
"""The two sides, as places in each pair."""


@dataclass(frozen=True, slots=True)
class Finished:
    """A unit that is over: which, how it stood at its end, and who has won it."""

    name: str
    level: int
    score: Pair
    winner: int


@dataclass(frozen=True, slots=True)
class RallyMatch:
    """A match as it stands. `counts` are those of the units that are being played, the points first.

    `server` serves next, `first` served first in this unit of points, `swapped` says that each side stands at the
    other's end. `told` is what the last point has led to: the names of the units that it won, and `ends`.
    """

    sport: RallySport
    counts: tuple[Pair, ...]
    server: int = HOME
    first: int = HOME
    swapped: bool = False
    finished: tuple[Finished, ...] = ()
    winner: int | None = None
    told: tuple[str, ...] = field(default=())

    @classmethod
    def begun(cls, sport: RallySport, server: int = HOME) -> RallyMatch:
        """A match before its first point."""
        return cls(sport, tuple(NOTHING for _ in sport.units), server, server)

    # The rules

    def unit(self, level: int) -> Unit:
        """What is played at a level: the tie-break where there is one."""
        own = self.sport.units[level]
        if level == 0 and len(self.sport.units) > 1:
            above = self.sport.units[1]
            if above.tie is not None and self.counts[1] == (above.tie_at, above.tie_at):
                return above.tie
        return own

    def decides(self, level: int) -> bool:
        """Whether the unit that is played there decides the match: each unit above it is won by whoever wins it."""
        above = range(level + 1, len(self.sport.units))
        return bool(above) and all(self.counts[one] == (self.sport.units[one].to - 1,) * 2 for one in above)

    def to_win(self, level: int) -> int:
        """How many win the unit that is played at a level, before any lead."""
        unit = self.unit(level)
        # A tie-break decides the unit above it, and so the match where that one does.
        above = level + 1 if unit is not self.sport.units[level] else level
        return unit.last_to if unit.last_to is not None and self.decides(above) else unit.to

    def _is_won(self, level: int, score: Pair, side: int) -> bool:
        return is_won(self.unit(level), self.to_win(level), score[side], score[1 - side])

    def point(self, side: int) -> RallyMatch:
        """The match after a point for a side; itself once it is over."""
        if self.winner is not None:
            return self
        counts, won, finished = list(self.counts), [], list(self.finished)
        for level in range(len(counts)):
            counts[level] = _with_one(counts[level], side)
            if not self._is_won(level, counts[level], side):
                break
            name = self.unit(level).name
            won.append(name)
            finished.append(Finished(name, level, counts[level], side))
            if level < len(counts) - 1:
                counts[level] = NOTHING
        over = len(won) == len(counts)
        after = replace(self, counts=tuple(counts), finished=tuple(finished), winner=side if over else None)
        first, server = self._serves(after, side, bool(won))
        change = not over and self._changes_ends(after, side, bool(won))
        told = (*won, *(("ends",) if change else ()))
        return replace(after, first=first, server=server, swapped=self.swapped != change, told=told)

    def _serves(self, after: RallyMatch, side: int, won: bool) -> tuple[int, int]:
        """Who served first in what is played now, and who serves next."""
        rule = self.sport.serving
        if won:
            first = side if rule.next_first == WINNER else 1 - self.first
            return first, first
        if rule.kind == RALLY:
            return self.first, side
        played = sum(after.counts[0])
        if after.unit(0) is not self.sport.units[0]:
            # A tie-break: one service, then two each.
            return self.first, self.first if (played + 1) // 2 % 2 == 0 else 1 - self.first
        if rule.kind == GAMES:
            return self.first, self.first
        turn = played if min(after.counts[0]) >= after.to_win(0) - 1 else played // rule.each
        return self.first, self.first if turn % 2 == 0 else 1 - self.first

    def with_points(self, points: Pair) -> RallyMatch:
        """With other points, set by hand; who serves then follows from them where players serve in turns."""
        after = replace(self, counts=(points, *self.counts[1:]), told=())
        if self.sport.serving.kind == RALLY and after.unit(0) is self.sport.units[0]:
            return after
        return replace(after, server=self._serves(after, self.server, False)[1])

    def _changes_ends(self, after: RallyMatch, side: int, won: bool) -> bool:
        rule, played = self.sport.ends, sum(after.counts[0])
        if won:
            units = sum(after.counts[1]) if len(after.counts) > 1 else 0
            if rule.odd_units and units == 0:
                # The unit above is over too: what counts is how many it had.
                units = sum(after.finished[-1].score)
            return rule.each_unit or (rule.odd_units and units % 2 == 1)
        if after.unit(0) is not self.sport.units[0] and rule.every_points_tie:
            return played % rule.every_points_tie == 0
        last = after.decides(0)
        every = rule.every_points_last if last else rule.every_points
        if every:
            return played % every == 0
        return last and rule.last_at is not None and after.counts[0][side] == rule.last_at > after.counts[0][1 - side]

    # What is said of it

    def point_for(self, side: int) -> str:
        """The greatest unit that a side wins with the next point; empty for none."""
        told = [name for name in self.point(side).told if name != "ends"] if self.winner is None else []
        return told[-1] if told else ""

    def called(self, side: int) -> str:
        """The points of a side as they are called: `40`, `advantage`, or their number."""
        mine, theirs = self.counts[0][side], self.counts[0][1 - side]
        names = self.sport.names
        if not names or self.unit(0) is not self.sport.units[0]:
            return str(mine)
        if mine >= len(names) and mine > theirs:
            return "advantage"
        return names[min(mine, len(names) - 1)]

    def chance(self, side: int) -> float:
        """How likely a side wins from here if each rally is as likely anybody's.

        From the points up: a unit is won with the chance to win the present one below times that of going on from one
        more, and the other way round; a fresh unit below counts one half, since both are as strong.
        """
        if self.winner is not None:
            return float(self.winner == side)
        below = 0.5
        for level, score in enumerate(self.counts):
            unit, to = self.unit(level), self.to_win(level)
            mine, theirs = score[side], score[1 - side]
            below = below * _chance(unit, to, mine + 1, theirs) + (1 - below) * _chance(unit, to, mine, theirs + 1)
        return below


def is_won(unit: Unit, to: int, mine: int, theirs: int) -> bool:
    """Whether a unit of which `to` win is won by who has so many of it."""
    if unit.cap is not None and mine >= unit.cap:
        return True
    if unit.tie_at is not None and (mine, theirs) == (unit.tie_at + 1, unit.tie_at):
        return True
    return mine >= to and mine - theirs >= unit.by


@lru_cache(maxsize=4_096)
def _chance(unit: Unit, to: int, mine: int, theirs: int) -> float:
    """The chance to win a unit that stands so, with everything below it fresh."""
    if is_won(unit, to, mine, theirs):
        return 1.0
    if is_won(unit, to, theirs, mine):
        return 0.0
    if mine == theirs:
        return 0.5
    if unit.by == 2 and unit.cap is None and min(mine, theirs) >= to - 1:
        # One ahead of two: there at once by half, or level again.
        return 0.75 if mine > theirs else 0.25
    return (_chance(unit, to, mine + 1, theirs) + _chance(unit, to, mine, theirs + 1)) / 2


def forget_chances() -> None:
    """Work every chance out anew, for whoever measures that."""
    _chance.cache_clear()


def _with_one(score: Pair, side: int) -> Pair:
    return (score[0] + 1, score[1]) if side == HOME else (score[0], score[1] + 1)


def played(sport: RallySport, sides: Iterable[int], server: int = HOME) -> RallyMatch:
    """The match after these points, from its beginning."""
    match = RallyMatch.begun(sport, server)
    for side in sides:
        match = match.point(side)
    return match
