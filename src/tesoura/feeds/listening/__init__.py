"""A service that keeps a history of what somebody listens to: told late, and without where in the track it is."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.tracks.schema import START, STOP
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.fields import seconds, secret
from tesoura.feeds.http.address import checked_address, place


def _user(raw: object) -> str:
    typed = text(80)(raw).strip()
    if not typed or any(char.isspace() for char in typed):
        raise InvalidField("Give the account name at the service, without spaces.")
    return typed


async def fetch(context: FetchContext) -> Fetched:
    """What was listened to last. What asks is loaded the first time."""
    from tesoura.feeds.listening.ask import fetch as ask

    return await ask(context)


def _place(choices: Mapping[str, Any]) -> str:
    return place(str(choices.get("address", "")))


KIND = FeedKind(
    name="listening",
    title="A listening history",
    about="A listening-history service, polled with a key. Slightly delayed, without position.",
    fields={
        "address": Field("Service address", checked_address, placeholder="https://history.example/recent"),
        "user": Field(
            "Account",
            _user,
            private=True,
            placeholder="your account name",
            person=True,
            help="Hidden on every page; never exported or logged.",
        ),
        "key": secret("the key"),
        "period_s": Field(
            "Fetch every",
            seconds(3, 300),
            kind="number",
            default="10",
            unit="seconds",
            advanced=True,
            help="Adds up to this much delay to the service's own.",
        ),
    },
    fetch=fetch,
    place=_place,
    brings=lambda choices: (START, STOP),
    called="Listening history",
    shown_by="now_playing",
)
