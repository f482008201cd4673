"""Ways out: for each kind of effect, how many go at once, how many may wait, and how long one may take."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Mapping
from dataclasses import dataclass
from typing import TypeVar

from tesoura.errors import SourceUnavailable

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Bounds:
    """The bounds of one way. With `each_target` every target has a way of its own."""

    at_once: int
    may_wait: int
    within_s: float
    each_target: bool = True


class Lanes:
    """All ways out. What goes by the same way goes in the order in which it came."""

    def __init__(self, bounds: Mapping[str, Bounds]) -> None:
        self._bounds = bounds
        self._free: dict[tuple[str, str], asyncio.Semaphore] = {}
        self._there: dict[tuple[str, str], int] = {}

    def waiting(self, kind: str, target: str) -> int:
        """How many are on a way, those that go among them."""
        return self._there.get(self._key(kind, target), 0)

    async def run(self, kind: str, target: str, job: Callable[[], Awaitable[T]]) -> T:
        """Do a job when its turn has come. Raises SourceUnavailable when too many wait, or it takes too long."""
        bounds = self._bounds.get(kind)
        if bounds is None:
            return await job()
        key = self._key(kind, target)
        if self._there.get(key, 0) >= bounds.at_once + bounds.may_wait:
            raise SourceUnavailable(f"{bounds.may_wait} wait before it already; it was not begun.")
        self._there[key] = self._there.get(key, 0) + 1
        free = self._free.setdefault(key, asyncio.Semaphore(bounds.at_once))
        try:
            async with free, asyncio.timeout(bounds.within_s):
                return await job()
        except TimeoutError:
            raise SourceUnavailable(f"It took longer than {bounds.within_s:g} s and was given up.") from None
        finally:
            self._there[key] -= 1
            if not self._there[key]:
                # Nobody is on this way: what stands for it is not kept for ever.
                del self._there[key], self._free[key]

    def _key(self, kind: str, target: str) -> tuple[str, str]:
        each = kind in self._bounds and self._bounds[kind].each_target
        return kind, target.casefold() if each else ""
