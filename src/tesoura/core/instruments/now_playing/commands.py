"""Now playing, operated: show it, not this one, whose word goes first, a track by hand; and what its signals tell."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.computed.occurrence import Occurrence, micros, name_of
from tesoura.core.forms.durations import brief
from tesoura.core.instruments.base import Step, Told, by_name
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.now_playing.saving import saved
from tesoura.core.instruments.now_playing.sources import BY_HAND, MusicSource, label_of
from tesoura.core.instruments.now_playing.state import Music
from tesoura.core.signals.extremes import Extremes
from tesoura.core.tracks.schema import START, STOP
from tesoura.core.tracks.track import artists_of, seconds_typed, time_text, where_text, words_of
from tesoura.errors import CommandRefused, InvalidField

PLAYING, PAUSED, NOTHING = "playing", "paused", "nothing"
SIGNALS: Mapping[str, str] = {
    "text": "",
    "title": "",
    "artists": "",
    "album": "",
    "position": "s",
    "left": "s",
    "length": "s",
    "time": "",
    "left_time": "",
    "share": "",
    "next": "",
    "played_count": "",
    "source": "",
    "state": "",
    "before": "",
    "link": "",
    "there": "",
    "cover": "drawing",
    "tint": "drawing",
    "motion": "drawing",
}


@dataclass(frozen=True, slots=True)
class NowPlaying(Music):
    """What is played now, operated."""

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command leads to. Raises InvalidField or CommandRefused."""
        step: Step = by_name(replace(self.advance(now), written=()), command, now)
        return step

    def _show(self, command: Command, now: datetime) -> Step:
        self._must_play("Nothing is playing, so there is nothing to show.")
        until = now + self.plan.asked
        return Step(
            replace(self, asked_until=until), f"on screen for {brief(self.plan.asked)}", undo=("stop_showing", {})
        )

    def _stop_showing(self, command: Command, now: datetime) -> Step:
        if self.asked_until is None or now >= self.asked_until:
            raise CommandRefused("It is not shown on request now.")
        return Step(replace(self, asked_until=None), "back to its settings")

    def _not_this(self, command: Command, now: datetime) -> Step:
        self._must_play("Nothing is playing, so there is nothing to ignore.")
        assert self.play is not None
        track = self.play.track
        given = {
            "track": str(command.given.get("track") or track.key)[:500],
            "words": str(command.given.get("words") or track.words)[:200],
        }
        hidden = {**self.hidden, given["track"]: given["words"]}
        after = replace(self, hidden=hidden)._settled(now)
        return Step(after, f"“{given['words']}” is now ignored", given, undo=("allow", {"track": given["track"]}))

    def _allow(self, command: Command, now: datetime) -> Step:
        key = str(command.given.get("track") or next(reversed([*self.hidden]), ""))
        if key not in self.hidden:
            raise CommandRefused("This track is not ignored.")
        words = self.hidden[key]
        after = replace(self, hidden={one: each for one, each in self.hidden.items() if one != key})._settled(now)
        return Step(
            after, f"“{words}” is shown again", {"track": key}, undo=("not_this", {"track": key, "words": words})
        )

    def _prefer(self, command: Command, now: datetime) -> Step:
        keys = [one.key for one in self.ordered()]
        key = self._known(command.given.get("source"), keys)
        was = keys.index(key)
        at = max(0, min(_whole(command.given.get("at", 0)), len(keys) - 1))
        order = [one for one in keys if one != key]
        order.insert(at, key)
        after = replace(self, order=tuple(order))._settled(now)
        return Step(
            after,
            f"{label_of(key)} is {_ordinal(at)}",
            {"source": key, "at": at},
            undo=("prefer", {"source": key, "at": was}),
        )

    def _silence(self, command: Command, now: datetime) -> Step:
        key = self._known(command.given.get("source"), list(self.sources))
        if key in self.silent:
            raise CommandRefused(f"{label_of(key)} is ignored already.")
        after = replace(self, silent=self.silent | {key})._settled(now)
        return Step(after, f"{label_of(key)} is ignored", {"source": key}, undo=("hear", {"source": key}))

    def _hear(self, command: Command, now: datetime) -> Step:
        key = self._known(command.given.get("source"), sorted(self.silent))
        after = replace(self, silent=self.silent - {key})._settled(now)
        return Step(after, f"{label_of(key)} is listened to", {"source": key}, undo=("silence", {"source": key}))

    def _known(self, raw: object, keys: list[str]) -> str:
        wanted = str(raw or "").strip().casefold()
        found = next((key for key in keys if wanted in (key.casefold(), label_of(key).casefold())), None)
        if found is None:
            known = ", ".join(label_of(key) for key in keys[:6]) or "none yet"
            raise InvalidField(f"There is no music source of that name. Known ones: {known}.")
        return found

    def _play(self, command: Command, now: datetime) -> Step:
        given = command.given
        title, artists = name_of(given.get("title")), artists_of(str(given.get("artists") or "").split(","))
        if not title:
            raise InvalidField("Give the title of the track.")
        data: dict[str, Any] = {"title": title, "artists": list(artists)}
        if album := name_of(given.get("album")):
            data["album"] = album
        if given.get("length"):
            data["length_s"] = _length_s(given["length"])
        return self._by_hand(
            START,
            {**data, "position_s": 0.0},
            command,
            now,
            words_of(title, artists) + " plays",
            {**data, "artists": ", ".join(artists), "length": data.get("length_s", "")},
        )

    def _stop(self, command: Command, now: datetime) -> Step:
        if not self.sources.get(BY_HAND, MusicSource(BY_HAND)).has_track:
            raise CommandRefused("No track is set by hand.")
        return self._by_hand(STOP, {}, command, now, "hand-set track stopped", {})

    def _by_hand(
        self, kind: str, data: Mapping[str, Any], command: Command, now: datetime, effect: str, given: Mapping[str, Any]
    ) -> Step:
        event = Occurrence(micros(now), command.seq, kind, data, BY_HAND)
        after = self.on_event(event)
        return Step(replace(after, written=()), effect, given)

    def _must_play(self, else_words: str) -> None:
        if self.play is None:
            raise CommandRefused(else_words)

    # What it tells

    def read(self, now: datetime) -> Told:
        """The present value of each of its signals; None where nothing plays, or nobody knows."""
        it = self.advance(now)
        always: dict[str, Any] = {
            "played_count": it.count,
            "before": it._before(),
            "state": NOTHING,
            "there": it.there(now),
            "text": "",
            "source": "",
        }
        play = it.play
        if play is None:
            return {**dict.fromkeys(SIGNALS), **always, "text": None, "source": None}
        track, cover = play.track, it.cover()
        length_s, position_s = track.length_s, play.anchor.position(now, track.length_s)
        known = {"position": position_s, "length": length_s}
        if length_s is not None and position_s is not None:
            known |= {"left": length_s - position_s}
        return {
            **dict.fromkeys(SIGNALS),
            **always,
            "title": track.title,
            "artists": track.by,
            "album": track.album or None,
            "text": track.words,
            "next": track.next or None,
            "link": track.link or None,
            "source": it.sources[play.source].label if play.source in it.sources else label_of(play.source),
            "state": PLAYING if play.moving_since is not None else PAUSED,
            **{name: int(value) for name, value in known.items() if value is not None},
            "time": time_text(position_s) if position_s is not None else None,
            "left_time": time_text(known["left"] or 0.0) if "left" in known else None,
            "share": round(position_s / length_s, 4) if length_s and position_s is not None else None,
            "cover": cover.file or None,
            "tint": " ".join(cover.colours) or None,
            "motion": it.motion(),
        }

    def motion(self) -> str | None:
        """How the bar moves, told once for as long as nobody touches it: `position|length|speed|since`.

        Seconds, seconds or nothing, 1 or 0, and the instant at which it stood there, in milliseconds since 1970.
        """
        play = self.play
        if play is None or play.anchor.position_s is None or play.anchor.at is None:
            return None
        length = f"{play.track.length_s:g}" if play.track.length_s else ""
        speed = int(play.moving_since is not None)
        return f"{play.anchor.position_s:.3f}|{length}|{speed}|{micros(play.anchor.at) // 1_000}"

    def _before(self) -> str | None:
        """The last track that counted before the present one."""
        present = self.play.track.title if self.play is not None and self.play.counted else None
        found = [one for one in self.before if one.title != present or one is not self.before[-1]]
        return words_of(found[-1].title, found[-1].artists) if found else None

    def next_change(self, now: datetime) -> datetime | None:
        """When a signal changes, or something happens, by itself."""
        it = self.advance(now)
        found = [it._due(), it.asked_until, *(one.counts_at() for one in it.owed)]
        if (play := it.play) is not None:
            found += [play.counts_at(), play.changed_at + it.plan.change]
            if play.still_since is not None:
                found.append(play.still_since + it.plan.leaves_after)
            found.append(
                _next_second(
                    play.anchor.position(now, play.track.length_s),
                    play.track.length_s,
                    now if play.moving_since else None,
                )
            )
        return min((at for at in found if at is not None and at > now), default=None)

    def view(self, at: datetime) -> Mapping[str, Any]:
        """Its sources, which speaks and why, what is left out by hand, and the cover's fate."""
        it = self.advance(at)
        spoken, playing = it.speaker(at), it.play
        rows = [
            {
                "key": one.key,
                "label": one.label,
                "track": one.track,
                "away": one.away,
                "plays": one.plays(at),
                "ended": one.ended,
                "where": where_text(one.anchor.position(at, one.track.length_s), one.track.length_s),
                "speaks": one is spoken,
                "silent": one.key in it.silent,
                "left_out": it.left_out(one.track) if one.has_track else "",
                "by_hand": one.key == BY_HAND,
                "from": one.key.partition("|")[0],
            }
            for one in it.ordered()
        ]
        when = self.plan.when_in(it.scene)
        place = playing.anchor.position(at, playing.track.length_s) if playing else None
        where = where_text(place, playing.track.length_s) if playing else ""
        return {
            "sources": rows,
            "where": where,
            "why": it.why(at),
            "hidden": dict(it.hidden),
            "cover": it.cover(),
            "when": when,
            "cover_wanted": playing.track.cover if playing else "",
        }

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored."""
        return saved(self)

    def extremes(self, at: datetime) -> Mapping[str, Extremes]:
        """Its times may come to an hour."""
        return {name: Extremes(widest="8:88:88") for name in ("time", "left_time")}


def _next_second(position_s: float | None, length_s: float | None, now: datetime | None) -> datetime | None:
    if position_s is None or now is None or (length_s and position_s >= length_s):
        return None
    return now + timedelta(seconds=max(int(position_s) + 1 - position_s, 0.01))


def _whole(raw: object) -> int:
    try:
        return int(float(str(raw)))
    except (ValueError, OverflowError):
        raise InvalidField(f"“{str(raw)[:20]}” is not a position. Give a number; 0 is first.") from None


def _ordinal(at: int) -> str:
    return ("first", "second", "third", "fourth", "fifth")[at] if at < 5 else f"number {at + 1}"


def _length_s(raw: object) -> float:
    found = seconds_typed(str(raw))
    if not found:
        raise InvalidField(f"“{str(raw)[:20]}” is not a length. Write it as 3:40, or in seconds.")
    return found
