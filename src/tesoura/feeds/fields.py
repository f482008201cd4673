"""Fields that the forms of several kinds of feed share."""

from __future__ import annotations

from collections.abc import Callable

from tesoura.core.forms.checks import choice, text
from tesoura.core.forms.fields import Field
from tesoura.errors import InvalidField


def period(raw: object) -> float:
    """Seconds between two tries, or InvalidField."""
    try:
        seconds = float(str(raw).strip().replace(",", "."))
    except ValueError:
        raise InvalidField(f"“{str(raw)[:20]}” is not a number. Give seconds, such as 5.") from None
    if not 1 <= seconds <= 86_400:
        raise InvalidField("Give 1 to 86,400 seconds (one day).")
    return seconds


def secret(what: str, otherwise: str = "") -> Field:
    """A field for something that is covered, and may not be left empty."""

    def check(raw: object) -> str:
        key = str(raw).strip()
        if not key:
            raise InvalidField(f"Paste {what} here{otherwise}.")
        return _checked(key)

    return Field(what[:1].upper() + what[1:], check, kind="secret")


def host(whose: str, example: str) -> Callable[[object], str]:
    """A check for the bare name or number of a machine."""

    def check(raw: object) -> str:
        name = str(raw).strip()
        if not name or any(char.isspace() or char in "/:@" for char in name.strip("[]")) or len(name) > 253:
            raise InvalidField(f"Give {whose} host name or IP address, such as {example} or 127.0.0.1.")
        return name

    return check


def optional_secret(raw: object) -> str:
    """A secret that may be empty."""
    return _checked(str(raw).strip())


def _checked(key: str) -> str:
    if len(key) > 4_000 or not key.isprintable():
        raise InvalidField("This doesn't look like a key: it has line breaks or more than 4,000 characters.")
    return key


def _key_name(raw: object) -> str:
    name = text(100)(raw).strip()
    if not all(char.isalnum() or char in "-_." for char in name) or not name.isascii():
        raise InvalidField("Use letters, digits, - and _, such as X-Key.")
    return name


def seconds(low: float, high: float) -> Callable[[object], float]:
    """A check for a number of seconds."""

    def check(raw: object) -> float:
        try:
            given = float(str(raw).strip().replace(",", "."))
        except ValueError:
            raise InvalidField(f"“{str(raw)[:20]}” is not a number. Give seconds, such as {low:g}.") from None
        if not low <= given <= high:
            raise InvalidField(f"Give from {low:g} to {high:g} seconds.")
        return given

    return check


_WITH_KEY = ("key_in", ("header", "query"))

PERIOD = Field("Fetch every", period, kind="number", default="5", unit="seconds")

_KEY = secret("the key", ", or choose “No key” above")
KEY_FIELDS = {
    "key_in": Field(
        "Key",
        choice(("none", "header", "query")),
        kind="choice",
        default="none",
        options=(("none", "No key"), ("header", "Key in a header"), ("query", "Key in the address")),
    ),
    "key_name": Field(
        "Key name", _key_name, default="Authorization", help="The header or parameter for the key.", only_if=_WITH_KEY
    ),
    "key": Field("The key", _KEY.check, kind="secret", only_if=_WITH_KEY),
}


def late() -> Field:
    """The field for by how much the picture of a source of clips lags behind the game."""

    def check(raw: object) -> int:
        try:
            found = int(str(raw or 0).strip())
        except ValueError:
            raise InvalidField("Give whole milliseconds, such as 1400.") from None
        if not -30_000 <= found <= 30_000:
            raise InvalidField("Give from -30,000 to 30,000 milliseconds.")
        return found

    return Field(
        "Picture delay",
        check,
        kind="number",
        unit="ms",
        default="0",
        advanced=True,
        least=-30_000,
        most=30_000,
        help="Set it on a clip's page, where you can see the kill.",
    )
