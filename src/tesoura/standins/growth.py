"""Counts that grow, and sometimes jump, the same way for the same seed."""

from __future__ import annotations

import random

GROWS, JUMPS = 0.2, 0.002


class Growth:
    """One channel's count over its own seconds."""

    def __init__(self, seed: str, start: int) -> None:
        self._random = random.Random(seed)
        self._second = 0
        self.count = start

    def at(self, second: float) -> int:
        """The count at this second of the channel's time; time does not run backwards."""
        while self._second < int(second):
            self._second += 1
            chance = self._random.random()
            if chance < JUMPS:
                self.count += self._random.randint(20, 90)
            elif chance < JUMPS + GROWS:
                self.count += self._random.randint(1, 2)
        return self.count

    def put(self, count: int) -> None:
        """Go on from this count."""
        self.count = count
