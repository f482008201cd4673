"""Who speaks of the sources, why, and what is left out of what they tell."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime

from tesoura.core.computed.occurrence import name_key
from tesoura.core.instruments.base import Instrument
from tesoura.core.instruments.now_playing.plan import NowPlayingPlan
from tesoura.core.instruments.now_playing.play import Play
from tesoura.core.instruments.now_playing.sources import MusicSource, in_order
from tesoura.core.tracks.track import Track


@dataclass(frozen=True, slots=True)
class Voices(Instrument):
    """The sources, the order in which they are preferred, those that are not listened to, and what is played.

    `hidden` maps the keys of tracks that are not shown to what they are called.
    """

    plan: NowPlayingPlan
    session_began: datetime | None = None
    sources: Mapping[str, MusicSource] = field(default_factory=dict)
    order: tuple[str, ...] = ()
    silent: frozenset[str] = frozenset()
    hidden: Mapping[str, str] = field(default_factory=dict)
    play: Play | None = None

    def left_out(self, track: Track) -> str:
        """Why a track is left out, in words; empty when it is not."""
        plan = self.plan
        if track.kind == "advertisement" and not plan.advertisements:
            return "it's an advertisement"
        if track.length_s is not None and track.length_s < plan.shortest_s:
            return f"it is shorter than {plan.shortest_s:.0f} s"
        if track.key in self.hidden:
            return "you ignored it"
        told = name_key(f"{track.title}\n{track.by}\n{track.album}")
        found = next((word for word in plan.words if word in told), None)
        return f"it has the word “{found}”" if found else ""

    def ordered(self) -> list[MusicSource]:
        """The sources, the preferred first."""
        return in_order(self.sources.values(), self.order)

    def speaker(self, at: datetime) -> MusicSource | None:
        """The source that speaks: the first that plays; where none does, the one that spoke last."""
        found = [one for one in self.ordered() if self.may_speak(one)]
        playing = next((one for one in found if one.plays(at)), None)
        if playing is not None or not found:
            return playing
        last = self.play.source if self.play else ""
        return next((one for one in found if one.key == last), found[0])

    def may_speak(self, source: MusicSource) -> bool:
        """Whether what a source tells may be shown."""
        return source.has_track and source.key not in self.silent and not self.left_out(source.track)

    def why(self, at: datetime) -> str:
        """Why this source speaks, or why none does, in one sentence."""
        spoken = self.speaker(at)
        if spoken is None:
            return self._why_none(at)
        playing = [one for one in self.ordered() if one.plays(at) and self.may_speak(one)]
        if not spoken.plays(at):
            return f"{spoken.label} is paused and nothing else is playing."
        if len(playing) == 1:
            return f"Current source: {spoken.label}. Nothing else is playing."
        alike = [one.label for one in playing if one is not spoken and one.track.same(spoken.track)]
        also = f" {', '.join(alike)} plays the same track." if alike else ""
        return f"Current source: {spoken.label}, the first of {len(playing)} that are playing.{also}"

    def _why_none(self, at: datetime) -> str:
        for one in self.ordered():
            if one.has_track and one.key in self.silent:
                return f"{one.label} plays, and is ignored."
            if one.has_track and (why := self.left_out(one.track)):
                return f"{one.label} plays “{one.track.title}”, which is ignored: {why}."
        away = [one.label for one in self.ordered() if one.away]
        if away:
            return f"{', '.join(away)} can't be reached now."
        over = [one.label for one in self.ordered() if one.ended]
        if over:
            return f"The track of {', '.join(over)} has ended and no other track was reported."
        return "Nothing is playing." if self.sources else "No player yet."
