"""A track that is played: since when, how long it was really heard, and whether that counts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.instruments.now_playing.sources import Anchor
from tesoura.core.tracks.track import Track

COUNTS_AFTER = timedelta(minutes=4)
NOTHING = timedelta()


@dataclass(frozen=True, slots=True)
class Play:
    """One time that a track is played. `id` is the same whenever the log is read; `changed_at` is when it took the
    place of another; `still_since` when it stopped moving; `heard` how long it was played until `moving_since`."""

    id: str
    track: Track
    source: str
    start: int
    began: datetime
    changed_at: datetime
    anchor: Anchor = field(default_factory=Anchor)
    heard: timedelta = NOTHING
    moving_since: datetime | None = None
    still_since: datetime | None = None
    counted: bool = False

    def heard_by(self, now: datetime) -> timedelta:
        """How long it was really played; time that stood still, was jumped over or was over is none of it."""
        if self.moving_since is None:
            return self.heard
        until = min(now, self.anchor.end(self.track.length_s) or now)
        return self.heard + max(until - self.moving_since, NOTHING)

    @property
    def threshold(self) -> timedelta:
        """After how long it counts as played: half of its length, or four minutes, whichever is less."""
        half = timedelta(seconds=self.track.length_s / 2) if self.track.length_s else COUNTS_AFTER
        return min(half, COUNTS_AFTER)

    def counts_at(self) -> datetime | None:
        """When it counts, or has begun to, if it goes on; None when it will not, or is counted already."""
        if self.counted:
            return None
        rest = self.threshold - self.heard
        if self.moving_since is not None:
            at, end = self.moving_since + max(rest, NOTHING), self.anchor.end(self.track.length_s)
            return at if end is None or at <= max(end, self.moving_since) else None
        return self.still_since + rest if self.still_since is not None and rest <= NOTHING else None

    def moves(self, moving: bool, at: datetime) -> Play:
        """It from an instant on at which it plays, or does not."""
        if moving == (self.moving_since is not None):
            return self
        if moving:
            return replace(self, moving_since=at, still_since=None)
        return replace(self, heard=self.heard_by(at), moving_since=None, still_since=at)

    def at_anchor(self, anchor: Anchor, at: datetime) -> Play:
        """It from an instant on at which it was heard to be there, and to play or not."""
        if self.moving_since is not None and anchor.playing:
            return replace(self, heard=self.heard_by(at), moving_since=at, anchor=anchor)
        return replace(self.moves(anchor.playing, at), anchor=anchor)

    def shifted(self, by: timedelta) -> Play:
        """It after the machine's clock was set."""

        def moved(at: datetime | None) -> datetime | None:
            return at + by if at else None

        anchor = replace(self.anchor, at=moved(self.anchor.at))
        return replace(
            self,
            began=self.began + by,
            changed_at=self.changed_at + by,
            anchor=anchor,
            moving_since=moved(self.moving_since),
            still_since=moved(self.still_since),
        )


@dataclass(frozen=True, slots=True)
class Played:
    """A track that counted as played, and when it began."""

    at: datetime
    title: str
    artists: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Cover:
    """What became of a cover: the file that was kept, and its colours as `#RRGGBB`; or why there is none."""

    file: str = ""
    colours: tuple[str, ...] = ()
    why: str = ""


def cover_of(data: Mapping[str, Any]) -> Cover:
    """What an event tells of a cover."""
    colours = tuple(str(one) for one in data.get("colours") or ())
    return Cover(str(data.get("file") or ""), colours, str(data.get("why") or ""))
