"""OSC: panels and other programs that press the desk's buttons and turn its values, and are shown how they stand."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.checks import text, whole
from tesoura.core.forms.fields import Field, one_of
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.links.osc.places import HERE, NETWORK

DEFAULT_PORT = 9010


def _place(choices: Mapping[str, Any]) -> str:
    return f"UDP port {choices.get('port', DEFAULT_PORT)}"


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What panels send. What listens is loaded when the first one is opened."""
    from tesoura.links.osc.talk import talk

    return talk(context)


KIND = FeedKind(
    name="osc",
    title="OSC",
    about="A panel or program that uses Open Sound Control.",
    fields={
        "port": Field(
            "UDP port",
            whole(1, 65_535),
            kind="number",
            default=DEFAULT_PORT,
            help="Tesoura listens here. Enter it on the panel.",
        ),
        "listen": one_of("Accept from", ((HERE, "this machine"), (NETWORK, "the whole network")), HERE),
        "answer_host": Field(
            "Send feedback to",
            text(120, empty=True),
            placeholder="the last sender",
            help="The panel that displays button states.",
        ),
        "answer_port": Field(
            "Feedback port",
            whole(0, 65_535),
            kind="number",
            default=0,
            advanced=False,
            help="0 = the port the panel sends from.",
        ),
    },
    follow=follow,
    lasting=True,
    place=_place,
    called="OSC",
    room="links",
)
