"""What deserves a replay: so many kills within so many seconds, told once no more can belong to it."""

from __future__ import annotations

from collections.abc import Container, Iterable
from dataclasses import dataclass

MICRO = 1_000_000
"""All instants and lengths here are in µs."""
CLIP_CAME = "tesoura.clip"
"""An event that tells what became of a clip: the `instrument`, what it is `of`, and the file, or why there is none."""
MOST_KILLS = 200
"""A run ends after so many kills, even if it goes on: no clip could show them all, and each costs those before it."""


@dataclass(frozen=True, slots=True)
class OccasionRule:
    """So many kills within so long; and how long after the last its clip goes on, which it waits for in any case."""

    kills: int
    within: int
    after: int


@dataclass(frozen=True, slots=True)
class Occasion:
    """Something that deserves a replay: when its kills were, and the places in the log that tell of them."""

    at: tuple[int, ...]
    seqs: tuple[int, ...]

    @property
    def kills(self) -> int:
        """How many there were."""
        return len(self.at)

    @property
    def length(self) -> int:
        """How long it was from the first to the last."""
        return self.at[-1] - self.at[0]

    @property
    def rank(self) -> tuple[int, int]:
        """How great it is: more kills first, then the quicker ones."""
        return self.kills, -self.length


Run = tuple[tuple[int, int], ...]
"""Kills that belong together, each with its instant and its place in the log, in this order."""


@dataclass(frozen=True, slots=True)
class Occasions:
    """The kills that may still belong to an occasion, in runs: each kill within the rule's time of the one before it.

    What a kill costs doesn't grow with how many are open.
    """

    rule: OccasionRule
    runs: tuple[Run, ...] = ()

    @classmethod
    def of(cls, rule: OccasionRule, kills: Iterable[tuple[int, int]]) -> Occasions:
        """Return the occasions of kills given as instants and places in the log, in any order."""
        it = cls(rule)
        for at, seq in sorted(kills):
            it = it.killed(seq, at)
        return it

    @property
    def instants(self) -> dict[int, int]:
        """The instants of all open kills, by their places in the log."""
        return {seq: at for run in self.runs for at, seq in run}

    def killed(self, seq: int, at: int) -> Occasions:
        """Return it with one more kill, which may come late and out of order."""
        last = self.runs[-1] if self.runs else ()
        if last and (at, seq) < last[-1]:
            return self.of(self.rule, [*self._kills(), (at, seq)])
        if last and at - last[-1][0] <= self.rule.within and len(last) < MOST_KILLS:
            return Occasions(self.rule, (*self.runs[:-1], (*last, (at, seq))))
        return Occasions(self.rule, (*self.runs, ((at, seq),)))

    def only(self, seqs: Container[int]) -> Occasions:
        """Return it with none but the kills at these places in the log."""
        return self.of(self.rule, [one for one in self._kills() if one[1] in seqs])

    def without(self, seq: int) -> Occasions:
        """Return it without a kill that was corrected away."""
        return self.of(self.rule, [one for one in self._kills() if one[1] != seq])

    def closes_at(self) -> int | None:
        """Return when nothing more can belong to the first open run; None when nothing is open."""
        return self._closes(self.runs[0]) if self.runs else None

    def advance(self, now: int) -> tuple[Occasions, list[Occasion]]:
        """Return it at this instant, and the occasions to which nothing more can belong by now."""
        # Their runs are in the order of time, and so close in it.
        if not self.runs or self._closes(self.runs[0]) > now:
            return self, []
        over = [run for run in self.runs if self._closes(run) <= now]
        found = [
            Occasion(tuple(at for at, _ in run), tuple(seq for _, seq in run)) for run in over if self._deserves(run)
        ]
        return Occasions(self.rule, self.runs[len(over) :]), found

    def pruned(self, now: int, latest: int) -> Occasions:
        """Return it without the runs that are over and deserve nothing, or ended longer ago than `latest`."""
        kept = tuple(
            run for run in self.runs if self._closes(run) > now or (now - run[-1][0] <= latest and self._deserves(run))
        )
        return self if len(kept) == len(self.runs) else Occasions(self.rule, kept)

    def _kills(self) -> list[tuple[int, int]]:
        return [one for run in self.runs for one in run]

    def _closes(self, run: Run) -> int:
        return run[-1][0] + max(self.rule.within, self.rule.after)

    def _deserves(self, run: Run) -> bool:
        """Whether so many of a run lie within the rule's time of each other."""
        needed = self.rule.kills
        return any(run[i + needed - 1][0] - run[i][0] <= self.rule.within for i in range(len(run) - needed + 1))
