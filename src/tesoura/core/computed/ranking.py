"""A ranking of names that is kept up to date event by event: an amount or a count for each, the best few first."""

from __future__ import annotations

import heapq
from bisect import insort
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

Place = tuple[int, int]
"""When, and where in the log: what "earlier" means."""


@dataclass(slots=True)
class Entry:
    """One name: as it was last written, its amount in millionths, its events, and when it got to where it stands.

    That is when the last event came that moved it; of one that nothing moved, when the first of `still` came: the
    places of its events that added nothing, all of them in a window that lets go of old ones, else the first alone.
    """

    key: str
    shown: str
    written: Place
    amount: int = 0
    count: int = 0
    moves: int = 0
    moved: Place = (0, 0)
    still: list[Place] = field(default_factory=list)
    version: int = 0

    @property
    def last(self) -> Place:
        """When it got to where it stands."""
        return self.moved if self.moves else self.still[0]


class Ranking:
    """Names by amount or by count; of two that are equal, the one that got there earlier is before.

    Each change pushes the entry's new standing on a heap; old standings are passed over when they come up. So a change
    costs the logarithm of the names, whether an amount grows or shrinks.
    """

    def __init__(self, by_count: bool, rolling: bool = False) -> None:
        self._by_count, self._rolling = by_count, rolling
        self.entries: dict[str, Entry] = {}
        self._heap: list[tuple[int, Place, int, str]] = []

    def add(self, key: str, shown: str, amount: int, place: Place) -> Entry:
        """Count one event of this name."""
        entry = self.entries.get(key)
        if entry is None:
            entry = self.entries[key] = Entry(key, shown, place)
        if place >= entry.written:
            entry.shown, entry.written = shown, place
        entry.amount += amount
        entry.count += 1
        if amount or self._by_count:
            entry.moved = max(entry.moved, place) if entry.moves else place
            entry.moves += 1
        else:
            insort(entry.still, place)
            if not self._rolling:
                del entry.still[1:]
        self._push(entry)
        return entry

    def remove(self, key: str, amount: int) -> None:
        """Take one event of this name back out: the oldest, or one that is put back in with another amount."""
        entry = self.entries[key]
        entry.amount -= amount
        entry.count -= 1
        if amount or self._by_count:
            entry.moves -= 1
        elif self._rolling:
            del entry.still[:1]
        if entry.count <= 0:
            del self.entries[key]
        elif entry.moves or entry.still:
            self._push(entry)

    def _push(self, entry: Entry) -> None:
        entry.version += 1
        standing = entry.count if self._by_count else entry.amount
        heapq.heappush(self._heap, (-standing, entry.last, entry.version, entry.key))
        if len(self._heap) > 64 + 4 * len(self.entries):
            self._heap = [self._standing(one) for one in self.entries.values()]
            heapq.heapify(self._heap)

    def _standing(self, entry: Entry) -> tuple[int, Place, int, str]:
        return -(entry.count if self._by_count else entry.amount), entry.last, entry.version, entry.key

    def _present(self, standing: tuple[int, Place, int, str]) -> Entry | None:
        entry = self.entries.get(standing[3])
        return entry if entry is not None and self._standing(entry) == standing else None

    def best(self, count: int) -> list[Entry]:
        """The first few names."""
        taken: list[tuple[int, Place, int, str]] = []
        found: list[Entry] = []
        while self._heap and len(found) < count:
            standing = heapq.heappop(self._heap)
            entry = self._present(standing)
            if entry is not None and (not taken or taken[-1] != standing):
                taken.append(standing)
                found.append(entry)
        for standing in taken:
            heapq.heappush(self._heap, standing)
        return found

    def saved(self) -> list[list[Any]]:
        """All entries, as they are stored."""
        return [
            [one.key, one.shown, *one.written, one.amount, one.count, *one.last, one.moves]
            for one in self.entries.values()
        ]

    def restore(self, saved: Iterator[list[Any]]) -> None:
        """Put stored entries back."""
        for key, shown, written_at, written_seq, amount, count, last_at, last_seq, *moves in saved:
            place, last = (written_at, written_seq), (last_at, last_seq)
            # One stored by an earlier version does not say how often; what has an amount was moved.
            moved = int(moves[0]) if moves else count if amount or self._by_count else 0
            still = [] if moved else [last]
            self.entries[key] = entry = Entry(key, shown, place, amount, count, moved, last, still)
            self._push(entry)
