"""A log that grows: each line that a pattern finds makes an event, through rotation and restarts, once."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.checks import line, text
from tesoura.core.forms.fields import Field
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.follow.cost import MOST, cost
from tesoura.feeds.paths import checked_path, short


def _pattern(raw: object) -> str:
    import regex

    source = text(1_000)(raw).strip("\n")
    if cost(source) > MOST:
        raise InvalidField("Its repeat counts are too large. Use smaller ones, or + and *.")
    try:
        compiled = regex.compile(source)
    except regex.error as error:
        raise InvalidField(f"The pattern is invalid at column {(error.pos or 0) + 1}: {error.msg}.") from None
    if not compiled.groupindex:
        raise InvalidField("Name the parts you want: (?P<actor>\\w+) cut (?P<target>\\w+) gives actor and target.")
    return source


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the log tells. What finds its lines is loaded with the first one."""
    from tesoura.feeds.follow.tail import follow as read

    return read(context)


def _place(choices: Mapping[str, Any]) -> str:
    return short(str(choices.get("path", "")))


KIND = FeedKind(
    brings=lambda choices: (str(choices.get("type") or "line"),),
    name="follow",
    title="A growing log",
    on_machine=lambda choices: True,
    about="A log file that a game or program writes to. Each line that matches a pattern creates an event.",
    fields={
        "path": Field(
            "Log file", checked_path, private=True, placeholder="/home/mara/game/match.log", help="The full path."
        ),
        "pattern": Field(
            "Pattern",
            _pattern,
            kind="area",
            placeholder=r"(?P<actor>\w+) cut (?P<target>\w+)",
            help="A regular expression. Named groups become the event's fields; a group “time” sets its time.",
        ),
        "type": Field("Event type", line(120), default="line", placeholder="kill"),
    },
    follow=follow,
    lasting=True,
    place=_place,
    called="Match log",
)
