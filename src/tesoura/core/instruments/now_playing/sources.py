"""Who tells of music: how each source stands, which of them speaks, and why."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.computed.occurrence import Occurrence, instant, name_of
from tesoura.core.tracks.schema import DETAILS, PAUSE, RESUME, SEEK, START, STOP
from tesoura.core.tracks.track import Track, seconds_of, track_of

MOST_SOURCES = 20
AGAIN_S = 5.0
"""A start of the same track so near to where it would be anyway is no new one: its source was only opened anew."""
OVER_AFTER = timedelta(seconds=15)
"""So long past a track's end without a word from its source, it is over."""
BY_HAND = "by hand"


@dataclass(frozen=True, slots=True)
class Anchor:
    """A place in a track at an instant, and whether it moves from there on."""

    position_s: float | None = None
    at: datetime | None = None
    playing: bool = False

    def end(self, length_s: float | None) -> datetime | None:
        """When a track of this length ends; None when it does not move, or nobody knows."""
        if not (self.playing and length_s and self.position_s is not None and self.at):
            return None
        return self.at + timedelta(seconds=max(length_s - self.position_s, 0.0))

    def position(self, now: datetime, length_s: float | None) -> float | None:
        """Where it is, seconds from the beginning, never beyond the end; None where nobody knows."""
        if self.position_s is None or self.at is None:
            return None
        gone = max((now - self.at).total_seconds(), 0.0) if self.playing else 0.0
        return min(self.position_s + gone, length_s) if length_s else self.position_s + gone


@dataclass(frozen=True, slots=True)
class MusicSource:
    """One source of events, or one player of it. `start` is the place in the log of what its track began with.

    `away` says that it is not heard: what it told last is not known to be true any more. `ended` says that its track
    should be over, and that it has not said what came after. Whatever it tells next ends both.
    """

    key: str
    track: Track = field(default_factory=Track)
    anchor: Anchor = field(default_factory=Anchor)
    start: int = 0
    began: datetime | None = None
    heard_at: datetime | None = None
    away: bool = False
    ended: bool = False

    @property
    def label(self) -> str:
        """What it is called: the player's name, or the source's."""
        return label_of(self.key)

    @property
    def has_track(self) -> bool:
        """Whether it tells of a track now."""
        return bool(self.track.title) and not (self.away or self.ended)

    def plays(self, now: datetime) -> bool:
        """Whether it plays, as far as it is known."""
        return self.has_track and self.anchor.playing and not self.over(now)

    def over(self, now: datetime) -> bool:
        """Whether its track has ended and nothing was heard since."""
        end = self.ends_at()
        return end is not None and now >= end

    def ends_at(self) -> datetime | None:
        """When its track is over, should nothing more be heard; None where that is not known."""
        end = self.anchor.end(self.track.length_s)
        return end + OVER_AFTER if end is not None else None

    def told(self, event: Occurrence) -> MusicSource:
        """It after one of its events; itself where the event comes late, or says nothing of use."""
        at = instant(event.at)
        if self.heard_at is not None and at < self.heard_at:
            return self
        heard = replace(self, heard_at=at, away=False, ended=False)
        if event.type == STOP:
            return replace(heard, track=Track(), anchor=Anchor(), began=None)
        position_s = seconds_of(event.data.get("position_s"))
        if event.type == START:
            return heard._started(event, at, position_s)
        track = _merged(self.track, event.data)
        if not track.title:
            return heard
        playing = {PAUSE: False, RESUME: True}.get(event.type, self.anchor.playing)
        if self.away or self.ended:
            playing = event.type != PAUSE
        if position_s is None:
            position_s = self.anchor.position(at, track.length_s)
        return replace(heard, track=track, anchor=Anchor(position_s, at, playing))

    def _started(self, event: Occurrence, at: datetime, position_s: float | None) -> MusicSource:
        track, playing = track_of(event.data), event.data.get("paused") is not True
        if not track.title:
            return self
        expected = self.anchor.position(at, self.track.length_s)
        goes_on = bool(self.start) and track.same(self.track) and self._goes_on(event, expected, position_s)
        anchor = Anchor(position_s, at, playing)
        if goes_on:
            return replace(self, track=track.filled_from(self.track), anchor=anchor)
        return replace(self, track=track, anchor=anchor, start=event.seq, began=at)

    def _goes_on(self, event: Occurrence, expected: float | None, position_s: float | None) -> bool:
        if position_s is None:
            # Nobody knows where it is: the source's own id, where it gives one, tells one beginning from another.
            told = name_of(event.data.get("track"))
            return bool(told) and told == self.track.id
        return expected is not None and abs(position_s - expected) <= AGAIN_S

    def finished(self) -> MusicSource:
        """It from when its track is over, nobody having told what came after."""
        return replace(self, ended=True, anchor=replace(self.anchor, playing=False, position_s=self.track.length_s))

    def unheard(self) -> MusicSource:
        """It from when it is not heard any more: it stands where it stood."""
        return replace(self, away=True)

    def shifted(self, by: timedelta) -> MusicSource:
        """It after the machine's clock was set."""
        anchor = replace(self.anchor, at=self.anchor.at + by) if self.anchor.at else self.anchor
        began = self.began + by if self.began else None
        return replace(self, anchor=anchor, began=began, heard_at=self.heard_at + by if self.heard_at else None)


def label_of(key: str) -> str:
    """What a source is called: the player's name, or the feed's or the program's."""
    source, _, player = key.partition("|")
    kind, _, name = source.partition(":")
    if player or kind != "feed":
        return player or source
    return name.replace("_", " ").capitalize()


def _merged(track: Track, data: Mapping[str, Any]) -> Track:
    """A track with the details that an event tells in the place of those before."""
    told = track_of({"title": track.title, **data})
    given = {
        "artists": "artists",
        "album": "album",
        "length_s": "length_s",
        "cover": "cover",
        "link": "link",
        "kind": "kind",
        "track": "id",
        "title": "title",
    }
    changed = {attribute: getattr(told, attribute) for name, attribute in given.items() if name in data}
    if "next_title" in data or "next_artists" in data:
        changed["next"] = told.next
    return replace(track, **changed)


def key_of(event: Occurrence) -> str:
    """Which source an event is from: `feed:music`, with the player's name behind a bar where it tells of several."""
    player = name_of(event.data.get("player"))
    return f"{event.source}|{player}" if player else event.source


def tells(event: Occurrence) -> bool:
    """Whether an event of a player tells more than that there is one."""
    return event.type in (START, PAUSE, RESUME, SEEK, STOP) and bool(
        event.type != SEEK or "position_s" in event.data or any(name in event.data for name in DETAILS)
    )


def with_source(sources: Mapping[str, MusicSource], one: MusicSource, order: Sequence[str]) -> dict[str, MusicSource]:
    """The sources with this one as it is now; the most there may be are kept, those that tell nothing let go first."""
    found = {**sources, one.key: one}
    spare = [key for key, each in found.items() if key != one.key and key not in order and not each.has_track]
    while len(found) > MOST_SOURCES and spare:
        del found[spare.pop(0)]
    if len(found) > MOST_SOURCES:
        oldest = min((each for each in found.values() if each is not one), key=lambda each: str(each.heard_at))
        del found[oldest.key]
    return found


def in_order(sources: Iterable[MusicSource], order: Sequence[str]) -> list[MusicSource]:
    """The sources in the order in which they are preferred; those of which nobody said anything behind."""
    rank = {key: at for at, key in enumerate(order)}
    return sorted(sources, key=lambda one: rank.get(one.key, len(rank)))
