"""What is said between a chat server and us, without a socket: lines in, lines to send and lines of chat out.

Sources: RFC 1459 and the IRCv3 specifications of capabilities, message tags, server time, echo messages and SASL.
"""

from __future__ import annotations

import base64
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from irctokens.line import Line, build

from tesoura.core.chat import MODERATOR, STREAMER, SUBSCRIBER, ChatLine, emotes_in, name_of_line, roles_of, tidy
from tesoura.core.instants import iso_instant
from tesoura.errors import CredentialsRejected, SourceUnavailable

WANTED = ("message-tags", "server-time", "echo-message", "multi-prefix", "account-tag", "batch")
MOST_PEOPLE = 20_000
"""Of so many people in a channel it is known how they stand there."""
TOKEN_REFUSED = {"464", "902", "904", "905", "906", "908"}
NO_ENTRY = {
    "403": "the channel doesn't exist",
    "405": "the account is in too many channels",
    "471": "the channel is full",
    "473": "the channel is invite-only",
    "474": "the account is banned",
    "475": "the channel needs a key",
    "477": "the channel is for registered names only",
}
_ACTION = re.compile(r"\x01ACTION (?P<text>.*?)\x01?$", re.DOTALL)
_CAPITALS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
CASES: Mapping[str, Mapping[int, int]] = {
    "ascii": str.maketrans(_CAPITALS, _CAPITALS.lower()),
    "strict-rfc1459": str.maketrans(_CAPITALS + "[]\\", _CAPITALS.lower() + "{}|"),
    "rfc1459": str.maketrans(_CAPITALS + "[]\\~", _CAPITALS.lower() + "{}|^"),
}
"""How servers compare names, by what they call it (CASEMAPPING)."""
_SIGNS = {"q": "~", "a": "&", "o": "@", "h": "%", "v": "+"}


@dataclass(frozen=True, slots=True)
class Came:
    """What one line from the server comes to: lines to send, what was said, and what came back of one's own."""

    send: tuple[str, ...] = ()
    said: ChatLine | None = None
    at: datetime | None = None
    echo: str | None = None
    mine: bool = False
    """Whether it was said under our own name."""
    refused: str | None = None


