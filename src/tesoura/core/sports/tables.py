"""The rules of sports that are played rally by rally, as tables. Each names its source."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Unit:
    """A part of a match, or the match itself: whoever has `to` of the unit below, and a lead of `by`, has won it.

    `cap` is at how many it is won whatever the lead. `last_to` holds instead of `to` where this unit decides the one
    above. At `tie_at` each, a unit of another kind, `tie`, decides it.
    """

    name: str
    to: int
    by: int = 1
    cap: int | None = None
    last_to: int | None = None
    tie_at: int | None = None
    tie: Unit | None = None


RALLY, TURNS, GAMES = "rally", "turns", "games"
"""Who serves: the winner of the last rally; each for so many points in turn; each for a whole game in turn."""
OTHER, WINNER = "other", "winner"
"""Who serves first in the next unit: the other than in the one before, or who has won that."""


PAIRS, GAME_BY_GAME, COURTS, ROTATES, ALTERNATES = "pairs", "game by game", "courts", "rotates", "alternates"
"""How players of a side take turns at serving: `serve_order` tells what each means."""


@dataclass(frozen=True, slots=True)
class Serving:
    """Who serves. In `turns` each serves for `each` points, and for one once both are one short of winning; a tie-break
    begins with one service, then each serves for two. `next_first` tells who begins the next unit of points."""

    kind: str
    each: int = 1
    next_first: str = OTHER


@dataclass(frozen=True, slots=True)
class Ends:
    """When ends are changed: after each unit of points, or after those that make the number of them in the one above
    odd; in the deciding one when the first comes to `last_at`; every so many points altogether, in the deciding unit
    and in a tie-break another number."""

    each_unit: bool = False
    odd_units: bool = False
    last_at: int | None = None
    every_points: int | None = None
    every_points_last: int | None = None
    every_points_tie: int | None = None


@dataclass(frozen=True, slots=True)
class RallySport:
    """A sport that is counted rally by rally. `units` go from that which points win up to the match.

    `names` are what points are called, where they are not called by their number.
    """

    name: str
    title: str
    units: tuple[Unit, ...]
    serving: Serving
    ends: Ends
    source: str
    names: tuple[str, ...] = ()
    order: str = ""
    """How the players of a side take turns at serving: one of those in `order`; empty where nobody asks."""

    @property
    def match(self) -> Unit:
        """The match itself."""
        return self.units[-1]


_TENNIS_SET = Unit("set", 6, 2, tie_at=6, tie=Unit("tie-break", 7, 2))
_TENNIS_ENDS = Ends(odd_units=True, every_points_tie=6)
_CALLED = ("0", "15", "30", "40")

RALLY_SPORTS: Mapping[str, RallySport] = {
    one.name: one
    for one in (
        RallySport(
            "table_tennis",
            "Table tennis",
            (Unit("game", 11, 2), Unit("match", 3)),
            Serving(TURNS, 2),
            Ends(each_unit=True, last_at=5),
            "the laws of table tennis, 2.11 to 2.15",
            order=PAIRS,
        ),
        RallySport(
            "tennis",
            "Tennis",
            (Unit("game", 4, 2), _TENNIS_SET, Unit("match", 2)),
            Serving(GAMES),
            _TENNIS_ENDS,
            "the rules of tennis, 5 to 8, 10, 14",
            _CALLED,
            order=GAME_BY_GAME,
        ),
        RallySport(
            "tennis_no_advantage",
            "Tennis without advantage",
            (Unit("game", 4, 1), _TENNIS_SET, Unit("match", 2)),
            Serving(GAMES),
            _TENNIS_ENDS,
            "the rules of tennis, appendix VI",
            _CALLED,
            order=GAME_BY_GAME,
        ),
        RallySport(
            "badminton",
            "Badminton",
            (Unit("game", 21, 2, cap=30), Unit("match", 2)),
            Serving(RALLY, next_first=WINNER),
            Ends(each_unit=True, last_at=11),
            "the laws of badminton, 7, 8, 10",
            order=COURTS,
        ),
        RallySport(
            "volleyball",
            "Volleyball",
            (Unit("set", 25, 2, last_to=15), Unit("match", 3)),
            Serving(RALLY),
            Ends(each_unit=True, last_at=8),
            "the rules of volleyball, 6, 12, 18",
            order=ROTATES,
        ),
        RallySport(
            "beach_volleyball",
            "Beach volleyball",
            (Unit("set", 21, 2, last_to=15), Unit("match", 2)),
            Serving(RALLY),
            Ends(every_points=7, every_points_last=5),
            "the rules of beach volleyball, 6, 12, 18",
            order=ALTERNATES,
        ),
    )
}
"""The sports that ship, by name."""
