"""A remote statistics service that knows a player by name: rating, and each match once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tesoura.core.forms.checks import line
from tesoura.core.forms.fields import Field
from tesoura.feeds.api import FeedKind, FetchContext, Fetched, Suggested
from tesoura.feeds.fields import KEY_FIELDS, seconds
from tesoura.feeds.http.address import checked_address, place


async def fetch(context: FetchContext) -> Fetched:
    """The player and the matches. What asks is loaded the first time."""
    from tesoura.feeds.player.ask import fetch as ask

    return await ask(context)


def _place(choices: Mapping[str, Any]) -> str:
    return place(str(choices.get("address", "")))


def _suggested(choices: Mapping[str, Any]) -> Sequence[Suggested]:
    return (Suggested("rating", "player.rating"),)


KIND = FeedKind(
    brings=lambda choices: ("match.end",),
    name="player",
    title="A statistics service",
    about="A player-statistics service, polled by name: rating and matches.",
    fields={
        "address": Field(
            "Service address", checked_address, placeholder="https://statistics.example", help="Without /players."
        ),
        "player": Field(
            "Player",
            line(60),
            placeholder="mara_vane",
            person=True,
            help="Your name at the service. Upper and lower case don't matter.",
        ),
        **KEY_FIELDS,
        "period_s": Field(
            "Fetch every",
            seconds(2, 3_600),
            kind="number",
            default="20",
            unit="seconds",
            help="Services limit requests; Tesoura waits when asked to.",
        ),
    },
    fetch=fetch,
    place=_place,
    suggested=_suggested,
    called="Statistics service",
)
