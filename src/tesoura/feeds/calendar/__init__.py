"""A calendar (iCalendar), as a file or at an address: the next show, the time until it, what is on now."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping, Sequence
from typing import Any

from tesoura.core.forms.fields import Field
from tesoura.core.values import INSTANT
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched, Suggested
from tesoura.feeds.fields import seconds
from tesoura.feeds.http.address import checked_address, place
from tesoura.feeds.paths import checked_path, short


def _where(raw: object) -> str:
    typed = str(raw).strip()
    if typed.startswith("webcal://"):
        typed = typed.replace("webcal", "https", 1)
    if "://" in typed:
        return checked_address(typed)
    try:
        return checked_path(typed)
    except InvalidField:
        raise InvalidField(
            "Give an address such as https://calendars.example/cup.ics, or a file's full path."
        ) from None


def _place(choices: Mapping[str, Any]) -> str:
    where = str(choices.get("where", ""))
    return place(where) if "://" in where else short(where)


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """The calendar now, and again whenever that changes. What reads it is loaded with the first one."""
    from tesoura.feeds.calendar.read import follow as read

    return read(context)


def _suggested(choices: Mapping[str, Any]) -> Sequence[Suggested]:
    return (
        Suggested("next", "next.title", "", "text"),
        Suggested("starts_at", "next.starts_at", INSTANT),
        Suggested("in_s", "next.in_s", "s"),
    )


KIND = FeedKind(
    brings=lambda choices: ("show.start",),
    name="calendar",
    title="A calendar",
    on_machine=lambda choices: "://" not in str(choices.get("where", "")),
    about="An iCalendar file: the next show and the time until it, including recurring shows.",
    fields={
        "where": Field(
            "Address or file",
            _where,
            private=True,
            placeholder="https://calendars.example/cup.ics",
            help="Usually under “share” or “subscribe”; ends in .ics.",
        ),
        "period_s": Field("Refresh every", seconds(10, 86_400), kind="number", default="600", unit="seconds"),
    },
    follow=follow,
    lasting=True,
    place=_place,
    suggested=_suggested,
    called="Shows",
)
