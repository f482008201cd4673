"""One open chat: its socket, every way in which it can fail, its pace, and what is said there."""

from __future__ import annotations

import asyncio
import contextlib
import ssl
from collections import deque
from collections.abc import AsyncIterator, Mapping
from datetime import datetime
from typing import Any

from irctokens.line import tokenise

from tesoura.core.chat import LINE, ChatLine, Pace, outgoing, tidy
from tesoura.errors import ResponseNotUnderstood, SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched, Item
from tesoura.feeds.connecting import no_connection
from tesoura.links.irc.session import Session, longest_bytes, message, same, within
from tesoura.links.irc.way import readable_token

OPEN_S, JOIN_S, QUIET_S, ANSWER_S, ECHO_S, SETTLE_S = 8.0, 15.0, 60.0, 20.0, 3.0, 1.0
MAX_LINE = 16_000
"""The tags of a line may have 8,191 bytes, what follows 512; three times that is nobody's line any more."""
MOST_A_SECOND = 400
"""So many lines are taken in within a second; a flood beyond is counted and let go."""
MOST_WAITING = 2_000
LATELY = 8


class Chat:
    """A channel that is joined, as it is talked with: what was said lately, whether one may speak, and speaking."""

    def __init__(self, context: FetchContext, writer: asyncio.StreamWriter, pace: Pace) -> None:
        self._clock, self._writer, self.pace = context.clock, writer, pace
        self.session = Session(context.choices, context.secrets.get("token", ""))
        self._lately: deque[tuple[datetime, ChatLine]] = deque(maxlen=LATELY)
        self._waiting: deque[tuple[datetime, ChatLine]] = deque()
        self._spoken: deque[str] = deque(maxlen=20)
        self._came, self._joined, self._settled = asyncio.Event(), asyncio.Event(), asyncio.Event()
        self._echo: tuple[str, asyncio.Future[None]] | None = None
        self._second, self._in_second, self.let_go, self.lines = 0, 0, 0, 0

    # Speaking

    def wait_s(self) -> float:
        """Seconds until one may speak again."""
        return self.pace.wait_s(_seconds())

    async def say(self, text: str) -> str:
        """Say a line; what became of it. Raises SourceUnavailable when it is not heard."""
        session = self.session
        line = outgoing(text, longest_bytes(session.channel, session.nick))
        if not line:
            raise SourceUnavailable("The message is empty.")
        if not session.may_speak:
            raise SourceUnavailable(f"{session.channel} is moderated, and {session.nick} has none.")
        self.pace = self.pace.spoken(_seconds())
        self._spoken.append(tidy(line))
        heard: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        self._echo = (line, heard)
        try:
            await self.send(message(session.channel, line))
            async with asyncio.timeout(ECHO_S if session.echoes else 0.3):
                await heard
        except TimeoutError:
            # A server that sends lines back has not; one that does not has at least not refused.
            return "sent, but not confirmed by the chat" if session.echoes else "sent"
        finally:
            self._echo = None
        return "sent and visible in chat"

    async def send(self, *lines: str) -> None:
        """Send lines to the server. Raises SourceUnavailable."""
        try:
            self._writer.write("".join(f"{one}\r\n" for one in lines).encode())
            await self._writer.drain()
        except OSError:
            raise SourceUnavailable("The connection was lost while sending. Reconnecting.") from None

    # Hearing

    async def hear(self, reader: asyncio.StreamReader) -> None:
        """Take in what the server says, until it ends. Raises SourceError."""
        while True:
            try:
                async with asyncio.timeout(QUIET_S if self.session.lag_answered else ANSWER_S):
                    raw = await reader.readuntil(b"\n")
            except TimeoutError:
                await self._quiet()
                continue
            except (asyncio.LimitOverrunError, ValueError):
                raise ResponseNotUnderstood(
                    "The chat sent a line of over 16,000 bytes. Check that the server is an IRC chat.", ""
                ) from None
            except (asyncio.IncompleteReadError, OSError):
                raise SourceUnavailable("The chat closed the connection. Reconnecting.") from None
            self.session.lag_answered = True
            await self._take(raw.strip(b"\r\n"))

    async def _quiet(self) -> None:
        if not self.session.lag_answered:
            raise SourceUnavailable("The chat stopped answering. Reconnecting.")
        self.session.lag_answered = False
        await self.send("PING :there")

    async def _take(self, raw: bytes) -> None:
        try:
            line = tokenise(raw)
        except (ValueError, IndexError):
            return
        if line.command == "PRIVMSG" and not self._room():
            return
        came = self.session.take(line)
        if came.mine and came.said is not None and came.said.text in self._spoken:
            # A server that sends our own lines back unasked: nothing that we say may set off what makes us say it.
            self._answered(came.said.text, None)
            return
        if self.session.joined:
            self._joined.set()
        if self.session.settled:
            self._settled.set()
        if came.send:
            await self.send(*came.send)
        if came.said is not None:
            self._waiting.append((within(came.at, self._clock()), came.said))
            self._came.set()
        if came.echo is not None or came.refused is not None:
            self._answered(came.echo, came.refused)

    def _room(self) -> bool:
        """Whether one line more may be taken in within this second."""
        if (second := int(_seconds())) != self._second:
            self._second, self._in_second = second, 0
        self._in_second += 1
        if self._in_second > MOST_A_SECOND or len(self._waiting) >= MOST_WAITING:
            self.let_go += 1
            return False
        return True

    def _answered(self, echo: str | None, refused: str | None) -> None:
        if self._echo is None or self._echo[1].done():
            return
        line, heard = self._echo
        if refused is not None:
            self.pace = self.pace.held(_seconds())
            heard.set_exception(SourceUnavailable(f"The chat refused it: {refused}."))
        elif echo is not None and same(line, echo):
            heard.set_result(None)

    async def joined(self) -> None:
        """Until the channel is joined, and it is known how it stands, where the server says so."""
        await self._joined.wait()
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(SETTLE_S):
                await self._settled.wait()

    async def lines_told(self) -> AsyncIterator[Fetched]:
        """What is said, all that has come meanwhile at once."""
        while True:
            await self._came.wait()
            self._came.clear()
            told = [self._waiting.popleft() for _ in range(min(len(self._waiting), MOST_A_SECOND))]
            if self._waiting:
                self._came.set()
            self._lately.extend(told)
            self.lines += len(told)
            last = told[-1][1]
            payload = {"lines": self.lines, "let_go": self.let_go, "last": last.data()}
            items = tuple(Item(LINE, one.data(), one.id or None, at) for at, one in told)
            yield Fetched(payload, len(told), items=items, note=self.note())

    # How it stands

    def note(self) -> str:
        """Whether it is joined and may speak, in a sentence."""
        session, pace = self.session, self.pace
        speaks = "may speak" if session.may_speak else "may not speak: the channel is moderated"
        used = f"{pace.used(_seconds())} of {pace.lines} lines in {pace.per_s:g} s used"
        gone = f" {self.let_go} messages of a flood were dropped." if self.let_go else ""
        return f"Joined {session.channel} as {session.nick}, {speaks}; {used}.{gone}"

    def standing(self) -> Mapping[str, Any]:
        """How it stands, for its page."""
        return {
            "joined": self.session.joined,
            "may_speak": self.session.may_speak,
            "channel": self.session.channel,
            "nick": self.session.nick,
            "used": self.pace.used(_seconds()),
            "lines": self.pace.lines,
            "per_s": self.pace.per_s,
            "wait_s": self.wait_s(),
            "let_go": self.let_go,
            "note": self.note(),
            "lately": tuple((at, one) for at, one in reversed(self._lately)),
            "echoes": self.session.echoes,
        }


