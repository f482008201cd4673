"""A text file into which a player, or another program, writes what plays."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.tracks.schema import TYPES
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.fields import seconds
from tesoura.feeds.paths import checked_path, short

GROUPS = ("title", "artists", "album", "length", "position")
USUAL = r"(?P<artists>.+?) [-–] (?P<title>.+)"


def _pattern(raw: object) -> str:
    typed = text(400)(raw).strip()
    try:
        named = re.compile(typed).groupindex
    except (re.error, RecursionError, OverflowError) as error:
        raise InvalidField(f"Not a valid pattern: {error}.") from None
    if "title" not in named:
        raise InvalidField(f"Name the group for the title, such as {USUAL}.")
    if strange := set(named) - set(GROUPS):
        raise InvalidField(f"{', '.join(sorted(strange))} is not a track field. Known ones: {', '.join(GROUPS)}.")
    return typed


async def fetch(context: FetchContext) -> Fetched:
    """Look at the file. What reads it is loaded the first time."""
    from tesoura.feeds.music_file.look import fetch as go

    return await go(context)


def _place(choices: Mapping[str, Any]) -> str:
    return short(str(choices.get("path", "")))


KIND = FeedKind(
    name="music_file",
    title="Music in a text file",
    about="A text file with the current track, such as “Artist - Title”.",
    fields={
        "path": Field(
            "File",
            checked_path,
            private=True,
            placeholder="/home/mara/music/now.txt",
            help="The full path. An empty file means nothing is playing.",
        ),
        "pattern": Field(
            "Content",
            _pattern,
            default=USUAL,
            help="A pattern with named groups: title, artists, album, length, position.",
        ),
        "period_s": Field("Check every", seconds(0.5, 60), kind="number", default="1", unit="seconds", advanced=True),
    },
    fetch=fetch,
    place=_place,
    brings=lambda choices: TYPES,
    on_machine=lambda choices: True,
    called="Music file",
    shown_by="now_playing",
)