@dataclass
class Session:
    """One connection as it stands. `choices` are those of its form, checked; `token` may be empty."""

    choices: Mapping[str, Any]
    token: str
    registered: bool = False
    joined: bool = False
    moderated: bool = False
    """Whether the channel hears nobody but those who have a voice."""
    settled: bool = False
    """Whether the server has said how the channel stands."""
    echoes: bool = False
    people: dict[str, str] = field(default_factory=dict)
    """The signs of standing of those who are there, by their nick in lower case."""
    lag_answered: bool = True
    nick: str = ""
    _offered: set[str] = field(default_factory=set)

    def __post_init__(self) -> None:
        self.nick = str(self.choices["nick"])
        self.channel = str(self.choices["channel"])
        self._signs = dict(_SIGNS)
        self._cases = CASES["rfc1459"]
        self._words = {
            MODERATOR: str(self.choices.get("moderator_words", MODERATOR)),
            SUBSCRIBER: str(self.choices.get("subscriber_words", SUBSCRIBER)),
            STREAMER: str(self.choices.get("streamer_words", STREAMER)),
        }

    @property
    def may_speak(self) -> bool:
        """Whether the channel hears us."""
        return self.joined and (not self.moderated or bool(self.people.get(self._key(self.nick))))

    @property
    def _with_sasl(self) -> bool:
        return bool(self.token) and self.choices.get("sign_in") == "sasl"

    def begin(self) -> tuple[str, ...]:
        """What is said first."""
        word = (_line("PASS", self.token),) if self.token and not self._with_sasl else ()
        return (
            _line("CAP", "LS", "302"),
            *word,
            _line("NICK", self.nick),
            _line("USER", self.nick, "0", "*", self.nick),
        )

    def take(self, line: Line) -> Came:
        """What a line comes to. Raises SourceError when the server will not have us."""
        handler = _HANDLERS.get(line.command)
        if handler is not None:
            return handler(self, line)
        if line.command in TOKEN_REFUSED:
            raise _token_refused(self.nick, tidy(_last(line), 120))
        if line.command in NO_ENTRY and self._key(self.channel) in [self._key(one) for one in line.params]:
            raise SourceUnavailable(f"{self.channel} refused the connection: {NO_ENTRY[line.command]}.")
        return Came()

    # Signing in

    def _cap(self, line: Line) -> Came:
        sub = line.params[1].upper() if len(line.params) > 1 else ""
        if sub == "LS":
            self._offered |= {one.partition("=")[0] for one in _last(line).split()}
            if len(line.params) > 3 and line.params[2] == "*":
                return Came()
            more = str(self.choices.get("more_caps", "")).split()
            ask = [one for one in (*WANTED, *more, *(("sasl",) if self._with_sasl else ())) if one in self._offered]
            if self._with_sasl and "sasl" not in ask:
                raise CredentialsRejected("This server has no account sign-in. Choose “server password”.")
            return Came((_line("CAP", "REQ", " ".join(ask)),) if ask else (_line("CAP", "END"),))
        if sub == "ACK":
            granted = {one.lstrip("-~=") for one in _last(line).split()}
            self.echoes = "echo-message" in granted
            if "sasl" in granted:
                return Came((_line("AUTHENTICATE", "PLAIN"),))
        if sub == "NAK" and self._with_sasl:
            raise CredentialsRejected("This server doesn't accept account sign-in. Choose “server password”.")
        return Came((_line("CAP", "END"),)) if sub in ("ACK", "NAK") else Came()

    def _authenticate(self, line: Line) -> Came:
        if line.params[:1] != ["+"]:
            return Came()
        plain = base64.b64encode(f"\0{self.choices.get('account') or self.nick}\0{self.token}".encode()).decode()
        parts = [plain[at : at + 400] for at in range(0, len(plain), 400)]
        return Came(tuple(_line("AUTHENTICATE", one) for one in (*parts, *(("+",) if len(parts[-1]) == 400 else ()))))

    def _signed_in(self, line: Line) -> Came:
        return Came((_line("CAP", "END"),))

    def _welcome(self, line: Line) -> Came:
        self.registered = True
        self.nick = tidy(line.params[0], 60) if line.params and line.params[0] != "*" else self.nick
        return Came((_line("JOIN", self.channel),))

    def _nick_taken(self, line: Line) -> Came:
        why = tidy(_last(line), 120)
        raise SourceUnavailable(f"The name {self.nick} is taken or not allowed ({why}). Choose another.")

    def _can_do(self, line: Line) -> Came:
        for one in line.params:
            if found := re.fullmatch(r"PREFIX=\((\w+)\)(\S+)", one):
                self._signs = dict(zip(found[1], found[2], strict=False))
            if one.startswith("CASEMAPPING="):
                self._cases = CASES.get(one.partition("=")[2].casefold(), CASES["ascii"])
        return Came()

    # Who is there

    def _join(self, line: Line) -> Came:
        if self._mine(line):
            self.joined = True
            return Came((_line("MODE", self.channel),))
        return Came()

    def _names(self, line: Line) -> Came:
        signs = set(self._signs.values())
        for one in _last(line).split():
            nick = one.lstrip("".join(signs))
            self._mark(nick.partition("!")[0], "".join(char for char in one[: len(one) - len(nick)]))
        return Came()

    def _mark(self, nick: str, signs: str) -> None:
        nick = self._key(nick)
        if signs and (len(self.people) < MOST_PEOPLE or nick in self.people):
            self.people[nick] = signs
        else:
            self.people.pop(nick, None)

    def _channel_modes(self, line: Line) -> Came:
        self.moderated = len(line.params) > 2 and "m" in line.params[2]
        self.settled = True
        return Came()

    def _mode(self, line: Line) -> Came:
        if len(line.params) < 2 or self._key(line.params[0]) != self._key(self.channel):
            return Came()
        given, more = list(line.params[2:]), True
        for char in line.params[1]:
            if char in "+-":
                more = char == "+"
            elif char in self._signs and given:
                nick, sign = given.pop(0), self._signs[char]
                kept = self.people.get(self._key(nick), "").replace(sign, "")
                self._mark(nick, kept + sign if more else kept)
            elif char == "m":
                self.moderated = more
            elif char in "beIk" or (char == "l" and more):
                given[:1] = []
        return Came()

    def _left(self, line: Line) -> Came:
        if self._mine(line):
            raise SourceUnavailable(f"We have left {self.channel}; rejoining.")
        self.people.pop(self._key(_nick(line)), None)
        return Came()

    def _kick(self, line: Line) -> Came:
        if len(line.params) > 1 and self._key(line.params[1]) == self._key(self.nick):
            why = f": “{tidy(_last(line), 80)}”" if len(line.params) > 2 else ""
            raise SourceUnavailable(f"A moderator removed the account from {self.channel}{why}. Rejoining later.")
        if len(line.params) > 1:
            self.people.pop(self._key(line.params[1]), None)
        return Came()

    def _renamed(self, line: Line) -> Came:
        before, after = _nick(line), line.params[0] if line.params else ""
        if self._mine(line):
            self.nick = after
        self._mark(after, self.people.pop(self._key(before), ""))
        return Came()

    # What is said

    def _privmsg(self, line: Line) -> Came:
        if len(line.params) < 2 or self._key(line.params[0]) != self._key(self.channel):
            return Came()
        raw, tags = line.params[1], line.tags or {}
        action = _ACTION.fullmatch(raw)
        if raw.startswith("\x01") and action is None:
            return Came()
        raw = action["text"] if action else raw
        text = tidy(raw)
        if self._mine(line) and self.echoes:
            return Came(echo=text)
        if not text:
            return Came()
        nick = _nick(line)
        told = ",".join(tags.get(one) or "" for one in str(self.choices.get("roles_tag", "")).split())
        streamer = str(self.choices.get("streamer", "")).strip()
        is_streamer = bool(streamer) and self._key(nick) == self._key(streamer)
        roles = roles_of(told, self.people.get(self._key(nick), ""), self._words, is_streamer)
        emotes = emotes_in(raw, tags.get(str(self.choices.get("emotes_tag", ""))) or "")
        name = name_of_line(tags.get(str(self.choices.get("name_tag", ""))) or nick)
        said = ChatLine(
            name,
            text,
            roles,
            tidy(tags.get("msgid") or "", 120),
            action is not None,
            tuple(tidy(one, 60) for one in emotes),
            tidy(tags.get("account") or self._key(nick), 120),
        )
        return Came(said=said, at=iso_instant(tags.get("time")), mine=self._mine(line))

    def _notice(self, line: Line) -> Came:
        """What the server tells us: before we are in, often why it will not have us; later, why a line was not said."""
        text = tidy(_last(line), 160)
        if not self.registered:
            if re.search(r"auth|login|password|token", text, re.IGNORECASE) and re.search(
                r"fail|invalid|unsuccess|improper|wrong|incorrect", text, re.IGNORECASE
            ):
                raise CredentialsRejected(f"The chat refused the token for {self.nick} (“{text}”). Give it another.")
            return Came()
        to_channel = bool(line.params) and self._key(line.params[0]) == self._key(self.channel)
        from_server = "!" not in (line.source or "")
        return Came(refused=text) if to_channel and from_server else Came()

    def _not_heard(self, line: Line) -> Came:
        return Came(refused=tidy(_last(line), 160) or "the channel doesn't allow this account to speak")

    def _ping(self, line: Line) -> Came:
        return Came((_line("PONG", *line.params[-1:]),))

    def _pong(self, line: Line) -> Came:
        self.lag_answered = True
        return Came()

    def _error(self, line: Line) -> Came:
        text = tidy(_last(line), 160)
        if not self.registered and re.search(r"password|token|auth", text, re.IGNORECASE):
            raise CredentialsRejected(f"The chat refused {self.nick} in (“{text}”). Enter a new token.")
        raise SourceUnavailable(f"The chat closed the connection (“{text}”). Reconnecting.")

    def _key(self, name: str) -> str:
        """A nick or channel as the server compares it: letters beyond its alphabet are only themselves."""
        return name.translate(self._cases)

    def _mine(self, line: Line) -> bool:
        return self._key(_nick(line)) == self._key(self.nick)