async def talk(context: FetchContext) -> AsyncIterator[Fetched]:
    """Join, say so, and tell what is said, until it breaks. Raises SourceError, whose message holds no token."""
    if wrong := readable_token(context.choices, context.secrets):
        raise SourceUnavailable(wrong)
    reader, writer = await _opened(context.choices)
    # The pace outlives a connection: the server counts on, whoever opens a new one.
    kept: Pace | None = context.scratch.get("pace")
    pace = Pace(int(context.choices["pace_lines"]), float(context.choices["pace_s"]), kept.said if kept else ())
    chat = Chat(context, writer, pace)
    hearing = asyncio.create_task(chat.hear(reader), name="reading a chat")
    try:
        await chat.send(*chat.session.begin())
        await _joined(chat, hearing)
        context.link = chat
        yield Fetched({"lines": 0, "let_go": 0, "last": None}, note=chat.note())
        async for told in _until(hearing, chat.lines_told()):
            yield told
    finally:
        context.link = None
        context.scratch["pace"] = chat.pace
        hearing.cancel()
        await asyncio.gather(hearing, return_exceptions=True)
        with contextlib.suppress(OSError):
            writer.write(b"QUIT :bye\r\n")
        writer.close()
        with contextlib.suppress(OSError, TimeoutError):
            async with asyncio.timeout(1):
                await writer.wait_closed()


async def _joined(chat: Chat, hearing: asyncio.Task[None]) -> None:
    joining = asyncio.ensure_future(chat.joined())
    done, _ = await asyncio.wait((joining, hearing), timeout=JOIN_S, return_when=asyncio.FIRST_COMPLETED)
    joining.cancel()
    if hearing in done:
        hearing.result()
    if joining not in done:
        raise SourceUnavailable(
            f"{chat.session.channel} was not joined within {JOIN_S:.0f} s. Check the channel and the server."
        )


async def _until(hearing: asyncio.Task[None], told: AsyncIterator[Fetched]) -> AsyncIterator[Fetched]:
    """What is told, until hearing ends; then why it did, after all that was heard before."""
    while True:
        following = asyncio.ensure_future(anext(told))
        try:
            await asyncio.wait((following, hearing), return_when=asyncio.FIRST_COMPLETED)
            if not following.done():
                # What was heard last may still stand before the end.
                await asyncio.sleep(0)
            if not following.done():
                hearing.result()
                return
            yield following.result()
        finally:
            if not following.done():
                following.cancel()
                await asyncio.gather(following, return_exceptions=True)


async def _opened(choices: Mapping[str, Any]) -> tuple[asyncio.StreamReader, asyncio.StreamWriter]:
    host, port, tls = str(choices["host"]), int(choices["port"]), choices.get("tls") == "yes"
    where = f"{host}:{port}"
    try:
        async with asyncio.timeout(OPEN_S):
            return await asyncio.open_connection(
                host, port, ssl=ssl.create_default_context() if tls else None, limit=MAX_LINE
            )
    except TimeoutError:
        raise SourceUnavailable(f"No answer from {where} in {OPEN_S:.0f} s. Check the server.") from None
    except ssl.SSLCertVerificationError as error:
        raise SourceUnavailable(
            f"The server at {where} can't prove that it is {host} ({error.verify_message}). Nothing was sent."
        ) from None
    except (ssl.SSLError, ConnectionResetError):
        raise SourceUnavailable(
            f"{where} doesn't use TLS. Check the port: usually 6697 with TLS, 6667 without."
        ) from None
    except OSError as error:
        raise SourceUnavailable(no_connection(where, error)) from None


def _seconds() -> float:
    return asyncio.get_running_loop().time()
