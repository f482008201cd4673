"""What a step of the engine changed, and how a feed fares: the frozen values that leave it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from types import MappingProxyType
from typing import NamedTuple

from tesoura.core.signals.texts import Shown
from tesoura.core.values import Freshness


class Changes(NamedTuple):
    """What a step changed: names of signals, feeds whose state changed, and texts by their key.

    A named tuple and not a dataclass, because one is made for every event.
    """

    signals: tuple[str, ...] = ()
    feeds: tuple[str, ...] = ()
    texts: Mapping[str, Shown] = MappingProxyType({})


@dataclass(frozen=True, slots=True)
class FeedState:
    """How a feed fares. `failures` counts the tries that failed in a row; `problem` is the last one's message."""

    freshness: Freshness
    last_ok_at: datetime | None = None
    problem: str | None = None
    failures: int = 0
