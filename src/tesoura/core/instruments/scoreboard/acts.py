"""What was done to a match, act by act. The match is what they come to; taking one back is leaving it out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tesoura.errors import InvalidField

SIDES = ("home", "away")
POINT, COUNT, PENALTY, SERVE, SWAP, FIGURE, OVER = "point", "count", "penalty", "serve", "swap", "figure", "over"
RUN, STAND, CLOCK, ADDED, PERIOD = "run", "stand", "clock", "added", "period"
"""Kinds of act: the last five are those of the clock."""
MOST_ACTS = 5_000
LATEST, MOST_VALUE = 4_000_000_000_000_000, 1_000_000
"""An act lies before this (µs since 1970, in 2096), and no value of one is as large."""
WORDS: Mapping[str, str] = {
    POINT: "point",
    COUNT: "count",
    PENALTY: "penalty",
    SERVE: "server changed",
    SWAP: "ends changed",
    FIGURE: "figure set",
    OVER: "match ended",
    RUN: "clock started",
    STAND: "clock stopped",
    CLOCK: "clock set",
    ADDED: "time added",
    PERIOD: "period ended",
}


@dataclass(frozen=True, slots=True)
class MatchAct:
    """One act: its place in the log, when it was (µs since 1970), what it was.

    `side` is 0 or 1, or -1 for none; `what` and `value` belong to its kind. One that is `struck` counts no more.
    """

    number: int
    at: int
    kind: str
    side: int = -1
    what: str = ""
    value: float = 0.0
    struck: bool = False
    by: str = ""

    def told(self) -> dict[str, Any]:
        """It, as it is stored and exported."""
        found: dict[str, Any] = {"number": self.number, "at": self.at, "kind": self.kind}
        if self.side >= 0:
            found["side"] = SIDES[self.side]
        more = {"what": self.what, "value": self.value, "struck": self.struck, "by": self.by}
        return found | {name: value for name, value in more.items() if value}


def act_of(told: Mapping[str, Any]) -> MatchAct:
    """An act as it was stored or exported. Raises InvalidField for what is none."""
    try:
        side = SIDES.index(told["side"]) if "side" in told else -1
        kind = str(told["kind"])
        if kind not in WORDS:
            raise ValueError(kind)
        at, value = int(told["at"]), float(told.get("value", 0.0))
        if not (0 <= at < LATEST and abs(value) < MOST_VALUE):
            raise ValueError(at)
        return MatchAct(
            int(told["number"]),
            at,
            kind,
            side,
            str(told.get("what", ""))[:60],
            value,
            bool(told.get("struck", False)),
            str(told.get("by", ""))[:200],
        )
    except (KeyError, ValueError, TypeError, AttributeError, OverflowError):
        raise InvalidField("This is not a match log. Use a file exported by Tesoura.") from None


def side_of(raw: object) -> int:
    """A side as it was given. Raises InvalidField."""
    typed = str(raw or "").strip().casefold()
    if typed not in SIDES:
        raise InvalidField("Give the side: home or away.")
    return SIDES.index(typed)


def last_standing(acts: Sequence[MatchAct]) -> MatchAct | None:
    """The last act that counts."""
    return next((one for one in reversed(acts) if not one.struck), None)
