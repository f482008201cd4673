"""The events of a player of music, as any program may send them: their types, what stands in their data."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

START, PAUSE, RESUME, SEEK, STOP = "track.start", "track.pause", "track.resume", "track.seek", "track.stop"
TYPES = (START, PAUSE, RESUME, SEEK, STOP)
STARTED = "tesoura.started"
"""An event that tells that Tesoura was started: what was told before is not known to be true any more."""
COVER = "tesoura.cover"
"""An event that tells what became of a track's cover."""
KINDS: Mapping[str, str] = {
    "track": "a song; the default",
    "advertisement": "an advertisement between songs",
    "clip": "a jingle, a sound, a preview",
    "stream": "an endless stream, such as radio",
}
FIELDS: Mapping[str, str] = {
    "title": "title, a text",
    "artists": "a list of names, or one name",
    "album": "album, a text",
    "length_s": "length in seconds; omit if unknown or endless",
    "position_s": "position in seconds; omit if unknown",
    "cover": "address of the cover",
    "link": "address of the track's page",
    "player": "player name, if one source reports several players",
    "kind": "track, advertisement, clip or stream",
    "track": "the source's own track ID, a text",
    "paused": "for a start: true if paused",
    "next_title": "title of the next track",
    "next_artists": "artists of the next track",
}
DETAILS = ("title", "artists", "album", "length_s", "cover", "link", "kind", "track", "next_title", "next_artists")


@dataclass(frozen=True, slots=True)
class TrackEvent:
    """One type of event: what it means, what its data must have to be of use, and what it may have."""

    type: str
    meaning: str
    needs: Sequence[str] = ()
    may: Sequence[str] = ()


TRACK_EVENTS: Sequence[TrackEvent] = (
    TrackEvent(
        START,
        "A track starts, or is reported for the first time. The same track starts again when its position jumps.",
        ("title",),
        (
            "artists",
            "album",
            "length_s",
            "position_s",
            "cover",
            "link",
            "player",
            "kind",
            "track",
            "paused",
            "next_title",
            "next_artists",
        ),
    ),
    TrackEvent(PAUSE, "The track is paused.", (), ("position_s", "player")),
    TrackEvent(RESUME, "The track resumes.", (), ("position_s", "player")),
    TrackEvent(
        SEEK,
        "The position changed, or details were added; given details replace the previous ones.",
        (),
        ("position_s", "player", *DETAILS),
    ),
    TrackEvent(STOP, "Playback stopped.", (), ("player",)),
)
