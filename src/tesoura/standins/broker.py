"""A small MQTT 3.1.1 broker: names and passwords, wildcards, kept messages, delivery at most once and at least once.

Source: OASIS MQTT 3.1.1, as far as it goes here.
"""

from __future__ import annotations

import asyncio
import contextlib

from tesoura.standins.looped import LoopedServer

CONNECT, CONNACK, PUBLISH, PUBACK, SUBSCRIBE, SUBACK, PINGREQ, PINGRESP, DISCONNECT = 1, 2, 3, 4, 8, 9, 12, 13, 14


class Broker(LoopedServer):
    """One broker on loopback, in a thread of its own."""

    def __init__(self, port: int = 0, user: str = "", password: str = "") -> None:
        super().__init__(port)
        self._user, self._password = user, password
        self._clients: dict[asyncio.StreamWriter, list[str]] = {}
        self._kept: dict[str, bytes] = {}
        self._number = 0
        self.unacknowledged: dict[int, str] = {}
        """The topics of messages that were sent to be acknowledged and were not yet, by packet identifier."""

    def _writers(self) -> list[asyncio.StreamWriter]:
        return list(self._clients)

    @property
    def subscribers(self) -> int:
        """How many are subscribed to something."""
        return sum(bool(topics) for topics in self._clients.values())

    def publish(self, topic: str, payload: str, keep: bool = False, acknowledged: bool = False) -> None:
        """Publish a message on a topic, at least once if it is to be acknowledged, else at most once."""
        self._soon(self._pass_on, topic, payload.encode(), keep, acknowledged)

    def garble(self, data: bytes) -> None:
        """Send everybody these bytes, whatever they are."""

        def write() -> None:
            for writer in list(self._clients):
                writer.write(data)

        self._soon(write)

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._clients[writer] = []
        with contextlib.suppress(asyncio.IncompleteReadError, ConnectionError, IndexError, UnicodeDecodeError):
            while True:
                head = (await reader.readexactly(1))[0]
                body = await reader.readexactly(await _length(reader))
                if not self._handle(head >> 4, head & 15, body, writer):
                    break
                await writer.drain()
        self._clients.pop(writer, None)
        writer.close()

    def _handle(self, kind: int, flags: int, body: bytes, writer: asyncio.StreamWriter) -> bool:
        if kind == CONNECT:
            welcome = self._welcome(body)
            _send(writer, CONNACK << 4, bytes((0, 0 if welcome else 5)))
            return welcome
        if kind == SUBSCRIBE:
            self._subscribe(body, writer)
        elif kind == PUBLISH:
            topic, rest = _text(body)
            if flags >> 1 & 3:
                _send(writer, PUBACK << 4, rest[:2])
                rest = rest[2:]
            self._pass_on(topic, rest, bool(flags & 1))
        elif kind == PUBACK:
            self.unacknowledged.pop(int.from_bytes(body[:2], "big"), None)
        elif kind == PINGREQ:
            _send(writer, PINGRESP << 4, b"")
        return kind != DISCONNECT

    def _welcome(self, body: bytes) -> bool:
        _, rest = _text(body)
        flags, rest = rest[1], rest[4:]
        _, rest = _text(rest)
        if flags & 4:
            _, rest = _text(rest)
            _, rest = _text(rest)
        user = password = ""
        if flags & 128:
            user, rest = _text(rest)
        if flags & 64:
            password, rest = _text(rest)
        return not self._user or (user, password) == (self._user, self._password)

    def _subscribe(self, body: bytes, writer: asyncio.StreamWriter) -> None:
        number, rest, codes = body[:2], body[2:], bytearray()
        while rest:
            topic, rest = _text(rest)
            wanted, rest = rest[0], rest[1:]
            refused = topic.startswith("secret/")
            codes.append(0x80 if refused else min(wanted, 1))
            if not refused:
                self._clients[writer].append(topic)
        _send(writer, SUBACK << 4, number + bytes(codes))
        for topic, payload in self._kept.items():
            if any(_fits(one, topic) for one in self._clients[writer]):
                _send(writer, PUBLISH << 4 | 1, _packed(topic) + payload)

    def _pass_on(self, topic: str, payload: bytes, keep: bool, acknowledged: bool = False) -> None:
        if keep:
            self._kept[topic] = payload
        for writer, topics in list(self._clients.items()):
            if any(_fits(one, topic) for one in topics):
                if acknowledged:
                    self._number = self._number % 65_535 + 1
                    self.unacknowledged[self._number] = topic
                    number = self._number.to_bytes(2, "big")
                    _send(writer, PUBLISH << 4 | 1 << 1, _packed(topic) + number + payload)
                else:
                    _send(writer, PUBLISH << 4, _packed(topic) + payload)


async def _length(reader: asyncio.StreamReader) -> int:
    length, shift = 0, 0
    while True:
        byte = (await reader.readexactly(1))[0]
        length |= (byte & 127) << shift
        shift += 7
        if not byte & 128:
            return length


def _send(writer: asyncio.StreamWriter, head: int, body: bytes) -> None:
    length, size = bytearray(), len(body)
    while True:
        size, byte = size >> 7, size & 127
        length.append(byte | (128 if size else 0))
        if not size:
            break
    if not writer.is_closing():
        writer.write(bytes((head,)) + bytes(length) + body)


def _text(body: bytes) -> tuple[str, bytes]:
    size = int.from_bytes(body[:2], "big")
    return body[2 : 2 + size].decode(), body[2 + size :]


def _packed(text: str) -> bytes:
    # A topic that is no text can be sent too: half a character pair comes to bytes that are none.
    encoded = text.encode("utf-8", "surrogatepass")
    return len(encoded).to_bytes(2, "big") + encoded


def _fits(wanted: str, topic: str) -> bool:
    asked, parts = wanted.split("/"), topic.split("/")
    for at, part in enumerate(asked):
        if part == "#":
            return True
        if at >= len(parts) or part not in ("+", parts[at]):
            return False
    return len(asked) == len(parts)
