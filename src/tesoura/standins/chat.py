"""A small IRC server with one channel and a crowd of made-up viewers, who may also be up to mischief.

Sources: RFC 1459 and the IRCv3 specifications, as far as they go here.
"""

from __future__ import annotations

import asyncio
import base64
import contextlib
import random
import uuid
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime

from irctokens.line import Line, build, tokenise

from tesoura.standins.looped import LoopedServer

HOST = "chat.windyladder.example"
CAPS = "message-tags server-time echo-message multi-prefix sasl"
VIEWERS = ("teacup_ana", "bolt_uncle", "seven_socks", "gull_on_a_post", "margarine_moon", "june_spool", "wren_bobbin")
ROLES = {"mara_vane": "streamer", "wren_bobbin": "moderator", "teacup_ana": "subscriber", "bolt_uncle": "subscriber"}
LINES = (
    "good evening from the pier",
    "hello Mara :kite:",
    "!song",
    "what is the song?",
    "!spin",
    "that was close :kite: :kite:",
    "!tea",
    "three cuts in a row",
    "mind the gust",
    "kettle's on",
    "!spin please",
    "who is otto_knot up against?",
)
MISCHIEF = (
    "\u202esdrawkcab",
    "\x0304red\x03 and \x02loud\x02",
    "line one\u2028line two",
    "z\u0301\u0302\u0303\u0304\u0305\u0306algo",
    "a" * 400,
    "\u200b\u200b\u200b",
    "PRIVMSG #windyladder :not a command",
    "{signals} {__class__}",
    "<b>bold</b> &amp;",
    "http://pier.example/\u200bfree",
    "\x01VERSION\x01",
)


@dataclass(eq=False)
class _Guest:
    writer: asyncio.StreamWriter
    nick: str = ""
    word: str = ""
    account: str = ""
    caps: set[str] = field(default_factory=set)
    negotiating: bool = False
    user: bool = False
    welcome: bool = False
    inside: bool = False
    said: list[float] = field(default_factory=list)


