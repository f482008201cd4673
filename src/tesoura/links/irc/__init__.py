"""A channel of a chat that speaks IRC, with message tags: what is said there, and saying something."""

from __future__ import annotations

import re
from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.chat import LINE, MODERATOR, STREAMER, SUBSCRIBER
from tesoura.core.forms.checks import text, whole
from tesoura.core.forms.fields import Field, number, one_of
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched, Suggested
from tesoura.feeds.fields import host, optional_secret
from tesoura.links.irc.way import readable_token

KEEP, DROP = "keep", "drop"


def _channel(raw: object) -> str:
    name = str(raw).strip().casefold()
    name = name if name.startswith(("#", "&")) else f"#{name}"
    if not re.fullmatch(r"[#&][^\s,:\x00-\x1f]{1,80}", name):
        raise InvalidField("Give the channel's name without spaces or commas, such as #windyladder.")
    return name


def _nick(raw: object) -> str:
    nick = str(raw).strip()
    if not re.fullmatch(r"[A-Za-z_\[\]\\`^{}|][\w\[\]\\`^{}|-]{0,39}", nick, re.ASCII):
        raise InvalidField("Use letters, digits, - and _, starting with a letter, such as mara_helper.")
    return nick


def _tag(raw: object) -> str:
    typed = " ".join(str(raw).split())
    if typed and not re.fullmatch(r"[\w+./ -]{1,80}", typed, re.ASCII):
        raise InvalidField("Give tag names, such as roles.")
    return typed


def _check(choices: Mapping[str, Any], secrets: Mapping[str, str]) -> dict[str, str]:
    wrong = readable_token(choices, secrets)
    return {"tls": wrong} if wrong else {}


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What is said in the channel. What connects is loaded when the first one is opened."""
    from tesoura.links.irc.talk import talk

    return talk(context)


KIND = FeedKind(
    name="irc",
    title="A chat (IRC)",
    about="An IRC chat channel. Messages become events, and cues can reply.",
    fields={
        "host": Field("Server", host("the server's", "chat.example"), placeholder="chat.example"),
        "port": Field("Port", whole(1, 65_535), kind="number", default="6697"),
        "tls": one_of("Connection", (("yes", "encrypted (TLS)"), ("no", "open")), "yes"),
        "channel": Field("Channel", _channel, placeholder="#windyladder"),
        "nick": Field(
            "Account name",
            _nick,
            placeholder="mara_helper",
            person=True,
            help="The account that reads and sends messages: yours, or a second one.",
        ),
        "token": Field("Token", optional_secret, kind="secret", help="From the chat service, for that account."),
        "streamer": Field(
            "Streamer's name",
            text(60, empty=True),
            placeholder="mara_vane",
            person=True,
            help="Messages from this name count as yours.",
        ),
        "sign_in": one_of(
            "Send token as", (("pass", "server password"), ("sasl", "account sign-in (SASL)")), "pass", advanced=True
        ),
        "account": Field(
            "Account",
            text(100, empty=True),
            advanced=True,
            only_if=("sign_in", ("sasl",)),
            private=True,
            help="Empty: the account name.",
        ),
        "pace_lines": number("Send at most", 1, 100, 20, "lines", advanced=True),
        "pace_s": number("Rate period", 1, 600, 30, "seconds", advanced=True),
        "when_away": one_of(
            "Messages while disconnected", ((KEEP, "are queued"), (DROP, "are dropped")), KEEP, advanced=True
        ),
        "roles_tag": Field("Roles tag", _tag, default="roles", advanced=True, help="Channel status (@, +) counts too."),
        "moderator_words": Field("Moderator value", text(80, empty=True), default=MODERATOR, advanced=True),
        "subscriber_words": Field("Subscriber value", text(80, empty=True), default=SUBSCRIBER, advanced=True),
        "streamer_words": Field("Streamer value", text(80, empty=True), default=STREAMER, advanced=True),
        "name_tag": Field("Display name tag", _tag, default="display-name", advanced=True),
        "emotes_tag": Field(
            "Emotes tag",
            _tag,
            default="emotes",
            advanced=True,
            help="The emote words, or their positions such as 0-4,12-16.",
        ),
        "more_caps": Field(
            "Extra capabilities",
            text(200, empty=True),
            advanced=True,
            help="Capabilities that enable the tags, by name.",
        ),
    },
    follow=follow,
    lasting=True,
    place=lambda choices: f"{choices.get('channel', '')} on {choices.get('host', '')}",
    suggested=lambda choices: (Suggested("lines", "lines", "lines"),),
    check=_check,
    brings=lambda choices: (LINE,),
    called="Chat",
    room="links",
)
