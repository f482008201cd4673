"""Addresses: what may be asked, and how to show one without what is private in it."""

from __future__ import annotations

from urllib.parse import urlsplit

from tesoura.core.forms.covering import covered, keys_in
from tesoura.errors import InvalidField

_EXAMPLE = "such as https://counts.example/channels/mara_vane"


def checked_address(raw: object) -> str:
    """A whole http or https address, or InvalidField."""
    typed = str(raw).strip()
    if not typed:
        raise InvalidField(f"Give the address of the data, {_EXAMPLE}.")
    if len(typed) > 2_000:
        raise InvalidField("The address is longer than 2,000 characters. Check it.")
    if any(char.isspace() for char in typed):
        raise InvalidField(f"An address has no spaces. Paste it again, {_EXAMPLE}.")
    try:
        parts = urlsplit(typed)
        port_ok = parts.port is None or parts.port > 0
        host = parts.hostname
    except ValueError:
        raise InvalidField(f"“{_short(typed)}” is not an address. Paste it again, {_EXAMPLE}.") from None
    if "://" not in typed:
        raise InvalidField(f"“{_short(typed)}” is not a full address. It starts with https:// or http://, {_EXAMPLE}.")
    if parts.scheme not in ("http", "https"):
        raise InvalidField(f"{parts.scheme}:// can't be used. The address starts with https:// or http://.")
    if not host or not port_ok:
        raise InvalidField(f"“{_short(typed)}” has no host. Paste the full address, {_EXAMPLE}.")
    if parts.username or parts.password:
        raise InvalidField("A name or password in the address would be visible. Use a key instead.")
    return typed


def place(address: str) -> str:
    """Host, port and path, without the parameters, which may be private, and without what looks like a key."""
    parts = urlsplit(address)
    path = parts.path if parts.path != "/" else ""
    return f"{parts.netloc}{covered(path, keys_in(path))}"


def host(address: str) -> str:
    """Host and port."""
    return urlsplit(address).netloc


def _short(text: str) -> str:
    return text if len(text) <= 40 else text[:39] + "…"
