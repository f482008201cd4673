"""A WebSocket that tells by itself, perhaps after being asked to with a message."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.fields import KEY_FIELDS, seconds
from tesoura.feeds.http.address import checked_address, place


def checked_socket_address(raw: object) -> str:
    """A whole ws or wss address, or InvalidField."""
    typed = str(raw).strip()
    scheme = typed.partition("://")[0].lower()
    if typed and "://" in typed and scheme not in ("ws", "wss"):
        raise InvalidField(f"{scheme}:// is not a WebSocket address. It starts with wss:// or ws://.")
    if typed and "://" not in typed:
        raise InvalidField("Paste the full address; it starts with wss:// or ws://.")
    checked_address(typed.replace("ws", "http", 1) if typed else typed)
    return typed


def _place(choices: Mapping[str, Any]) -> str:
    return place(str(choices.get("address", "")))


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the socket tells. What connects is loaded when the first one is opened."""
    from tesoura.feeds.socket.listen import listen

    return listen(context)


KIND = FeedKind(
    name="socket",
    title="A WebSocket",
    about="A WebSocket that pushes data, with a subscribe message if needed.",
    fields={
        "address": Field(
            "Address", checked_socket_address, placeholder="wss://events.example/stream", help="The WebSocket address."
        ),
        "subscribe": Field(
            "Subscribe message",
            text(4_000, empty=True),
            kind="area",
            placeholder='{"subscribe": ["matches"]}',
            help="One message per line, sent on connecting. Optional.",
        ),
        **KEY_FIELDS,
        "ping_s": Field(
            "Ping",
            seconds(2, 600),
            kind="number",
            default="20",
            unit="seconds",
            help="How often; reconnects without an answer.",
            advanced=True,
        ),
    },
    follow=follow,
    lasting=True,
    place=_place,
    called="Stream",
)
