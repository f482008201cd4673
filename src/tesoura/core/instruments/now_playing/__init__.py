"""Now playing: which music plays, from several sources in an order of preference; its card, what was played."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.base import Choices, InstrumentKind
from tesoura.core.instruments.commands import CommandKind
from tesoura.core.instruments.now_playing.commands import SIGNALS, NowPlaying
from tesoura.core.instruments.now_playing.piece import PIECE
from tesoura.core.instruments.now_playing.plan import FIELDS, check, make
from tesoura.core.instruments.now_playing.saving import kept
from tesoura.core.instruments.now_playing.state import CHANGED, FEED_CHANGED, PLAYED
from tesoura.core.instruments.records import RecordKind
from tesoura.core.tracks.schema import COVER, STARTED, TRACK_EVENTS, TYPES


def _begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> NowPlaying:
    return NowPlaying(make(name, choices, almanac.scene_signal), almanac.session_began)


def _restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> NowPlaying:
    return NowPlaying(make(name, choices, almanac.scene_signal), almanac.session_began, **kept(saved))


def _depends_on(choices: Choices, almanac: Almanac) -> str:
    return almanac.session_began.isoformat() if almanac.session_began else ""


_given = text(300, empty=True)
_SOURCE = {"source": Field("Source", _given)}

KIND = InstrumentKind(
    name="now_playing",
    title="Now playing",
    about="The current track from local or online players, files or scripts, with a song card and a track history.",
    example="music",
    fields=FIELDS,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: SIGNALS,
    commands=(
        CommandKind("show", "Show now", "Shows it for a while, whatever the settings."),
        CommandKind("stop_showing", "Stop showing", "Back to its settings."),
        CommandKind(
            "not_this", "Ignore this track", "Ignores the current track now and later.", also=("track", "words")
        ),
        CommandKind(
            "allow",
            "Stop ignoring a track",
            "The last ignored track, or the given one.",
            {"track": Field("Track", _given)},
        ),
        CommandKind(
            "prefer",
            "Prefer a source",
            "Moves it to a position; 0 is first.",
            {**_SOURCE, "at": Field("Place", _given)},
        ),
        CommandKind("silence", "Ignore a source", "Its tracks are not shown.", _SOURCE),
        CommandKind("hear", "Use a source again", "It returns to its position.", _SOURCE),
        CommandKind(
            "play",
            "Set the track by hand",
            "As if a player reported it.",
            {
                "title": Field("Title", _given, placeholder="Paper Weather"),
                "artists": Field("Artists", _given, placeholder="The Slow Kettles"),
                "album": Field("Album", _given),
                "length": Field("Length", _given, placeholder="3:40"),
            },
        ),
        CommandKind("stop", "Stop playing by hand", "Other sources are used again."),
    ),
    buttons=(("Show the song", "show", ""), ("Ignore this track", "not_this", "")),
    types=lambda name, choices: (*TYPES, STARTED, FEED_CHANGED, COVER, f"{name}.{PLAYED}", f"{name}.{CHANGED}"),
    reads=lambda choices, almanac: (almanac.scene_signal,),
    moments=lambda name, choices: {
        f"{name}.{CHANGED}": f"{choices['title']} shows another track",
        f"{name}.{PLAYED}": f"a track of {choices['title']} counts as played",
    },
    depends_on=_depends_on,
    check=check,
    pieces=(PIECE,),
    facts={"events": TRACK_EVENTS},
    passing=True,
    panel_follows=("state", "title", "source", "there", "cover", "next"),
    records=(
        RecordKind(
            PLAYED,
            "played tracks",
            {"title": "Title", "artists": "Artists", "album": "Album", "length_s": "Length, s", "source": "Source"},
        ),
    ),
    decides=True,
    watches=True,
)
