"""Which player serves, where a side has several: one state, which each point moves on.

pairs           four in a cycle, each after who served to him; the next game begins the other way round; in the deciding
                one the receivers change places when ends are changed
game by game    four in a cycle, a game each; in a tie-break one after the other
courts          whoever stands in the right court serves from an even score; who serves changes courts when he scores
rotates         the next in line when a side wins the service; the side that receives first begins with its second
alternates      the next in line when a side wins the service; each side begins with its first
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from tesoura.core.sports.rally import RallyMatch
from tesoura.core.sports.tables import ALTERNATES, COURTS, GAME_BY_GAME, PAIRS, ROTATES

Player = tuple[int, int]
"""A side, and the place of a player within it."""


@dataclass(frozen=True, slots=True)
class ServeOrder:
    """Who serves: the cycle of the four and the place in it; who stands in the right courts; or who is at his turn."""

    kind: str
    players: tuple[int, int]
    cycle: tuple[Player, ...] = ()
    at: int = 0
    turn: tuple[int, int] = (0, 0)
    """For each side the place of who serves when it serves; in courts, of who stands in the right one."""

    @classmethod
    def begun(cls, kind: str, players: tuple[int, int], first: int) -> ServeOrder:
        """Before the first point, with so many players on each side. `first` is the side that serves first."""
        both = min(players) == 2
        if kind in (PAIRS, GAME_BY_GAME) and both:
            other = 1 - first
            return cls(kind, players, ((first, 0), (other, 0), (first, 1), (other, 1)))
        return cls(kind, players, turn=_first_turns(kind, players, first))

    def server(self, match: RallyMatch) -> Player:
        """Who serves next."""
        side = match.server
        if self.cycle:
            return self.cycle[self.at]
        if self.kind == COURTS and self.players[side] == 2:
            right = self.turn[side]
            return side, right if match.counts[0][side] % 2 == 0 else 1 - right
        return side, self.turn[side] if self.kind in (ROTATES, ALTERNATES) else 0

    def receiver(self) -> Player | None:
        """Who receives, where the order says so."""
        return self.cycle[(self.at + 1) % 4] if self.cycle and self.kind == PAIRS else None

    def moved(self, before: RallyMatch, after: RallyMatch, side: int) -> ServeOrder:
        """It after a point for a side, which has brought the match from one to the other."""
        if after.winner is not None:
            return self
        won = any(name != "ends" for name in after.told)
        if self.cycle:
            return self._round(before, after, won)
        if won:
            return replace(self, turn=_first_turns(self.kind, self.players, after.server))
        if self.kind == COURTS and before.server == side and self.players[side] == 2:
            return replace(self, turn=_with(self.turn, side, 1 - self.turn[side]))
        if self.kind in (ROTATES, ALTERNATES) and after.server != before.server:
            return replace(self, turn=_with(self.turn, side, (self.turn[side] + 1) % max(self.players[side], 1)))
        return self

    def _round(self, before: RallyMatch, after: RallyMatch, won: bool) -> ServeOrder:
        if self.kind == GAME_BY_GAME:
            if won and before.unit(0) is not before.sport.units[0]:
                # A tie-break counts as the game of who began it; who received first begins the next set.
                began = (self.at - (sum(before.counts[0]) + 1) // 2) % 4
                return replace(self, at=(began + 1) % 4)
            return replace(self, at=(self.at + 1) % 4) if after.server != before.server else self
        if won:
            at = self.cycle.index((after.server, 0))
            return replace(self, cycle=_reversed_from(self.cycle, at), at=0)
        it = replace(self, at=(self.at + 1) % 4) if after.server != before.server else self
        return replace(it, cycle=_reversed_from(it.cycle, it.at), at=0) if "ends" in after.told else it

    def chosen(self, player: Player) -> ServeOrder:
        """The same, with another player serving now: what a pair chooses, or a correction."""
        side, place = player
        if self.cycle:
            if player not in self.cycle:
                return self
            at = self.cycle.index(player)
            return replace(self, cycle=(*self.cycle[at:], *self.cycle[:at]), at=0)
        return replace(self, turn=_with(self.turn, side, place % max(self.players[side], 1)))


def _reversed_from(cycle: tuple[Player, ...], at: int) -> tuple[Player, ...]:
    """The cycle the other way round, from one of the players on: he serves to who served to him."""
    return tuple(cycle[(at - step) % 4] for step in range(4))


def _first_turns(kind: str, players: tuple[int, int], first: int) -> tuple[int, int]:
    if kind == ROTATES:
        # Whoever wins the service rotates before serving: its second is the first to serve.
        return (0, 0)
    if kind == ALTERNATES:
        return _with((0, 0), 1 - first, max(players[1 - first], 1) - 1)
    return (0, 0)


def _with(pair: tuple[int, int], side: int, value: int) -> tuple[int, int]:
    return (value, pair[1]) if side == 0 else (pair[0], value)