class ChatServer(LoopedServer):
    """One channel on loopback, in a thread of its own. `token`, when given, must be said by whoever comes.

    `most` lines within `per_s` seconds are passed on; what is more is refused with a notice.
    """

    def __init__(
        self,
        port: int = 0,
        channel: str = "#windyladder",
        token: str = "",
        most: int = 20,
        per_s: float = 30.0,
        moderated: bool = False,
        caps: str = CAPS,
    ) -> None:
        super().__init__(port)
        self.channel, self.token, self.most, self.per_s = channel, token, most, per_s
        self.moderated, self.caps, self.heard = moderated, caps, list[tuple[str, str]]()
        self.silent = False
        self._guests: list[_Guest] = []

    def _writers(self) -> list[asyncio.StreamWriter]:
        return [one.writer for one in self._guests]

    @property
    def guests(self) -> list[str]:
        """Who is in the channel, beside the crowd."""
        return [one.nick for one in self._guests if one.inside]

    def say(self, name: str, text: str, **tags: str) -> None:
        """Let a viewer say a line; `tags` are added to those that every line has."""
        self._soon(self._pass_on, name, text, {"msgid": uuid.uuid4().hex, **tags}, None)

    def act(self, name: str, text: str) -> None:
        """Let a viewer do something, as it is told in a chat."""
        self.say(name, f"\x01ACTION {text}\x01")

    def flood(self, count: int, name: str = "gull_on_a_post") -> None:
        """Let a viewer say the same again and again, all at once."""

        def write() -> None:
            for number in range(count):
                self._pass_on(name, f"again {number}", {"msgid": uuid.uuid4().hex}, None)

        self._soon(write)

    def raw(self, data: bytes) -> None:
        """Send everybody these bytes, whatever they are."""

        def write() -> None:
            for one in self._guests:
                one.writer.write(data)

        self._soon(write)

    def kick(self, nick: str, why: str = "a short rest") -> None:
        """Send somebody out of the channel."""
        self._soon(self._all, f":wren_bobbin!wren@{HOST} KICK {self.channel} {nick} :{why}")

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        guest = _Guest(writer)
        self._guests.append(guest)
        with contextlib.suppress(asyncio.IncompleteReadError, ConnectionError, asyncio.CancelledError, IndexError):
            while not writer.is_closing():
                raw = (await reader.readuntil(b"\n")).strip(b"\r\n")
                if raw and not self.silent:
                    self._take(guest, tokenise(raw))
                await writer.drain()
        self._guests.remove(guest)
        writer.close()

    # What guests say

    def _take(self, guest: _Guest, line: Line) -> None:
        handler = {
            "CAP": self._cap,
            "PASS": self._pass,
            "NICK": self._nick,
            "USER": self._user,
            "JOIN": self._join,
            "AUTHENTICATE": self._authenticate,
            "PRIVMSG": self._privmsg,
            "PING": self._ping,
            "QUIT": self._quit,
            "MODE": self._mode,
        }.get(line.command)
        if handler is not None:
            handler(guest, line)

    def _cap(self, guest: _Guest, line: Line) -> None:
        sub = line.params[0].upper()
        if sub == "LS":
            guest.negotiating = True
            self._to(guest, f"CAP * LS :{self.caps}")
        elif sub == "REQ":
            guest.caps |= set(line.params[1].split()) & set(self.caps.split())
            self._to(guest, f"CAP * ACK :{line.params[1]}")
        elif sub == "END":
            guest.negotiating = False
            self._welcome(guest)

    def _pass(self, guest: _Guest, line: Line) -> None:
        guest.word = line.params[0]

    def _authenticate(self, guest: _Guest, line: Line) -> None:
        if line.params[0] == "PLAIN":
            self._to(guest, "AUTHENTICATE +")
            return
        _, guest.account, guest.word = base64.b64decode(line.params[0]).decode().split("\0")
        good = guest.word == self.token
        self._to(guest, "903 * :Signed in" if good else "904 * :Signing in failed")

    def _nick(self, guest: _Guest, line: Line) -> None:
        if line.params[0] in [one.nick for one in self._guests]:
            self._to(guest, f"433 * {line.params[0]} :Nickname is already in use")
            return
        guest.nick = line.params[0]
        self._welcome(guest)

    def _user(self, guest: _Guest, line: Line) -> None:
        guest.user = True
        self._welcome(guest)

    def _welcome(self, guest: _Guest) -> None:
        if guest.welcome or guest.negotiating or not (guest.nick and guest.user):
            return
        if self.token and guest.word != self.token:
            self._to(guest, f"464 {guest.nick} :Password incorrect")
            guest.writer.close()
            return
        guest.welcome = True
        self._to(guest, f"001 {guest.nick} :Welcome to the pier, {guest.nick}")
        self._to(guest, f"005 {guest.nick} PREFIX=(qaohv)~&@%+ CHANTYPES=# :are supported by this server")

    def _join(self, guest: _Guest, line: Line) -> None:
        if line.params[0] != self.channel:
            self._to(guest, f"403 {guest.nick} {line.params[0]} :No such channel")
            return
        guest.inside = True
        self._all(f":{guest.nick}!{guest.nick}@{HOST} JOIN {self.channel}")
        crowd = " ".join(f"{_sign(name)}{name}" for name in (*VIEWERS, *self.guests))
        self._to(guest, f"353 {guest.nick} = {self.channel} :{crowd}")
        self._to(guest, f"366 {guest.nick} {self.channel} :End of names")

    def _mode(self, guest: _Guest, line: Line) -> None:
        self._to(guest, f"324 {guest.nick} {self.channel} +nt{'m' if self.moderated else ''}")

    def _privmsg(self, guest: _Guest, line: Line) -> None:
        if not guest.inside:
            return
        now = asyncio.get_running_loop().time()
        guest.said = [at for at in guest.said if at > now - self.per_s]
        if len(guest.said) >= self.most:
            self._to(guest, f"NOTICE {self.channel} :You speak too often; the line was not passed on")
            return
        guest.said.append(now)
        self.heard.append((guest.nick, line.params[1]))
        self._pass_on(guest.nick, line.params[1], {"msgid": uuid.uuid4().hex}, guest)

    def _ping(self, guest: _Guest, line: Line) -> None:
        self._to(guest, f"PONG {HOST} :{line.params[-1]}")

    def _quit(self, guest: _Guest, line: Line) -> None:
        guest.inside = False
        guest.writer.close()

    # What guests hear

    def _to(self, guest: _Guest, words: str) -> None:
        guest.writer.write(f":{HOST} {words}\r\n".encode())

    def _all(self, words: str) -> None:
        for one in self._guests:
            if one.inside:
                one.writer.write(f"{words}\r\n".encode())

    def _pass_on(self, name: str, text: str, tags: dict[str, str], by: _Guest | None) -> None:
        told = {"time": datetime.now(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z"), **tags}
        if name in ROLES:
            told.setdefault("roles", ROLES[name])
        source = f"{name}!{name[:9]}@{HOST}"
        for one in self._guests:
            if one.inside and (one is not by or "echo-message" in one.caps):
                with_tags = told if "message-tags" in one.caps else None
                written = build("PRIVMSG", [self.channel, text.replace("\n", " ")], source, with_tags).format()
                one.writer.write(f"{written}\r\n".encode())


def _sign(name: str) -> str:
    return {"streamer": "~", "moderator": "@"}.get(ROLES.get(name, ""), "")


def crowd(seed: int, mischief: bool = True) -> Iterator[tuple[float, str, str]]:
    """What the crowd says: seconds after the line before, who, and what. The same seed gives the same messages."""
    chance = random.Random(seed)
    while True:
        name = chance.choice(VIEWERS)
        odd = mischief and chance.random() < 0.06
        yield chance.uniform(1.5, 7.0), name, chance.choice(MISCHIEF if odd else LINES)
