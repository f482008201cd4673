"""The program that composes the picture: its scenes, when it streams and records, and telling it what to do."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.fields import Field, one_of
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched, Suggested
from tesoura.feeds.fields import late, optional_secret
from tesoura.feeds.http.address import place
from tesoura.feeds.socket import checked_socket_address

CONNECT, LISTEN = "connect", "listen"


def _address(raw: object) -> str:
    return checked_socket_address(raw) if str(raw).strip() else ""


def _password(raw: object) -> str:
    typed = optional_secret(raw)
    if typed and len(typed) < 8:
        raise InvalidField("Choose a password of at least 8 characters.")
    return typed


def _check(choices: Mapping[str, Any], secrets: Mapping[str, str]) -> dict[str, str]:
    if choices.get("way") == CONNECT and not choices.get("address"):
        return {"address": "Give the address the program listens at, such as ws://127.0.0.1:5060/link."}
    return {}


def _place(choices: Mapping[str, Any]) -> str:
    return "the program connects" if choices.get("way") == LISTEN else place(str(choices.get("address", "")))


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the program tells. What connects is loaded when the first one is opened."""
    from tesoura.links.scene.talk import talk

    return talk(context)


KIND = FeedKind(
    name="scene",
    title="A scene link",
    about="Your streaming software: reports its scene and streaming status, and switches scenes on request.",
    fields={
        "way": one_of(
            "Direction",
            ((CONNECT, "Tesoura connects to the program"), (LISTEN, "the program connects to Tesoura")),
            CONNECT,
        ),
        "address": Field(
            "Address",
            _address,
            placeholder="ws://127.0.0.1:5060/link",
            only_if=("way", (CONNECT,)),
            help="Where the program accepts a scene link.",
        ),
        "password": Field(
            "Password", _password, kind="secret", help="The same on both sides. It is never sent over the network."
        ),
        "late_ms": late(),
    },
    follow=follow,
    lasting=True,
    place=_place,
    suggested=lambda choices: (Suggested("scene", "scene", "", "text"),),
    check=_check,
    brings=lambda choices: ("stream.started", "stream.stopped", "recording.started", "recording.stopped", "clip.saved"),
    called="Scene link",
    gives_clips=True,
    room="links",
)
