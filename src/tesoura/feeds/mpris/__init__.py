"""The players on this machine, over D-Bus by MPRIS (https://specifications.freedesktop.org/mpris-spec/2.2/)."""

from __future__ import annotations

from collections.abc import AsyncIterator

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.tracks.schema import TYPES
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched


def _bus(raw: object) -> str:
    typed = text(500, empty=True)(raw).strip()
    if typed and not typed.startswith(("unix:", "tcp:")):
        raise InvalidField("A bus address begins with unix: or tcp:, such as unix:path=/run/user/1000/bus.")
    return typed


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the players tell. What connects is loaded when the first one is opened."""
    from tesoura.feeds.mpris.listen import listen

    return listen(context)


KIND = FeedKind(
    name="mpris",
    title="Players on this machine",
    about="All music players and browsers on this machine that report what they play (MPRIS, Linux).",
    fields={
        "players": Field(
            "Players",
            text(300, empty=True),
            placeholder="all of them",
            help="Names, separated with commas. Upper and lower case don't matter.",
            advanced=True,
        ),
        "bus": Field("Bus address", _bus, advanced=True, private=True, help="Empty: the bus of this login."),
    },
    follow=follow,
    lasting=True,
    place=lambda choices: "players on this machine",
    brings=lambda choices: TYPES,
    on_machine=lambda choices: True,
    called="Local players",
    shown_by="now_playing",
)
