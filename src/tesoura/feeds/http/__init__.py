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
    about="A web service or page, fetched regularly: JSON, text, CSV or part of a page.",
    fields={
        "address": Field(
            "Address",
            checked_address,
            placeholder="https://counts.example/channels/mara_vane",
            help="The address of the data; see the service's developer documentation.",
        ),
        "form": Field(
            "Format",
            choice(("json", "text", "csv", "html")),
            kind="choice",
            default="json",
            options=(("json", "JSON"), ("text", "plain text"), ("csv", "a table (CSV)"), ("html", "a web page")),
        ),
        "selector": Field(
            "Page element",
            _selector,
            placeholder=".member-count",
            help="A CSS selector. The first match is used.",
            only_if=("form", ("html",)),
        ),
        **KEY_FIELDS,
        "period_s": PERIOD,
        "look_up": Field(
            "Lookup address",
            _look_up_address,
            placeholder="https://counts.example/channels?name={name}",
            help="For services that identify channels by ID: write {id} in the address above and look it up here.",
            advanced=True,
        ),
        "id": Field("ID", text(200, empty=True), help="Replaces {id} in the address.", advanced=True),
    },
    fetch=fetch,
    look_up=look_up,
    place=_place,
)
