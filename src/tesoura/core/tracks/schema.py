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
    "track": "a piece of music; what is meant where nothing is said",
    "advertisement": "an advertisement between pieces",
    "clip": "a jingle, a sound, a preview",
    "stream": "something without an end, as a radio",
}
FIELDS: Mapping[str, str] = {
    "title": "what it is called, a text",
    "artists": "who made it, a list of names, or one name",
    "album": "where it is from, a text",
    "length_s": "how long it is, seconds; left out where nobody knows, and for what has no end",
    "position_s": "how far it has come, seconds; left out where nobody knows: then none is shown",
    "cover": "the address of its picture",
    "link": "the address of its page",
    "player": "who plays it, a name, where one source tells of several players",
    "kind": "what it is: track, advertisement, clip or stream",
    "track": "the source's own id of it, a text",
    "paused": "of a start: true when it stands still at first",
    "next_title": "what comes after it, a text",
    "next_artists": "who made that, a list of names, or one name",
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
    TrackEvent(PAUSE, "It stands still.", (), ("position_s", "player")),
    TrackEvent(RESUME, "It goes on.", (), ("position_s", "player")),
    TrackEvent(
        SEEK,
        "It is elsewhere, or more became known of it: any detail that is told takes the place of the one before.",
        (),
        ("position_s", "player", *DETAILS),
    ),
    TrackEvent(STOP, "Nothing is played any more.", (), ("player",)),
)
