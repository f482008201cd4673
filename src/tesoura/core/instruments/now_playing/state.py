"""How the music stands: what its sources tell, what is shown of it, what has counted. It reads no clock."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any, Self

from tesoura.core.computed.occurrence import Occurrence, instant, name_of
from tesoura.core.instants import iso_instant
from tesoura.core.instruments.base import Fired
from tesoura.core.instruments.now_playing.play import Cover, Play, Played, cover_of
from tesoura.core.instruments.now_playing.sources import BY_HAND, Anchor, MusicSource, key_of, tells, with_source
from tesoura.core.instruments.now_playing.voices import Voices
from tesoura.core.instruments.records import Record
from tesoura.core.tracks.schema import COVER, STARTED, TYPES
from tesoura.core.tracks.track import Track, artists_of, cover_key
from tesoura.core.values import Scalar

FEED_CHANGED = "tesoura.feed"
QUIET = timedelta(seconds=1)
"""A change that follows another sooner than this waits: of many in a second the last is shown, and none flickers."""
MOST_COVERS, MOST_BEFORE, MOST_RECENT = 200, 20, 30
PLAYED, CHANGED = "played", "changed"


@dataclass(frozen=True, slots=True)
class Music(Voices):
    """What is played, and what was. `owed` are plays that count and are not in the log as such yet; `before` are the
    last that counted."""

    waits: bool = False
    """Whether another track waits until the last change was long enough ago."""
    recent: tuple[Play, ...] = ()
    """The last plays, for when one of their sources speaks again in the midst of its track."""
    owed: tuple[Play, ...] = ()
    announced: str = ""
    before: tuple[Played, ...] = ()
    count: int = 0
    covers: Mapping[str, Cover] = field(default_factory=dict)
    asked_until: datetime | None = None
    scene: str = ""
    driven_at: datetime | None = None
    written: tuple[Record, ...] = ()

    # Time

    def advance(self, at: datetime) -> Self:
        """It at an instant, all that time alone brings about done in its order."""
        it = self
        for _ in range(1_000):
            due = it._due()
            if due is None or due > at:
                break
            it = it._ended(due)._settled(due)
        return replace(it, driven_at=at) if it.driven_at is None or at > it.driven_at else it

    def _due(self) -> datetime | None:
        """When something comes about by time alone: a change that waited, the end of a track that nobody told."""
        found = [end for one in self.sources.values() if one.has_track and (end := one.ends_at()) is not None]
        if self.waits and self.play is not None:
            found.append(self.play.changed_at + QUIET)
        if self._gone_at() is not None:
            found.append(self._gone_at())  # type: ignore[arg-type]
        return min(found, default=None)

    def _gone_at(self) -> datetime | None:
        """When what stands still is told no more, since no source tells of it."""
        play = self.play
        if play is None or play.still_since is None or any(self.may_speak(one) for one in self.sources.values()):
            return None
        return play.still_since + self.plan.leaves_after

    def _ended(self, at: datetime) -> Self:
        """It with the tracks over that are by now, where nobody has told what came after."""
        over = {key: one.finished() for key, one in self.sources.items() if one.has_track and one.over(at)}
        return replace(self, sources={**self.sources, **over}) if over else self

    def _settled(self, at: datetime) -> Self:
        """What is shown brought to what the sources tell."""
        play, speaker = self.play, self.speaker(at)
        if speaker is None:
            if play is None:
                return self
            stopped = replace(play.moves(False, at), anchor=_frozen(play, at))
            gone = at >= (stopped.still_since or at) + self.plan.leaves_after
            return self._over(stopped, at) if gone else replace(self, play=stopped, waits=False)
        if (
            play is not None
            and play.track.same(speaker.track)
            and (play.source != speaker.key or play.start == speaker.start)
        ):
            return replace(self, play=self._went_on(play, speaker, at), waits=False)
        if play is not None and at < play.changed_at + QUIET:
            return replace(self, waits=True)
        it = self._over(play, at) if play is not None else self
        id = f"{speaker.start}"
        again = next((one for one in reversed(it.recent) if id in (one.id, f"{one.start}")), None)
        new = again or Play(id, speaker.track, speaker.key, speaker.start, speaker.began or at, at)
        # One that was only not heard for a while is no change.
        back = play is None and again is not None and again is it.recent[-1]
        changed_at = new.changed_at if back else at
        return replace(it, play=replace(it._went_on(new, speaker, at), changed_at=changed_at), waits=False)

    def _went_on(self, play: Play, speaker: MusicSource, at: datetime) -> Play:
        there = play.at_anchor(speaker.anchor, at)
        return replace(there, track=self._whole(speaker), source=speaker.key, start=speaker.start)

    def _whole(self, speaker: MusicSource) -> Track:
        """The speaker's track, with what only others know who tell of the same."""
        track = speaker.track
        for other in self.ordered():
            if other is not speaker and other.has_track and other.track.same(track):
                track = track.filled_from(other.track)
        return track

    def _over(self, play: Play, at: datetime) -> Self:
        """The play is over; when it counts and the log does not know yet, that is owed."""
        counts = play.counts_at()
        owes = not play.counted and (counts is not None and counts <= at)
        ended = play.moves(False, at)
        recent = (*(one for one in self.recent if one.id != ended.id), ended)[-MOST_RECENT:]
        owed = (*self.owed, ended)[-MOST_RECENT:] if owes else self.owed
        return replace(self, play=None, recent=recent, waits=False, owed=owed)

    # Events

    def on_event(self, event: Occurrence) -> Self:
        """It after an event, at the event's own place in the log."""
        at = max(instant(event.at), self.driven_at or instant(event.at))
        it = replace(self, written=()) if self.written else self
        if event.type in TYPES:
            if not tells(event):
                return it
            key = key_of(event)
            told = it.sources.get(key, MusicSource(key)).told(event)
            return it._with_source(told, at)
        if event.type == STARTED:
            return it._begun_anew(at)
        if event.type == FEED_CHANGED:
            return it._feed_changed(event, at)
        if event.type == COVER:
            return it._cover(event)
        return it._own(event, at)

    def _with_source(self, source: MusicSource, at: datetime) -> Self:
        if self.sources.get(source.key) is source:
            return self
        return replace(self, sources=with_source(self.sources, source, self.order))._ended(at)._settled(at)

    def _begun_anew(self, at: datetime) -> Self:
        """Tesoura was started: nothing was heard in between, so nothing that was told before is known to be true."""
        heard = max((one.heard_at for one in self.sources.values() if one.heard_at), default=at)
        sources = {key: one if key == BY_HAND else one.unheard() for key, one in self.sources.items()}
        play = self.play
        if play is not None and play.source != BY_HAND:
            play = replace(play.moves(False, max(heard, play.moving_since or heard)), anchor=_frozen(play, heard))
            play = replace(play, still_since=at)
        return replace(self, sources=sources, play=play)._settled(at)

    def _feed_changed(self, event: Occurrence, at: datetime) -> Self:
        source = f"feed:{event.data.get('feed')}"
        if event.data.get("state") != "down" or event.source != "tesoura":
            return self
        lost = {key: one.unheard() for key, one in self.sources.items() if key.partition("|")[0] == source}
        return replace(self, sources={**self.sources, **lost})._settled(at) if lost else self

    def _cover(self, event: Occurrence) -> Self:
        if event.source != "tesoura":
            return self
        key = name_of(event.data.get("of"))
        covers = {**{one: kept for one, kept in self.covers.items() if one != key}, key: cover_of(event.data)}
        while len(covers) > MOST_COVERS:
            del covers[next(iter(covers))]
        return replace(self, covers=covers)

    def _own(self, event: Occurrence, at: datetime) -> Self:
        """What it fired itself is in the log now."""
        told = str(event.data.get("id") or "")
        if event.type == f"{self.plan.name}.{CHANGED}":
            return replace(self, announced=told)
        if event.type != f"{self.plan.name}.{PLAYED}":
            return self
        data = event.data
        began = iso_instant(data.get("began")) or at
        one = Played(began, name_of(data.get("title")), artists_of(data.get("artists")))
        in_session = self.session_began is None or began >= self.session_began
        columns = ("title", "artists", "album", "length_s", "link", "source")
        row = {name: data[name] for name in columns if data.get(name)} | {"artists": ", ".join(one.artists)}
        return replace(
            self,
            play=_counted(self.play, told) if self.play is not None else None,
            recent=tuple(_counted(each, told) for each in self.recent),
            owed=tuple(each for each in self.owed if each.id != told),
            before=(*self.before, one)[-MOST_BEFORE:],
            count=self.count + in_session,
            written=(Record(PLAYED, began, row),),
        )

    def recorded(self) -> Sequence[Record]:
        """What the last event has added to its records."""
        return self.written

    def fires(self, now: datetime) -> Sequence[Fired]:
        """That another track is shown, and that one has counted; each once, by its own id."""
        it = self.advance(now)
        found = [it._counts(one, at) for one in it.owed if (at := one.counts_at()) is not None]
        play = it.play
        if play is None:
            return found
        if play.moving_since is not None and play.id != it.announced:
            data = {"id": play.id, **_facts(play.track)}
            found.append(Fired(f"{CHANGED}:{play.id}", f"{it.plan.name}.{CHANGED}", play.changed_at, data))
        if (at := play.counts_at()) is not None and at <= now:
            found.append(it._counts(play, at))
        return found

    def _counts(self, play: Play, at: datetime) -> Fired:
        label = self.sources[play.source].label if play.source in self.sources else ""
        data = {"id": play.id, **_facts(play.track), "began": play.began.isoformat(), "source": label}
        return Fired(f"{PLAYED}:{play.id}", f"{self.plan.name}.{PLAYED}", at, data)

    # What viewers see

    def there(self, at: datetime) -> bool:
        """Whether viewers see it, in the present scene."""
        play = self.play
        if play is None:
            return False
        if self.asked_until is not None and at < self.asked_until:
            return True
        when = self.plan.when_in(self.scene)
        moves = play.moving_since is not None
        stays = moves or (
            play.still_since is not None and play.heard > timedelta() and at < play.still_since + self.plan.leaves_after
        )
        if when == "change":
            return stays and at < play.changed_at + self.plan.change
        return when == "always" and stays

    def cover(self) -> Cover:
        """What there is of the present track's cover."""
        return self.covers.get(cover_key(self.play.track), Cover()) if self.play else Cover()

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Self:
        """It knows which scene there is."""
        scene = str(values.get(self.plan.scene_signal, ""))
        return self if scene == self.scene else replace(self, scene=scene)


def _frozen(play: Play, at: datetime) -> Anchor:
    position_s = play.anchor.position(at, play.track.length_s)
    return Anchor(position_s, at, False) if position_s is not None else Anchor()


def _counted(play: Play, id: str) -> Play:
    return replace(play, counted=True) if play.id == id else play


def _facts(track: Track) -> dict[str, Any]:
    facts: dict[str, Any] = {
        "title": track.title,
        "artists": list(track.artists),
        "album": track.album,
        "length_s": track.length_s,
        "link": track.link,
    }
    return {name: value for name, value in facts.items() if value}
