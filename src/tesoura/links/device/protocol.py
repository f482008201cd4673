"""What is said over the device socket, without a socket. What the methods mean stands in `docs/device-socket.md`."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from tesoura.errors import InvalidField

VERSION = 1
MOST_SIDE, MOST_DIALS, MOST_SHOWN = 32, 16, 60
LONGEST_NAME, LONGEST_ID = 40, 80
PICTURE_PX = 16, 256
"""The least and the most of a picture's sides."""
NOT_PAIRED, REFUSED, NO_SUCH_BUTTON, TOO_MANY = 1, 2, 3, 4
BURST, PER_S, MOST_OVER = 60.0, 30.0, 300
"""So many messages may come at once, so many a second after that; and so many over that end the connection."""


@dataclass(frozen=True, slots=True)
class Hello:
    """What a device says of itself: its name and size, and what lets it in (a token, a code, the desk's ticket)."""

    name: str
    rows: int
    columns: int
    dials: int = 0
    code: str = ""
    token: str = ""
    ticket: str = ""
    pictures: tuple[int, int] | None = None
    """How wide and high, in pixels, a picture of each button shall be; None for a device that draws them itself."""

    @property
    def room(self) -> int:
        """How many buttons it can show."""
        return min(self.rows * self.columns, MOST_SHOWN)


def hello_of(params: Mapping[str, Any]) -> Hello:
    """What a device says of itself. Raises InvalidField, which says what is wrong."""
    if params.get("version") != VERSION:
        raise InvalidField(f"This version of Tesoura uses version {VERSION} of the device socket.")
    size = params.get("buttons", {})
    if not isinstance(size, Mapping):
        raise InvalidField("buttons must contain rows and columns.")
    name = params.get("name", "")
    if not isinstance(name, str) or not name.strip() or len(name.strip()) > LONGEST_NAME:
        raise InvalidField(f"name must be a text of 1 to {LONGEST_NAME} characters.")
    code, token, ticket = (_text(params, one) for one in ("code", "token", "ticket"))
    return Hello(
        " ".join(name.split()),
        _whole(size, "rows", 1, MOST_SIDE, 3),
        _whole(size, "columns", 1, MOST_SIDE, 5),
        _whole(params, "dials", 0, MOST_DIALS, 0),
        code,
        token,
        ticket,
        _pictures(size.get("pictures")),
    )


def _pictures(given: Any) -> tuple[int, int] | None:
    if given is None:
        return None
    if not isinstance(given, Mapping):
        raise InvalidField("pictures must contain width_px and height_px.")
    return _whole(given, "width_px", *PICTURE_PX, 72), _whole(given, "height_px", *PICTURE_PX, 72)


def _text(params: Mapping[str, Any], name: str) -> str:
    given = params.get(name, "")
    if not isinstance(given, str) or len(given) > 200:
        raise InvalidField(f"{name} must be a text of at most 200 characters.")
    return given.strip()


def _whole(params: Mapping[str, Any], name: str, low: int, high: int, default: int) -> int:
    given = params.get(name, default)
    if isinstance(given, bool) or not isinstance(given, int) or not low <= given <= high:
        raise InvalidField(f"{name} is a whole number from {low} to {high}.")
    return given


@dataclass(frozen=True, slots=True)
class ButtonPress:
    """A button pressed or held: its id, the press's own id, how the button stood for whoever pressed it.

    `again` says that it was sent before and not answered, `held` that it was held and not pressed.
    """

    button: str
    press: str = ""
    on: bool | None = None
    again: bool = False
    held: bool = False


def pressed_of(params: Mapping[str, Any], held: bool = False) -> ButtonPress:
    """A press. Raises InvalidField."""
    on = params.get("on")
    if on is not None and not isinstance(on, bool):
        raise InvalidField("on must be true or false: the button's state when it was pressed.")
    return ButtonPress(_id(params, "button"), _id(params, "press"), on, params.get("again") is True, held)


@dataclass(frozen=True, slots=True)
class DialTurn:
    """A dial turned: by so many steps, or to where its value lies between its bounds, 0 to 1."""

    button: str
    by: int
    level: float | None


def turned_of(params: Mapping[str, Any]) -> DialTurn:
    """A turn. Raises InvalidField."""
    by, level = params.get("by", 0), params.get("level")
    if isinstance(by, bool) or not isinstance(by, int) or not -1_000 <= by <= 1_000:
        raise InvalidField("by must be a whole number of steps.")
    if level is not None and (isinstance(level, bool) or not isinstance(level, int | float) or not 0 <= level <= 1):
        raise InvalidField("level must be a number from 0 to 1.")
    if level is None and not by:
        raise InvalidField("Give either by (a number of steps) or level (0 to 1).")
    return DialTurn(_id(params, "button"), by, None if level is None else float(level))


def _id(params: Mapping[str, Any], name: str) -> str:
    given = params.get(name)
    if not isinstance(given, str) or not given or len(given) > LONGEST_ID:
        raise InvalidField(f"{name} is a text of 1 to {LONGEST_ID} characters.")
    return given


class MessagePace:
    """How fast messages may come. Times are seconds of a clock that nobody sets."""

    def __init__(self, now_s: float) -> None:
        self._left, self._at, self.over = BURST, now_s, 0

    def takes(self, now_s: float) -> bool:
        """Whether this message is taken."""
        self._left = min(self._left + (now_s - self._at) * PER_S, BURST)
        self._at = now_s
        if self._left < 1:
            self.over += 1
            return False
        self._left -= 1
        return True
