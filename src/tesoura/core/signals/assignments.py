"""Values that are set and not measured: by a script, by hand, a scene. Each is an event of the log before it counts."""

from __future__ import annotations

import zlib
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from tesoura.core.names import MAX_PART, snake
from tesoura.core.values import Event, Scalar, as_scalar
from tesoura.errors import ValueRefused

BY_SCRIPT, BY_HAND, SCENE = "tesoura.signal", "tesoura.set_by_hand", "tesoura.scene"
AIR, SEEN = "tesoura.air", "tesoura.seen"
TYPES = frozenset((BY_SCRIPT, BY_HAND, SCENE, AIR, SEEN))
SCRIPT_FEED, SCENE_FEED, AIR_FEED, SEEN_FEED = "script", "scene", "air", "seen"
OWN_FEEDS = frozenset((SCRIPT_FEED, SCENE_FEED, AIR_FEED, SEEN_FEED))
"""The first halves of the names of signals that are set and belong to no feed of the user's."""


def air_signal(overlay: str) -> str:
    """The signal that tells by how many pages an overlay is shown."""
    return f"{AIR_FEED}.{snake(overlay)}"


@lru_cache(maxsize=1024)
def seen_signal(piece: str) -> str:
    """The signal that tells whether viewers see a piece, named as `overlay / piece`."""
    named = " ".join(piece.split()).casefold()
    plain = snake(named, "piece")
    if named.isascii() and len(named) < MAX_PART:
        return f"{SEEN_FEED}.{plain}"
    # Of two names that are told apart only by what is lost here, each has a signal of its own.
    return f"{SEEN_FEED}.{plain[:36].rstrip('_')}_{zlib.crc32(named.encode()):08x}"


@dataclass(frozen=True, slots=True)
class Assignment:
    """A signal set to a value; its unit where one was given, and how long it is fresh, in seconds."""

    signal: str
    value: Scalar
    unit: str | None = None
    fresh_for_s: float | None = None

    @property
    def feed(self) -> str:
        """The first half of the signal's name."""
        return self.signal.partition(".")[0]

    def data(self) -> dict[str, Any]:
        """What stands in the log."""
        told: dict[str, Any] = {"signal": self.signal, "value": self.value}
        if self.unit is not None:
            told["unit"] = self.unit
        if self.fresh_for_s is not None:
            told["fresh_for_s"] = self.fresh_for_s
        return told


def assignment_of(event: Event) -> Assignment | None:
    """What an event of the log sets; None for one that sets nothing, as those of earlier versions."""
    if event.type not in TYPES or event.source != "tesoura":
        return None
    signal, unit, fresh = (event.data.get(key) for key in ("signal", "unit", "fresh_for_s"))
    if not isinstance(signal, str):
        return None
    try:
        value = as_scalar(event.data.get("value"))
    except ValueRefused:
        return None
    return Assignment(
        signal, value, unit if isinstance(unit, str) else None, float(fresh) if isinstance(fresh, int | float) else None
    )
