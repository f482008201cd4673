"""A small D-Bus message bus: names, calls, answers and signals, for players and tests; no rights, no files, no rules.

The wire is that of the D-Bus specification (https://dbus.freedesktop.org/doc/dbus-specification.html). A signal goes to
everybody else, whatever was asked for: whoever hears picks for himself.
"""

from __future__ import annotations

import asyncio
import io
import struct
import uuid
from collections.abc import Iterable
from typing import Any

from dbus_fast import Message, MessageType, Variant
from dbus_fast._private.marshaller import Marshaller
from dbus_fast._private.unmarshaller import Unmarshaller

from tesoura.standins.looped import LoopedServer

BUS, PATH = "org.freedesktop.DBus", "/org/freedesktop/DBus"
_HEAD = 16


class MessageBusServer(LoopedServer):
    """The bus. With `refuses` nobody is let in."""

    def __init__(self, port: int = 0) -> None:
        super().__init__(port)
        self.refuses = False
        self._people: dict[str, asyncio.StreamWriter] = {}
        self._names: dict[str, str] = {}
        self._number = 0
        self._serial = 0

    @property
    def address(self) -> str:
        """Where it is, as a bus's address is written."""
        return f"tcp:host=127.0.0.1,port={self.port}"

    def _writers(self) -> Iterable[asyncio.StreamWriter]:
        return self._people.values()

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        name = ""
        try:
            if not await self._let_in(reader, writer):
                return
            self._number += 1
            name = f":1.{self._number}"
            self._people[name] = writer
            while True:
                self._take(await _message(reader), name)
        except (asyncio.IncompleteReadError, ConnectionError):
            pass
        finally:
            self._people.pop(name, None)
            for owned in [one for one, owner in self._names.items() if owner == name]:
                self._owner(owned, name, "")
            writer.close()

    async def _let_in(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> bool:
        await reader.readexactly(1)
        while True:
            line = (await reader.readline()).decode().strip()
            if line.startswith("AUTH"):
                writer.write(b"REJECTED ANONYMOUS\r\n" if self.refuses else f"OK {uuid.uuid4().hex}\r\n".encode())
            elif line == "BEGIN":
                return True
            elif not line:
                return False
            else:
                writer.write(b"ERROR\r\n")

    def _take(self, message: Message, sender: str) -> None:
        message.sender = sender
        if message.destination == BUS:
            self._answer(message, sender)
        elif message.message_type is MessageType.SIGNAL:
            for name in [one for one in self._people if one != sender]:
                self._send(message, name)
        else:
            to = self._names.get(message.destination or "", message.destination or "")
            if to in self._people:
                self._send(message, to)
            elif message.message_type is MessageType.METHOD_CALL:
                self._send(Message.new_error(message, f"{BUS}.Error.ServiceUnknown", "Nobody has this name"), sender)

    def _answer(self, message: Message, sender: str) -> None:
        given = message.body[0] if message.body else ""
        known: dict[str, tuple[str, list[Any]]] = {
            "Hello": ("s", [sender]),
            "ListNames": ("as", [[BUS, *self._people, *self._names]]),
            "AddMatch": ("", []),
            "RemoveMatch": ("", []),
            "RequestName": ("u", [1]),
            "ReleaseName": ("u", [1]),
        }
        if message.member == "RequestName":
            self._owner(given, "", sender)
        elif message.member == "ReleaseName":
            self._owner(given, sender, "")
        if message.member == "GetNameOwner" and given in self._names:
            known["GetNameOwner"] = ("s", [self._names[given]])
        if message.member not in known:
            self._send(Message.new_error(message, f"{BUS}.Error.NameHasNoOwner", "No such name"), sender)
            return
        signature, body = known[message.member]
        self._send(Message.new_method_return(message, signature, body), sender)

    def _owner(self, name: str, old: str, new: str) -> None:
        if new:
            self._names[name] = new
        else:
            self._names.pop(name, None)
        told = Message(
            message_type=MessageType.SIGNAL,
            path=PATH,
            interface=BUS,
            member="NameOwnerChanged",
            signature="sss",
            body=[name, old, new],
        )
        for one in list(self._people):
            self._send(told, one)

    def _send(self, message: Message, to: str) -> None:
        self._serial += 1
        if message.sender is None:
            message.sender = BUS
        if not message.serial:
            message.serial = self._serial
        writer = self._people.get(to)
        if writer is not None and not writer.is_closing():
            writer.write(_written(message))


_FIELDS = (
    (1, "path", "o"),
    (2, "interface", "s"),
    (3, "member", "s"),
    (4, "error_name", "s"),
    (5, "reply_serial", "u"),
    (6, "destination", "s"),
    (7, "sender", "s"),
    (8, "signature", "g"),
)
"""The fields of a message's head: their numbers, what they are, their types."""


def _written(message: Any) -> bytes:
    """A message as it goes over the wire. The library writes no sender, since only a bus does."""
    body = bytes(Marshaller(message.signature, message.body).marshall())
    told = ((number, getattr(message, name), kind) for number, name, kind in _FIELDS)
    fields = [[number, Variant(kind, value)] for number, value, kind in told if value]
    head = [ord("l"), message.message_type.value, message.flags.value, 1, len(body), message.serial, fields]
    marshaller = Marshaller("yyyyuua(yv)", head)
    written = bytes(marshaller.marshall())
    return written + b"\0" * (-len(written) % 8) + body


async def _message(reader: asyncio.StreamReader) -> Any:
    """One message, whole."""
    head = await reader.readexactly(_HEAD)
    body, _, fields = struct.unpack("<III" if head[:1] == b"l" else ">III", head[4:])
    rest = await reader.readexactly((fields + 7) // 8 * 8 + body)
    stream: Any = io.BytesIO(head + rest)
    return Unmarshaller(stream).unmarshall()
