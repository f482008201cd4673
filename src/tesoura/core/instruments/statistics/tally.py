"""What happened in a stretch of time, added up so that stretches can be put together again."""

from __future__ import annotations

from bisect import insort
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

KILL, DEATH, ASSIST, DEALT, TAKEN, AIM, CLOCK_ON, CLOCK_OFF, TOTAL_KILLS, TOTAL_DEATHS, TOTAL_ASSISTS = range(11)
"""What a mark can be. The clock is the match's; totals are told at a match's end and belong to no run."""


class TallyMark(NamedTuple):
    """One thing that counts: when it happened (µs since 1970), its place in the log, what it was, and how much."""

    at: int
    seq: int
    what: int
    amount: float = 1
    of: float = 0


@dataclass(slots=True)
class Tally:
    """Counts of a stretch.

    `before` is how many kills came before the first death, `run` how many since the last, `best` the most without one.
    `multis` tells how many runs of so many kills in quick succession there were, `chain` how long the last one is and
    `chain_at` when it last grew. `played_us` is match time; `on_at` since when the clock runs.
    """

    kills: int = 0
    deaths: int = 0
    assists: int = 0
    dealt: float = 0
    taken: float = 0
    shots: float = 0
    hits: float = 0
    before: int = 0
    run: int = 0
    best: int = 0
    multis: dict[int, int] = field(default_factory=dict)
    chain: int = 0
    chain_at: int = 0
    played_us: int = 0
    on_at: int | None = None

    def add(self, mark: TallyMark, within_us: int) -> None:
        """Count what happened after all that was counted before; kills within so many µs are one run."""
        what = mark.what
        if what == KILL:
            self.kills += 1
            self.run += 1
            self.best = max(self.best, self.run)
            if not self.deaths:
                self.before += 1
            self._chain(mark.at, within_us)
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
        elif what == CLOCK_ON:
            self.on_at = mark.at if self.on_at is None else self.on_at
        elif what == CLOCK_OFF:
            if self.on_at is not None:
                self.played_us += mark.at - self.on_at
                self.on_at = None
        elif what == TOTAL_KILLS:
            self.kills += round(mark.amount)
        elif what == TOTAL_DEATHS:
            self.deaths += round(mark.amount)
        else:
            self.assists += round(mark.amount)

    def _chain(self, at: int, within_us: int) -> None:
        if self.chain and at - self.chain_at <= within_us:
            if self.chain > 1:
                # Only lengths that occurred are kept: a run that grows must not leave one behind for each step.
                left = self.multis.pop(self.chain) - 1
                self.multis |= {self.chain: left} if left else {}
            self.chain += 1
            self.multis[self.chain] = self.multis.get(self.chain, 0) + 1
        else:
            self.chain = 1
        self.chain_at = at

    def then(self, after: Tally) -> Tally:
        """This stretch and the one after it as one. Runs without a death go on over the border; quick ones do not."""
        deathless = not self.deaths
        crossing = self.run + after.before
        multis = dict(self.multis)
        for length, count in after.multis.items():
            multis[length] = multis.get(length, 0) + count
        return Tally(
            self.kills + after.kills, self.deaths + after.deaths, self.assists + after.assists,
            self.dealt + after.dealt, self.taken + after.taken, self.shots + after.shots, self.hits + after.hits,
            self.before + after.before if deathless else self.before,
            after.run if after.deaths else self.run + after.run,
            max(self.best, after.best, crossing),
            multis, after.chain, after.chain_at, self.played_us + after.played_us,
            after.on_at if after.on_at is not None else self.on_at,
        )  # fmt: skip

    def played(self, now_us: int) -> int:
        """The match time until now, µs."""
        return self.played_us + (max(now_us - self.on_at, 0) if self.on_at is not None else 0)

    def multi(self, least: int) -> int:
        """How many runs of at least so many kills in quick succession."""
        return sum(count for length, count in self.multis.items() if length >= least)

    def longest_multi(self) -> int:
        """The longest such run; 0 when there was none."""
        return max((length for length, count in self.multis.items() if count), default=0)

    def saved(self) -> list[Any]:
        """As it is stored."""
        return [
            self.kills, self.deaths, self.assists, self.dealt, self.taken, self.shots, self.hits, self.before, self.run,
            self.best, list(self.multis.items()), self.chain, self.chain_at, self.played_us, self.on_at,
        ]  # fmt: skip

    @classmethod
    def restored(cls, saved: list[Any]) -> Tally:
        """As it was stored."""
        return cls(*[*saved[:10], {int(key): count for key, count in saved[10]}, *saved[11:]])


@dataclass(slots=True)
class Stretch:
    """A stretch of time within one match, or between two, that no midnight, session or reset divides.

    `began` is the first instant of it (µs), `match` the number of its match. Without `marks` only its tally is kept.
    """

    began: int
    match: int | None
    tally: Tally
    marks: list[TallyMark] | None

    @classmethod
    def new(cls, began: int, match: int | None) -> Stretch:
        """One in which nothing has happened yet."""
        return cls(began, match, Tally(), [])

    def add(self, mark: TallyMark, within_us: int) -> bool:
        """Count a mark, in its place in time; False when this stretch can only be counted again from the log."""
        marks = self.marks
        if marks is None:
            return False
        if not marks or mark[:2] >= marks[-1][:2]:
            marks.append(mark)
            self.tally.add(mark, within_us)
        else:
            insort(marks, mark)
            self.count(within_us)
        return True

    def take_away(self, seq: int, within_us: int) -> bool:
        """Uncount what has this place in the log."""
        if self.marks is None:
            return False
        self.marks = [mark for mark in self.marks if mark.seq != seq]
        self.count(within_us)
        return True

    def count(self, within_us: int) -> None:
        """Count all marks again."""
        self.tally = counted(self.marks or (), within_us)

    def copy(self) -> Stretch:
        """Another one that can go on by itself."""
        again = Stretch(self.began, self.match, self.tally, None if self.marks is None else list(self.marks))
        again.tally = Tally.restored(self.tally.saved())
        return again

    def saved(self, with_marks: bool) -> Mapping[str, Any]:
        """As it is stored."""
        marks = [list(mark) for mark in self.marks] if with_marks and self.marks is not None else None
        return {"began": self.began, "match": self.match, "tally": self.tally.saved(), "marks": marks}

    @classmethod
    def restored(cls, saved: Mapping[str, Any]) -> Stretch:
        """As it was stored."""
        marks = None if saved["marks"] is None else [TallyMark(*one) for one in saved["marks"]]
        return cls(saved["began"], saved["match"], Tally.restored(saved["tally"]), marks)


def counted(marks: Iterable[TallyMark], within_us: int) -> Tally:
    """The tally of marks in the order of time."""
    tally = Tally()
    for mark in marks:
        tally.add(mark, within_us)
    return tally
