"""What happened to the player, one mark each, and what marks add up to."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import NamedTuple

KILL, DEATH, ASSIST, DEALT, TAKEN, AIM, PAUSE, RESUME, LEFT_KILL, LEFT_DEATH, SEEN = range(11)
"""What a mark can be. The last three count for nothing: they tell that single kills and deaths were told, and that
something happened in a match that concerns others only."""


class TallyMark(NamedTuple):
    """One thing that counts: when it happened (µs since 1970), its place in the log, what, how much, in which match.

    The match is the id that was told, the number of one that is known, or empty for the one that went on then.
    """

    at: int
    seq: int
    what: int
    amount: float = 1
    of: float = 0
    match: str | int = ""


@dataclass(slots=True)
class Tally:
    """Counts of marks in the order of time.

    `run` is how many kills there were since the last death, `best` the most without one. `multis` tells how many runs
    of so many kills in quick succession there were, `chain` how long the last one is, `chain_at` when it last grew and
    `chain_in` in which match: such a run ends with its match.
    """

    kills: int = 0
    deaths: int = 0
    assists: int = 0
    dealt: float = 0
    taken: float = 0
    shots: float = 0
    hits: float = 0
    run: int = 0
    best: int = 0
    multis: dict[int, int] = field(default_factory=dict)
    chain: int = 0
    chain_at: int = 0
    chain_in: int | None = None

    def add(self, mark: TallyMark, match: int | None, within_us: int) -> None:
        """Count what happened after all that was counted before; kills within so many µs are one run."""
        what = mark.what
        if what == KILL:
            self.kills += 1
            self.run += 1
            self.best = max(self.best, self.run)
            self._chain(mark.at, match, within_us)
        elif what == DEATH:
            self.deaths += 1
            self.run = 0
        elif what == ASSIST:
            self.assists += 1
        elif what == DEALT:
            self.dealt += mark.amount
        elif what == TAKEN:
            self.taken += mark.amount
        elif what == AIM:
            self.hits += mark.amount
            self.shots += mark.of

    def _chain(self, at: int, match: int | None, within_us: int) -> None:
        if self.chain and at - self.chain_at <= within_us and match == self.chain_in:
            if self.chain > 1:
                # Only lengths that occurred are kept: a run that grows must not leave one behind for each step.
                left = self.multis.pop(self.chain) - 1
                self.multis |= {self.chain: left} if left else {}
            self.chain += 1
            self.multis[self.chain] = self.multis.get(self.chain, 0) + 1
        else:
            self.chain = 1
        self.chain_at, self.chain_in = at, match

    def multi(self, least: int) -> int:
        """How many runs of at least so many kills in quick succession."""
        return sum(count for length, count in self.multis.items() if length >= least)

    def longest_multi(self) -> int:
        """The longest such run; 0 when there was none."""
        return max((length for length, count in self.multis.items() if count), default=0)


def counted(marks: Iterable[tuple[TallyMark, int | None]], within_us: int) -> Tally:
    """The tally of marks in the order of time, each with the number of its match."""
    tally = Tally()
    for mark, match in marks:
        tally.add(mark, match, within_us)
    return tally
