"""The order of fields around a wheel: those that are alike are kept apart as far as they can be."""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Sequence


def spread(kinds: Sequence[Hashable]) -> list[int]:
    """The fields' places in an order in which no two of one kind are neighbours around the wheel, if there is one.

    Where one kind has more than half of the fields, as few of them touch as can be. Those of a kind keep their order.
    """
    waiting: dict[Hashable, list[int]] = {}
    for at, kind in enumerate(kinds):
        waiting.setdefault(kind, []).append(at)
    # The most frequent kind first, into every other place; then the next, where that one ended.
    by_count = sorted(waiting.values(), key=lambda places: (-len(places), places[0]))
    in_line = [at for places in by_count for at in places]
    slots = [*range(0, len(kinds), 2), *range(1, len(kinds), 2)]
    found = [0] * len(kinds)
    for slot, at in zip(slots, in_line, strict=True):
        found[slot] = at
    return _closed(found, kinds)


def _closed(order: list[int], kinds: Sequence[Hashable]) -> list[int]:
    """The same, its last field moved where it touches none of its kind, if it and the first are alike."""
    if len(order) < 3 or kinds[order[0]] != kinds[order[-1]]:
        return order
    last, rest = order[-1], order[:-1]
    for at in range(1, len(rest)):
        if kinds[last] not in (kinds[rest[at - 1]], kinds[rest[at]]):
            return [*rest[:at], last, *rest[at:]]
    return order


def touching(order: Sequence[int], kinds: Sequence[Hashable]) -> int:
    """How many neighbours around the wheel are of one kind."""
    if len(order) < 2:
        return 0
    return sum(kinds[one] == kinds[order[at - 1]] for at, one in enumerate(order))


def unavoidable(kinds: Sequence[Hashable]) -> int:
    """How many neighbours of one kind there are in any order."""
    most = max(Counter(kinds).values(), default=0)
    return max(2 * most - len(kinds), 0) if len(kinds) > 1 else 0
