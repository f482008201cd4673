"""A player of music that answers over HTTP, or tells by itself over a WebSocket."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, one_of
from tesoura.core.tracks.schema import TYPES
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.fields import KEY_FIELDS, seconds
from tesoura.feeds.http.address import checked_address, place
from tesoura.feeds.picks import is_plain

UNITS = (("guess", "automatic"), ("s", "seconds"), ("ms", "milliseconds"))


def any_address(raw: object) -> str:
    """A whole address that is asked, or on which a WebSocket is opened; or InvalidField."""
    typed = str(raw).strip()
    scheme = typed.partition("://")[0].lower()
    if scheme in ("ws", "wss"):
        checked_address("http" + typed[2:])
        return typed
    try:
        return checked_address(typed)
    except InvalidField as error:
        raise InvalidField(f"{error} For a WebSocket, start with ws:// or wss://.") from None


def path(raw: object) -> str:
    """A path that only goes down into what came, or nothing."""
    typed = text(200, empty=True)(raw).strip()
    if not is_plain(typed):
        raise InvalidField("Give the path to the value, such as track.title or items[0].name.")
    return typed


def paths_fields(group: str) -> dict[str, Field]:
    """Where the fields of a track stand, for a player whose own names are not understood."""
    words = {
        "title": "Title",
        "artists": "Artists",
        "album": "Album",
        "length_s": "Length",
        "position_s": "Position",
        "playing": "Playing",
        "cover": "Cover",
        "link": "Link",
        "track": "Track ID",
    }
    return {
        f"at_{name}": Field(f"{label} path", path, advanced=True, group=group, placeholder="automatic")
        for name, label in words.items()
    }


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the player tells. What connects is loaded when the first one is opened."""
    from tesoura.feeds.music.listen import listen

    return listen(context)


def _place(choices: Mapping[str, Any]) -> str:
    return place(str(choices.get("address", "")))


KIND = FeedKind(
    name="music",
    title="A music player",
    about="A player with a web address or WebSocket, here or on another machine.",
    fields={
        "address": Field(
            "Player address",
            any_address,
            placeholder="http://127.0.0.1:8780/now",
            help="Where it reports the current track as JSON; ws:// for a WebSocket.",
        ),
        "period_s": Field("Fetch every", seconds(0.5, 60), kind="number", default="1", unit="seconds", advanced=True),
        **{
            name: Field(
                one.label,
                one.check,
                one.unit,
                one.default,
                one.kind,
                one.options,
                help=one.help,
                only_if=one.only_if,
                advanced=True,
            )
            for name, one in KEY_FIELDS.items()
        },
        "unit": one_of("Time unit", UNITS, "guess", advanced=True),
        **paths_fields("Field paths"),
    },
    follow=follow,
    lasting=True,
    place=_place,
    brings=lambda choices: TYPES,
    called="Music",
    shown_by="now_playing",
)
