"""What a signal's value may come to."""

from __future__ import annotations

from dataclasses import dataclass

from tesoura.core.values import Scalar


@dataclass(frozen=True, slots=True)
class Extremes:
    """The widest value that a signal may come to have, the last one it does, and a made-up one to try it with.

    None where nothing special is known.
    """

    widest: Scalar | None = None
    last: Scalar | None = None
    sample: Scalar | None = None
