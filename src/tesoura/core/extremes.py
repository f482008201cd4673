"""What a signal's text may come to."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Extremes:
    """The widest text that a signal may come to have, and the last one it does."""

    widest: str
    last: str
