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
    about="The music that plays, from players here and online, from files or scripts; its card, and what was played.",
    example="music",
    fields=FIELDS,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: SIGNALS,
    commands=(
        CommandKind("show", "Show it now", "Viewers see it for a while, whatever else is chosen."),
        CommandKind("stop_showing", "Show it no longer", "It is shown as its choices say."),
        CommandKind(
            "not_this", "Not this one", "The present track is left out, now and later.", also=("track", "words")
        ),
        CommandKind(
            "allow",
            "Show that track again",
            "The one that was left out last, or the one that is given.",
            {"track": Field("Track", _given)},
        ),
        CommandKind(
            "prefer",
            "Prefer a source",
            "Put it at a place of the order; 0 is the first.",
            {**_SOURCE, "at": Field("Place", _given)},
        ),
        CommandKind("silence", "Do not listen to a source", "What it tells is not shown.", _SOURCE),
        CommandKind("hear", "Listen to a source again", "It takes its place in the order.", _SOURCE),
        CommandKind(
            "play",
            "Set by hand what plays",
            "As if a player told it.",
            {
                "title": Field("Title", _given, placeholder="Paper Weather"),
                "artists": Field("Artists", _given, placeholder="The Slow Kettles"),
                "album": Field("Album", _given),
                "length": Field("Length", _given, placeholder="3:40"),
            },
        ),
        CommandKind("stop", "Nothing plays by hand any more", "Other sources speak again."),
    ),
    buttons=(("Show the song", "show", ""), ("Not this one", "not_this", "")),
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
            "what was played",
            {"title": "Title", "artists": "Artists", "album": "Album", "length_s": "Length, s", "source": "Told by"},
        ),
    ),
    decides=True,
    watches=True,
)
