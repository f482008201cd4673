"""Topics of an MQTT broker."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.checks import choice, text, whole
from tesoura.core.forms.fields import Field
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.fields import host, optional_secret


def _topic(raw: object) -> str:
    topic = text(500)(raw).strip()
    parts = topic.split("/")
    if any(("#" in part and part != "#") or ("+" in part and part != "+") for part in parts) or "#" in parts[:-1]:
        raise InvalidField("Use # only at the end and + only between slashes: cup/+/score or cup/#.")
    return topic


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the broker passes on. What connects is loaded when the first one is opened."""
    from tesoura.feeds.mqtt.listen import listen

    return listen(context)


def _place(choices: Mapping[str, Any]) -> str:
    return f"{choices.get('host', '')}:{choices.get('port', '')} {choices.get('topic', '')}"


KIND = FeedKind(
    name="mqtt",
    title="MQTT topics",
    about="Topics of an MQTT broker, for devices and home automation.",
    fields={
        "host": Field("Broker", host("the broker's", "broker.example"), placeholder="broker.example"),
        "port": Field("Port", whole(1, 65_535), kind="number", default="1883"),
        "topic": Field("Topic", _topic, placeholder="cup/+/score", help="+ is any one level, # all below."),
        "user": Field("Name", text(200, empty=True), private=True, help="If the broker requires it.", person=True),
        "password": Field("Password", optional_secret, kind="secret"),
        "tls": Field(
            "The way there is",
            choice(("no", "yes")),
            kind="choice",
            default="no",
            options=(("no", "open"), ("yes", "encrypted (TLS)")),
            advanced=True,
        ),
    },
    follow=follow,
    lasting=True,
    place=_place,
    called="Topics",
)
