"""Server-sent events: an address that goes on telling. After a break it is asked to go on from the last one."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.fields import KEY_FIELDS, seconds
from tesoura.feeds.http.address import checked_address, place


def _place(choices: Mapping[str, Any]) -> str:
    return place(str(choices.get("address", "")))


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the address tells. What connects is loaded when the first one is opened."""
    from tesoura.feeds.sse.listen import listen

    return listen(context)


KIND = FeedKind(
    name="sse",
    title="Server-sent events",
    about="A web address that pushes events. After a break, it resumes where it stopped.",
    fields={
        "address": Field("Address", checked_address, placeholder="https://events.example/stream"),
        "only": Field(
            "Event names", text(200, empty=True), placeholder="gift, follow", help="Separate with commas. Empty: all."
        ),
        **KEY_FIELDS,
        "silence_s": Field(
            "Reconnect after silence of",
            seconds(5, 3_600),
            kind="number",
            default="90",
            unit="seconds",
            help="Services send a keep-alive more often.",
            advanced=True,
        ),
    },
    follow=follow,
    lasting=True,
    place=_place,
    called="Stream",
)
