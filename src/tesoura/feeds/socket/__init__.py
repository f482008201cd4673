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
        raise InvalidField(f"{scheme}:// is no WebSocket. Its address starts with wss:// or ws://.")
    if typed and "://" not in typed:
        raise InvalidField("Paste the whole address; it starts with wss:// or ws://.")
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
    about="A program or service that tells by itself over a WebSocket, after a message that subscribes if need be.",
    fields={
        "address": Field(
            "Address",
            checked_socket_address,
            placeholder="wss://events.example/stream",
            help="Where the socket is opened.",
        ),
        "subscribe": Field(
            "Say first",
            text(4_000, empty=True),
            kind="area",
            placeholder='{"subscribe": ["matches"]}',
            help="A message for each line, sent as soon as it is open. May stay empty.",
        ),
        **KEY_FIELDS,
        "ping_s": Field(
            "See whether it is there",
            seconds(2, 600),
            kind="number",
            default="20",
            unit="seconds",
            help="How often; without an answer it is opened again.",
            advanced=True,
        ),
    },
    follow=follow,
    lasting=True,
    place=_place,
    called="Stream",
)
