"""An online player that one signs in to: what is played there, asked for with a permission (OAuth 2 with PKCE)."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, one_of
from tesoura.core.tracks.schema import TYPES
from tesoura.feeds.api import FeedKind, FetchContext, Fetched, SignIn
from tesoura.feeds.channel import KIND as CHANNEL
from tesoura.feeds.channel import begin, ends, finish
from tesoura.feeds.fields import seconds
from tesoura.feeds.http.address import place
from tesoura.feeds.music import UNITS, paths_fields


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What is played there. What asks is loaded when the first one is opened."""
    from tesoura.feeds.music_online.ask import follow as go

    return go(context)


def _place(choices: Mapping[str, Any]) -> str:
    return place(str(choices.get("address", "")))


KIND = FeedKind(
    name="music_online",
    title="An online player you sign in to",
    about="A music service with sign-in, asked for your current track.",
    fields={
        "address": CHANNEL.fields["address"],
        "client_id": CHANNEL.fields["client_id"],
        "client_secret": CHANNEL.fields["client_secret"],
        "scope": Field("Permissions", text(400, empty=True), default="player:read", advanced=True),
        "data_address": Field(
            "Player address",
            CHANNEL.fields["data_address"].check,
            advanced=True,
            help="Only if Tesoura doesn't find it.",
        ),
        "period_s": Field("Fetch every", seconds(1, 60), kind="number", default="3", unit="seconds", advanced=True),
        "unit": one_of("Time unit", UNITS, "guess", advanced=True),
        **paths_fields("Field paths"),
    },
    follow=follow,
    lasting=True,
    place=_place,
    brings=lambda choices: TYPES,
    sign_in=SignIn(begin, finish, ends),
    called="Online player",
    shown_by="now_playing",
)
