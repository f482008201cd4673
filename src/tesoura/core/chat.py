"""Lines of chat: what came from strangers made harmless, what goes out made one line, and how often one may speak.

Names and texts of a chat are hostile: they may hold marks that turn the writing around, colours, towers of accents,
or what would begin a second command.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from tesoura.core.computed.occurrence import name_of

LINE = "chat.line"
"""The type of the event that a line of chat is."""
SUBSCRIBER, MODERATOR, STREAMER = "subscriber", "moderator", "streamer"
LONGEST_NAME, LONGEST_TEXT = 60, 500
MOST_MARKS = 3
"""So many marks may stand on one letter."""
_FORMATS = re.compile(r"\x03(?:\d{1,2}(?:,\d{1,2})?)?|\x04(?:[0-9A-Fa-f]{6}(?:,[0-9A-Fa-f]{6})?)?")
_JOINERS = {"\u200c", "\u200d"}
"""What joins letters of some scripts, and pictures, and turns nothing around."""
_PLACES = re.compile(r"(?<!\d)(\d{1,4})-(\d{1,4})(?!\d)")
_SAFE_MARK = "\u2060"
"""Unseen, and not a blank: with it first, no chat takes a line for a command of its own."""
_COMMANDS = ("/", ".", "!", "\\")


@dataclass(frozen=True, slots=True)
class ChatLine:
    """One line as it was said. `id` is the chat's own, empty when it gives none; `action` says that it is told as
    something done; `emotes` are the words of the text that stand for pictures.

    `name` is what is shown, which a viewer may choose; `login` is the account, or the nick, which nobody else has.
    """

    name: str
    text: str
    roles: tuple[str, ...] = ()
    id: str = ""
    action: bool = False
    emotes: tuple[str, ...] = ()
    login: str = ""

    def data(self) -> dict[str, Any]:
        """It, as the data of an event."""
        return {
            "name": self.name,
            "text": self.text,
            "roles": list(self.roles),
            "id": self.id,
            "action": self.action,
            "emotes": list(self.emotes),
            "login": self.login,
        }


def tidy(said: str, longest: int = LONGEST_TEXT) -> str:
    """A text as it can be shown and logged: one line without marks that are not seen, cut with an ellipsis."""
    kept: list[str] = []
    marks = 0
    for char in unicodedata.normalize("NFC", _FORMATS.sub("", said[: 8 * longest])):
        kind = unicodedata.category(char)
        if kind in ("Cc", "Zs", "Zl", "Zp"):
            # Colours and the like were removed; what parts words parts them still.
            char = " " if char in "\t\r\n" or kind != "Cc" else ""
        elif kind in ("Cf", "Cs", "Co", "Cn") and char not in _JOINERS:
            char = ""
        marks = marks + 1 if kind in ("Mn", "Me") else 0
        if char and marks <= MOST_MARKS:
            kept.append(char)
    text = " ".join("".join(kept).split())
    return text if len(text) <= longest else text[: longest - 1].rstrip() + "…"


def name_of_line(said: str) -> str:
    """A name as it can be shown, never empty."""
    return tidy(said, LONGEST_NAME) or "somebody"


def speaker(data: Mapping[str, object]) -> str:
    """Who said a line, as nobody else can be called; where a chat tells no such name, the one that is shown."""
    return name_of(data.get("login") or data.get("name"))


def outgoing(said: str, most_bytes: int) -> str:
    """What may be sent as one line: one line, within so many bytes of UTF-8, and no command. Empty for nothing."""
    text = tidy(said, most_bytes)
    if text.startswith(_COMMANDS) and len(text) > 1:
        text = _SAFE_MARK + text
    if len(text.encode()) <= most_bytes:
        return text
    cut = text.encode()[: most_bytes - len("…".encode())].decode("utf-8", "ignore")
    return cut.rstrip() + "…"


def roles_of(told: str, marks: str, words: Mapping[str, str], is_streamer: bool = False) -> tuple[str, ...]:
    """The roles of who said a line.

    `told` is what the chat says of him, in words parted by commas, blanks or bars; `words` says which of them stands
    for each role; `marks` are the signs of standing in the channel.
    """
    present = {one.casefold() for one in re.split(r"[\s,;|/]+", told) if one}
    found = {
        role for role, typed in words.items() if not present.isdisjoint(typed.casefold().replace(",", " ").split())
    }
    for sign, role in (("~", STREAMER), ("&", MODERATOR), ("@", MODERATOR), ("%", MODERATOR), ("+", SUBSCRIBER)):
        if sign in marks:
            found.add(role)
    if is_streamer:
        found.add(STREAMER)
    return tuple(role for role in (STREAMER, MODERATOR, SUBSCRIBER) if role in found)


def emotes_in(text: str, told: str) -> tuple[str, ...]:
    """The words of a text that stand for pictures: those that the chat names or places, and those between colons.

    What it tells are either the words themselves, parted by commas, or where they stand: from the first character to
    the last, counted from 0, as `0-4,12-16`.
    """
    found = re.findall(r"(?<!\S):[\w+-]{1,40}:(?!\S)", text)
    if places := _PLACES.findall(told)[:100]:
        spans = [(int(first), int(last)) for first, last in places]
        found += [text[first : last + 1] for first, last in spans if first <= last < len(text)]
    else:
        words = set(text.split())
        found += [one for one in told.split(",")[:100] if one in words]
    return tuple(dict.fromkeys(found))


@dataclass(frozen=True, slots=True)
class Pace:
    """How often one may speak: `lines` within `per_s` seconds.

    All instants are seconds of a clock that nobody sets; `said` are those at which one has spoken.
    """

    lines: int
    per_s: float
    said: tuple[float, ...] = ()

    def used(self, now_s: float) -> int:
        """How many lines of the present stretch are used."""
        return len(self._lately(now_s))

    def wait_s(self, now_s: float) -> float:
        """Seconds until one may speak again; 0 when one may now."""
        lately = self._lately(now_s)
        return 0.0 if len(lately) < self.lines else lately[-self.lines] + self.per_s - now_s

    def spoken(self, now_s: float) -> Pace:
        """After one line more."""
        return Pace(self.lines, self.per_s, (*self._lately(now_s), now_s))

    def held(self, now_s: float) -> Pace:
        """After the chat said that it was too much: a whole stretch passes before the next line."""
        return Pace(self.lines, self.per_s, (now_s,) * self.lines)

    def _lately(self, now_s: float) -> tuple[float, ...]:
        return tuple(at for at in self.said if at > now_s - self.per_s)
