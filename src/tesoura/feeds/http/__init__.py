"""A feed over HTTP: JSON, plain text, CSV, or a part of a web page."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.core.forms.checks import choice, text
from tesoura.core.forms.fields import Field
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched, NameMatch
from tesoura.feeds.fields import KEY_FIELDS, PERIOD
from tesoura.feeds.http.address import checked_address, place


def _place(choices: Mapping[str, Any]) -> str:
    return place(str(choices.get("address", "")))


async def fetch(context: FetchContext) -> Fetched:
    """Ask once. What asks is loaded the first time, so that a start without feeds does not wait for it."""
    from tesoura.feeds.http.ask import fetch as ask

    return await ask(context)


async def look_up(context: FetchContext, name: str) -> list[NameMatch]:
    """What the service has under a name."""
    from tesoura.feeds.http.ask import look_up as ask

    return await ask(context, name)


def _look_up_address(raw: object) -> str:
    if not str(raw).strip():
        return ""
    address = checked_address(raw)
    if "{name}" not in address:
        raise InvalidField("Write {name} where the name goes, such as https://counts.example/channels?name={name}.")
    return address


def _selector(raw: object) -> str:
    return text(200)(raw).strip()


KIND = FeedKind(
    name="http",
    title="A web address",
    about="A service or page on the web, asked again and again: JSON, text, CSV, or a part of a web page.",
    fields={
        "address": Field(
            "Address",
            checked_address,
            placeholder="https://counts.example/channels/mara_vane",
            help="Where the data is. The service's own pages for developers tell it.",
        ),
        "form": Field(
            "It answers with",
            choice(("json", "text", "csv", "html")),
            kind="choice",
            default="json",
            options=(("json", "JSON"), ("text", "plain text"), ("csv", "a table (CSV)"), ("html", "a web page")),
        ),
        "selector": Field(
            "Which part",
            _selector,
            placeholder=".member-count",
            help="A CSS selector; the first match counts.",
            only_if=("form", ("html",)),
        ),
        **KEY_FIELDS,
        "period_s": PERIOD,
        "look_up": Field(
            "Look up by name",
            _look_up_address,
            placeholder="https://counts.example/channels?name={name}",
            help="For services that know a channel by an id: write {id} into the address above, and find it here.",
            advanced=True,
        ),
        "id": Field("Id", text(200, empty=True), help="What {id} in the address stands for.", advanced=True),
    },
    fetch=fetch,
    look_up=look_up,
    place=_place,
)
