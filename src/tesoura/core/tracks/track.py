"""One track: what is known of it, cleaned of what cannot be shown, and whether two of them are the same."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from hashlib import sha256
from typing import Any

from tesoura.core.computed.occurrence import amount_of, name_key, name_of, number
from tesoura.core.tracks.schema import KINDS

MOST_ARTISTS = 12
MOST_ADDRESS = 2_000
LONGEST_S = 48 * 3_600.0
ALIKE_S = 5.0
"""By how much two players' lengths of the same track may differ."""


@dataclass(frozen=True, slots=True)
class Track:
    """A track. `length_s` is None where nobody knows; `cover` and `link` are addresses as they were told."""

    title: str = ""
    artists: tuple[str, ...] = ()
    album: str = ""
    length_s: float | None = None
    cover: str = ""
    link: str = ""
    kind: str = "track"
    id: str = ""
    next: str = ""
    """What comes after it, in words."""

    @property
    def by(self) -> str:
        """Its artists in one line."""
        return ", ".join(self.artists)

    @property
    def words(self) -> str:
        """It in one line: `Paper Weather – The Slow Kettles`."""
        return words_of(self.title, self.artists)

    @property
    def key(self) -> str:
        """What it is known by wherever it is told of: case and the encoding of accents do not count."""
        return name_key(f"{self.title}\n{self.artists[0] if self.artists else ''}")

    def same(self, other: Track) -> bool:
        """Whether both are the same piece: title, one artist where both tell some, and length where both know it."""
        if name_key(self.title) != name_key(other.title):
            return False
        mine, theirs = ({name_key(one) for one in track.artists} for track in (self, other))
        if mine and theirs and not mine & theirs and name_key(self.by) != name_key(other.by):
            return False
        both = self.length_s is not None and other.length_s is not None
        return not both or abs((self.length_s or 0) - (other.length_s or 0)) <= ALIKE_S

    def filled_from(self, other: Track) -> Track:
        """This one, with what only the other knows."""
        known = {one.name: getattr(self, one.name) or getattr(other, one.name) for one in fields(self)}
        return replace(self, **known)


def words_of(title: str, artists: Sequence[str]) -> str:
    """A title and who made it, in one line."""
    return " – ".join(part for part in (title, ", ".join(artists)) if part)


def _text(raw: object) -> str:
    return raw.strip()[:MOST_ADDRESS] if isinstance(raw, str) and "\n" not in raw.strip() else ""


def artists_of(raw: object) -> tuple[str, ...]:
    """The artists in what was told: a list of names, or one name."""
    told = raw if isinstance(raw, list | tuple) else [raw]
    return tuple(dict.fromkeys(name for one in told[:MOST_ARTISTS] if (name := name_of(one))))


def seconds_of(raw: object) -> float | None:
    """A length of time or a place in one, in seconds; None for what is none."""
    millionths = None if isinstance(raw, bool) else amount_of(raw)
    told = float(number(millionths)) if millionths is not None else -1.0
    return told if 0 <= told <= LONGEST_S else None


def track_of(data: Mapping[str, Any]) -> Track:
    """The track that an event's data tells of; one without a title where it tells of none."""
    kind = name_of(data.get("kind")).casefold()
    kind = kind if kind in KINDS else "track"
    length_s = seconds_of(data.get("length_s")) if kind != "stream" else None
    return Track(
        name_of(data.get("title")),
        artists_of(data.get("artists")),
        name_of(data.get("album")),
        length_s or None,
        _text(data.get("cover")),
        _text(data.get("link")),
        kind,
        name_of(data.get("track")),
        words_of(name_of(data.get("next_title")), artists_of(data.get("next_artists"))),
    )


def cover_key(track: Track) -> str:
    """What a track's cover is known by: its address may be private, and may be the same for every track."""
    told = f"{track.cover}\n{track.title}\n{track.by}"
    return sha256(told.encode("utf-8", "replace")).hexdigest()[:24] if track.cover else ""


def time_text(seconds: float) -> str:
    """A length, or a place in a track, as one reads it: `4:05`, `1:02:03`."""
    minutes, rest = divmod(int(seconds), 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours}:{minutes:02}:{rest:02}" if hours else f"{minutes}:{rest:02}"


def seconds_typed(typed: str) -> float | None:
    """A length or a place as one writes it: `3:40`, `1:02:03`, or plain seconds; None for what is none."""
    parts = typed.strip().split(":")
    if len(parts) > 3 or not all(part.replace(".", "", 1).isdecimal() for part in parts):
        return None
    total = 0.0
    for part in parts:
        total = total * 60 + float(part)
    return seconds_of(total)


def where_text(position_s: float | None, length_s: float | None) -> str:
    """Where a player is in a track, in words: `1:12 of 3:40`; empty where it does not tell."""
    if position_s is None:
        return ""
    return f"{time_text(position_s)} of {time_text(length_s)}" if length_s else time_text(position_s)