_HANDLERS = {
    "CAP": Session._cap,
    "AUTHENTICATE": Session._authenticate,
    "903": Session._signed_in,
    "001": Session._welcome,
    "432": Session._nick_taken,
    "433": Session._nick_taken,
    "436": Session._nick_taken,
    "005": Session._can_do,
    "JOIN": Session._join,
    "353": Session._names,
    "324": Session._channel_modes,
    "MODE": Session._mode,
    "PART": Session._left,
    "QUIT": Session._left,
    "KICK": Session._kick,
    "NICK": Session._renamed,
    "PRIVMSG": Session._privmsg,
    "NOTICE": Session._notice,
    "404": Session._not_heard,
    "PING": Session._ping,
    "PONG": Session._pong,
    "ERROR": Session._error,
}


def _token_refused(nick: str, why: str) -> CredentialsRejected:
    return CredentialsRejected(f"The chat refused the token for {nick} ({why}). Enter a new one under Settings.")


def message(channel: str, text: str) -> str:
    """The line that says a text in a channel. What would begin a second line is not in it."""
    return _line("PRIVMSG", channel, text)


def _line(command: str, *params: str) -> str:
    """A line to send; nothing in it can end it."""
    kept = [re.sub(r"[\x00\r\n]", " ", one) for one in params]
    return build(command, kept).format()


def _last(line: Line) -> str:
    return line.params[-1] if line.params else ""


def _nick(line: Line) -> str:
    return (line.source or "").partition("!")[0]


def within(at: datetime | None, now: datetime, ahead: timedelta = timedelta(seconds=5)) -> datetime:
    """When a line was said, as its server tells; its coming, where that is not known or still to be."""
    return now if at is None or at > now + ahead else at


def longest_bytes(channel: str, nick: str) -> int:
    """So many bytes of text go into one line of at most 512, with all that the server puts before them."""
    return 512 - len(f":{nick}!{nick}@ PRIVMSG {channel} :\r\n".encode()) - 64


def same(sent: str, echoed: str) -> bool:
    """Whether what came back is what was sent."""
    return tidy(sent) == echoed
