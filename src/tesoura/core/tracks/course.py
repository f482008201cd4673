"""From what a player says of itself, again and again, to the events of its tracks."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from tesoura.core.computed.occurrence import name_key, name_of
from tesoura.core.tracks.schema import DETAILS, PAUSE, RESUME, SEEK, START, STOP
from tesoura.core.tracks.track import artists_of, seconds_of

JUMP_S = 2.0
"""By how much a place may differ from the expected one before it was moved there: players tell whole seconds."""
ANEW_S, NEAR_END_S = 3.0, 6.0
"""A track whose place is under so many seconds, and was so near its end before, has begun anew."""


@dataclass(frozen=True, slots=True)
class PlayerReport:
    """How a player stands: the details of its track by the names of events' fields, whether it plays, and where.

    Without a title, nothing is played. `anew` says that the player itself told of a new beginning.
    """

    details: Mapping[str, Any] = field(default_factory=dict)
    playing: bool = False
    position_s: float | None = None
    anew: bool = False

    @property
    def nothing(self) -> bool:
        """Whether no track is told of."""
        return not name_of(self.details.get("title"))

    def is_other(self, before: PlayerReport) -> bool:
        """Whether this is of another track: by the player's own id where it gives one, else by title and artists."""
        mine, theirs = self.details.get("track"), before.details.get("track")
        if mine and theirs and mine != theirs:
            return True
        return self._named() != before._named()

    def _named(self) -> tuple[str, tuple[str, ...]]:
        artists = artists_of(self.details.get("artists"))
        return name_key(name_of(self.details.get("title"))), tuple(name_key(one) for one in artists)


@dataclass(slots=True)
class TrackCourse:
    """What one player has told so far; `player` names it where a source tells of several."""

    player: str = ""
    before: PlayerReport = field(default_factory=PlayerReport)
    at_s: float = 0.0
    """When that was told, on a clock that is never set."""

    def after(self, report: PlayerReport, at_s: float) -> list[tuple[str, dict[str, Any]]]:
        """The events that follow from a further report: type and data of each."""
        before, expected = self.before, self._expected(at_s)
        self.before, self.at_s = report, at_s
        if report.nothing:
            return [] if before.nothing else [(STOP, self._with({}))]
        if before.nothing or report.is_other(before) or report.anew or self._again(report, expected):
            paused = {} if report.playing else {"paused": True}
            return [(START, self._with({**_told(report.details), **_place(report), **paused}))]
        if report.playing != before.playing:
            kind = RESUME if report.playing else PAUSE
            return [(kind, self._with(_place(report))), *self._details(before, report, moved=False)]
        return self._details(before, report, self._moved(report, expected))

    def _expected(self, at_s: float) -> float | None:
        """Where the player would be by now, had nobody touched it."""
        before = self.before
        if before.position_s is None:
            return None
        place = before.position_s + (at_s - self.at_s if before.playing else 0.0)
        length_s = seconds_of(before.details.get("length_s"))
        return min(place, length_s) if length_s else place

    def _moved(self, report: PlayerReport, expected: float | None) -> bool:
        if report.position_s is None or expected is None:
            return report.position_s is not None
        return abs(report.position_s - expected) > JUMP_S

    def _again(self, report: PlayerReport, expected: float | None) -> bool:
        length_s = seconds_of(report.details.get("length_s"))
        if report.position_s is None or expected is None or not length_s or report.position_s >= ANEW_S:
            return False
        return expected > length_s - NEAR_END_S and expected - report.position_s > JUMP_S

    def _details(self, before: PlayerReport, report: PlayerReport, moved: bool) -> list[tuple[str, dict[str, Any]]]:
        """What became known since, and where the player is now if it was moved."""
        was, told = _told(before.details), _told(report.details)
        new = {name: value for name, value in told.items() if was.get(name) != value}
        return [(SEEK, self._with({**new, **_place(report)}))] if new or moved else []

    def _with(self, data: dict[str, Any]) -> dict[str, Any]:
        return {**data, "player": self.player} if self.player else data


def _told(details: Mapping[str, Any]) -> dict[str, Any]:
    return {name: details[name] for name in DETAILS if details.get(name) not in (None, "", [], ())}


def _place(report: PlayerReport) -> dict[str, Any]:
    return {} if report.position_s is None else {"position_s": round(report.position_s, 3)}
