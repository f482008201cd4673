"""A public service that you sign in to: OAuth 2 with PKCE, a channel's counts, and its stream of events."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping, Sequence
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.feeds.api import FeedKind, FetchContext, Fetched, SignIn, Suggested
from tesoura.feeds.fields import optional_secret, seconds
from tesoura.feeds.http.address import checked_address, place


def _optional_address(raw: object) -> str:
    return checked_address(raw) if str(raw).strip() else ""


def _client_id(raw: object) -> str:
    return text(300)(raw).strip()


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """The channel's counts and events. What connects is loaded when the first one is opened."""
    from tesoura.feeds.channel.listen import listen

    return listen(context)


async def begin(context: FetchContext, back_to: str, state: str, verifier: str) -> str:
    """Where to send the user to sign in."""
    from tesoura.feeds.channel.tokens import begin as go

    return await go(context, back_to, state, verifier)


async def finish(context: FetchContext, back_to: str, code: str, verifier: str) -> Mapping[str, str]:
    """What to keep once the user has signed in."""
    from tesoura.feeds.channel.tokens import finish as go

    return await go(context, back_to, code, verifier)


def ends(secrets: Mapping[str, str]) -> float | None:
    """When the permission ends, unless it is renewed by itself."""
    from tesoura.feeds.channel.tokens import ends as at

    return at(secrets)


def _place(choices: Mapping[str, Any]) -> str:
    return place(str(choices.get("address", "")))


def _suggested(choices: Mapping[str, Any]) -> Sequence[Suggested]:
    return (Suggested("members", "members", "kite friends"), Suggested("viewers", "viewers", "watching"))


KIND = FeedKind(
    name="channel",
    title="A service you sign in to",
    about="A channel service with sign-in: counts, follows, subscriptions and gifts.",
    fields={
        "address": Field(
            "Service address",
            checked_address,
            placeholder="https://channels.example",
            help="Where you sign in. Tesoura finds the rest.",
        ),
        "client_id": Field(
            "Client ID",
            _client_id,
            placeholder="3f9c…",
            help="Register an app at the service with the redirect address below to get one.",
        ),
        "client_secret": Field(
            "Client secret", optional_secret, kind="secret", advanced=True, help="Only if the service gave you one."
        ),
        "scope": Field("Permissions", text(400, empty=True), default="channel:read events:read", advanced=True),
        "data_address": Field(
            "Counts address", _optional_address, advanced=True, help="Only if Tesoura doesn't find it."
        ),
        "events_address": Field(
            "Events address",
            _optional_address,
            advanced=True,
            help="A stream of server-sent events. Only if Tesoura doesn't find it.",
        ),
        "period_s": Field(
            "Fetch counts every", seconds(2, 3_600), kind="number", default="10", unit="seconds", advanced=True
        ),
    },
    follow=follow,
    lasting=True,
    place=_place,
    suggested=_suggested,
    sign_in=SignIn(begin, finish, ends),
    called="Channel",
)
