"""A feed over HTTP that answers with JSON."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from tesoura.core.checks import InvalidField, choice, text
from tesoura.core.forms import FormField
from tesoura.feeds.http.address import checked_address, place
from tesoura.feeds.kind import FeedKind, Fetched

if TYPE_CHECKING:
    import httpx


def _period(raw: object) -> float:
    try:
        seconds = float(str(raw).strip().replace(",", "."))
    except ValueError:
        raise InvalidField(f"“{str(raw)[:20]}” is not a number. Give seconds, such as 5.") from None
    if not 1 <= seconds <= 86_400:
        raise InvalidField("Give from 1 second to 86,400 (a day). Less than 1 would wear the service out.")
    return seconds


def _key(raw: object) -> str:
    key = str(raw).strip()
    if not key:
        raise InvalidField("Paste the key here, or choose “No key” above.")
    if len(key) > 4_000 or not key.isprintable():
        raise InvalidField("This does not look like a key: it has line breaks in it, or over 4,000 characters.")
    return key


def _key_name(raw: object) -> str:
    name = text(100)(raw).strip()
    if not all(char.isalnum() or char in "-_." for char in name) or not name.isascii():
        raise InvalidField("The name has only letters, digits, - and _, such as X-Key.")
    return name


def _place(choices: Mapping[str, Any]) -> str:
    return place(str(choices.get("address", "")))


async def fetch(client: httpx.AsyncClient, choices: Mapping[str, Any], secrets: Mapping[str, str]) -> Fetched:
    """Ask once. What asks is loaded the first time, so that a start without feeds does not wait for it."""
    from tesoura.feeds.http.ask import fetch as ask

    return await ask(client, choices, secrets)


_WITH_KEY = ("key_in", ("header", "query"))

KIND = FeedKind(
    name="http",
    title="A web address that answers with JSON",
    fields=(
        FormField(
            "address",
            "Address",
            checked_address,
            placeholder="https://counts.example/channels/mara_vane",
            help="Where the data is. The service's own pages for developers tell it.",
        ),
        FormField(
            "key_in",
            "Key",
            choice(("none", "header", "query")),
            kind="choice",
            default="none",
            options=(("none", "No key"), ("header", "Key in a header"), ("query", "Key in the address")),
        ),
        FormField(
            "key_name",
            "Its name",
            _key_name,
            default="Authorization",
            help="The header or the parameter that carries the key.",
            only_if=_WITH_KEY,
        ),
        FormField("key", "The key", _key, kind="secret", only_if=_WITH_KEY),
        FormField("period_s", "Ask every", _period, kind="number", default="5", unit="seconds"),
    ),
    fetch=fetch,
    place=_place,
)
