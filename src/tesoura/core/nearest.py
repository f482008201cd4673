"""The nearest of some names, for a name that is not among them any more."""

from __future__ import annotations

from collections.abc import Iterable
from difflib import SequenceMatcher

LIKE_ENOUGH = 0.5


def nearest(name: str, names: Iterable[str]) -> str | None:
    """The name that is most like this one, whatever their case; None when none is much like it."""
    wanted = name.strip().casefold()
    rated = [(_likeness(wanted, one.casefold()), one) for one in names]
    likeness, best = max(rated, key=lambda one: one[0], default=(0.0, ""))
    return best if likeness >= LIKE_ENOUGH else None


def same_name(name: str, names: Iterable[str]) -> str | None:
    """The name that is this one but for its case and blanks at its ends."""
    wanted = " ".join(name.split()).casefold()
    return next((one for one in names if " ".join(one.split()).casefold() == wanted), None)


def _likeness(wanted: str, other: str) -> float:
    if wanted and other and (wanted in other or other in wanted):
        return 0.9 + len(wanted) / (10 * max(len(wanted), len(other)) + 1)
    return SequenceMatcher(None, wanted, other).ratio()
