"""What deserves a replay: so many kills within so many seconds, told once no more can belong to it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

MICRO = 1_000_000
"""All instants and lengths here are in µs."""


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


@dataclass(frozen=True, slots=True)
class Occasions:
    """Kills that may belong to an occasion still, by their places in the log: each when it was."""

    rule: OccasionRule
    open: Mapping[int, int] = field(default_factory=dict)

    def killed(self, seq: int, at: int) -> Occasions:
        """With one more kill; it may come late, and out of order."""
        return replace(self, open={**self.open, seq: at})

    def without(self, seq: int) -> Occasions:
        """Without a kill that was corrected away."""
        return replace(self, open={key: at for key, at in self.open.items() if key != seq})

    def closes_at(self) -> int | None:
        """When the first of what is open can have nothing more belong to it; None for nothing open."""
        runs = self._runs()
        return self._closes(runs[0]) if runs else None

    def advance(self, now: int) -> tuple[Occasions, list[Occasion]]:
        """It at this instant, and the occasions to which nothing more can belong by now."""
        found, gone = [], set()
        for run in self._runs():
            if self._closes(run) > now:
                continue
            gone |= set(run)
            if self._deserves([self.open[seq] for seq in run]):
                found.append(Occasion(tuple(self.open[seq] for seq in run), tuple(run)))
        if not gone:
            return self, []
        return replace(self, open={key: at for key, at in self.open.items() if key not in gone}), found

    def _closes(self, run: list[int]) -> int:
        return self.open[run[-1]] + max(self.rule.within, self.rule.after)

    def _runs(self) -> list[list[int]]:
        """The kills in runs: each within the rule's time of the one before it."""
        runs: list[list[int]] = []
        for seq, at in sorted(self.open.items(), key=lambda one: (one[1], one[0])):
            if runs and at - self.open[runs[-1][-1]] <= self.rule.within:
                runs[-1].append(seq)
            else:
                runs.append([seq])
        return runs

    def _deserves(self, times: list[int]) -> bool:
        """Whether so many of a run lie within the rule's time of each other."""
        needed = self.rule.kills
        return any(times[at + needed - 1] - times[at] <= self.rule.within for at in range(len(times) - needed + 1))
