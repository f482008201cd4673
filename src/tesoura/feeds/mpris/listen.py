"""One connection to a bus, the players on it, and what each of them tells."""

from __future__ import annotations

import asyncio
import os
import time
from collections.abc import AsyncIterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from tesoura.core.tracks.course import PlayerReport, TrackCourse
from tesoura.core.tracks.reading import heard
from tesoura.errors import SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched, Item
from tesoura.feeds.mpris.players import BUS, NAME, PATH, PLAYER, PROPERTIES, report

INSTEAD = "Use “A music player” or “Music in a text file” instead."
LOOK_S = 4.0
"""How often players are asked where they are, beside what they tell by themselves."""
WITHIN_S = 2.0
MOST_PLAYERS = 12
MOST_WAITING = 500


async def listen(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the players tell, until the bus breaks. Raises SourceError."""
    bus = await _connected(str(context.choices.get("bus") or "") or os.environ.get("DBUS_SESSION_BUS_ADDRESS", ""))
    try:
        players = Players(bus, str(context.choices.get("players") or ""))
        yield await players.find()
        if context.trying:
            return
        while True:
            yield await players.next()
    finally:
        bus.disconnect()


async def _connected(address: str) -> Any:
    try:
        from dbus_fast.aio import MessageBus
    except ImportError:
        raise SourceUnavailable(f"This works only on Linux. {INSTEAD}") from None
    if not address:
        raise SourceUnavailable(f"This login has no bus for players. {INSTEAD}")
    from dbus_fast.errors import AuthError, InvalidAddressError

    try:
        async with asyncio.timeout(WITHIN_S):
            return await MessageBus(bus_address=address).connect()
    except InvalidAddressError:
        raise SourceUnavailable("The bus address can't be read. Leave it empty to use this login's bus.") from None
    except AuthError:
        raise SourceUnavailable("The bus refused Tesoura. It may belong to another login.") from None
    except (OSError, TimeoutError, EOFError):
        raise SourceUnavailable(f"The bus of this login doesn't answer. {INSTEAD}") from None


@dataclass(slots=True)
class _Player:
    """One player: its name on the bus, what it is called, its properties as it told them, its course."""

    name: str
    label: str
    course: TrackCourse
    told: dict[str, Any] = field(default_factory=dict)
    report: PlayerReport = field(default_factory=PlayerReport)


class Players:
    """The players on a bus. Only those that are `wanted` are heard, or all."""

    def __init__(self, bus: Any, wanted: str) -> None:
        self._bus = bus
        self._wanted = [one.strip().casefold() for one in wanted.split(",") if one.strip()]
        self._players: dict[str, _Player] = {}
        """By their unique names, under which what they tell comes."""
        self._came: asyncio.Queue[Any] = asyncio.Queue(MOST_WAITING)
        self._gone = asyncio.ensure_future(bus.wait_for_disconnect())
        self._gone.add_done_callback(lambda gone: gone.cancelled() or gone.exception())
        bus.add_message_handler(self._hear)

    def _hear(self, message: Any) -> None:
        # What is dropped of a flood, the next look at every player makes good.
        if (message.path == PATH or message.member == "NameOwnerChanged") and not self._came.full():
            self._came.put_nowait(message)

    async def find(self) -> Fetched:
        """Find the players there are, and hear what they tell from now on."""
        for rule in (
            f"type='signal',path='{PATH}'",
            f"type='signal',sender='{BUS}',member='NameOwnerChanged',arg0namespace='{NAME}'",
        ):
            await self._call(BUS, "/org/freedesktop/DBus", BUS, "AddMatch", "s", [rule])
        (names,) = await self._call(BUS, "/org/freedesktop/DBus", BUS, "ListNames", "", [])
        items: list[Item] = []
        for name in sorted(str(one) for one in names if str(one).startswith(f"{NAME}.")):
            items += await self._met(name)
        return self._fetched(items)

    async def next(self) -> Fetched:
        """What is told next, or where the players are when nobody has told anything for a while. Raises SourceError."""
        items: list[Item] = []
        told = asyncio.ensure_future(self._came.get())
        try:
            done, _ = await asyncio.wait((told, self._gone), timeout=LOOK_S, return_when=asyncio.FIRST_COMPLETED)
        finally:
            told.cancel()
        if self._gone in done:
            raise SourceUnavailable("The bus of this login disconnected. Reconnecting.")
        if told in done:
            items += await self._heard(told.result())
            while not self._came.empty():
                items += await self._heard(self._came.get_nowait())
        else:
            for player in list(self._players.values()):
                items += await self._looked(player)
        return self._fetched(items)

    async def _met(self, name: str) -> list[Item]:
        """A player was found."""
        if len(self._players) >= MOST_PLAYERS:
            return []
        try:
            (owner,) = await self._call(BUS, "/org/freedesktop/DBus", BUS, "GetNameOwner", "s", [name])
            (said,) = await self._call(name, PATH, PROPERTIES, "Get", "ss", [NAME, "Identity"])
        except SourceUnavailable:
            return []
        label = self._label(str(_plain(said) or name.removeprefix(f"{NAME}.")))
        short = name.removeprefix(f"{NAME}.").partition(".")[0].casefold()
        if self._wanted and label.casefold() not in self._wanted and short not in self._wanted:
            return []
        self._players[owner] = player = _Player(name, label, TrackCourse(label))
        return await self._looked(player)

    def _label(self, wished: str) -> str:
        """What a player is called; a second one of the same name has a number."""
        taken, wished = {one.label for one in self._players.values()}, wished.strip()[:60] or "Player"
        label, number = wished, 2
        while label in taken:
            label, number = f"{wished} {number}", number + 1
        return label

    async def _looked(self, player: _Player) -> list[Item]:
        try:
            (told,) = await self._call(player.name, PATH, PROPERTIES, "GetAll", "s", [PLAYER])
        except SourceUnavailable:
            return []
        player.told = {str(name): _plain(value) for name, value in told.items()}
        return self._after(player)

    async def _heard(self, message: Any) -> list[Item]:
        if message.member == "NameOwnerChanged":
            name, old, new = message.body
            items = self._lost(old) if old else []
            return [*items, *(await self._met(name))] if new else items
        player = self._players.get(message.sender)
        if player is None or message.member not in ("PropertiesChanged", "Seeked"):
            return []
        if message.member == "Seeked":
            player.told["Position"] = _plain(message.body[0])
            return self._after(player)
        # What has changed is told without where it is: both are asked for together, so that they belong together.
        return await self._looked(player)

    def _lost(self, owner: str) -> list[Item]:
        player = self._players.pop(owner, None)
        if player is None:
            return []
        player.told = {}
        return self._after(player)

    def _after(self, player: _Player) -> list[Item]:
        player.report = report(player.told)
        return [Item(kind, data) for kind, data in player.course.after(player.report, time.monotonic())]

    def _fetched(self, items: list[Item]) -> Fetched:
        rows = [
            {
                "player": one.label,
                "playing": one.report.playing,
                **one.report.details,
                "position_s": one.report.position_s,
            }
            for one in self._players.values()
        ]
        hears = "; ".join(f"{one.label}: {heard(one.report)}" for one in self._players.values())
        note = f"Playing: {hears}" if hears else "No player is running. It connects as soon as one starts."
        return Fetched({"players": rows}, items=tuple(items), quiet=True, note=note)

    async def _call(
        self, to: str, path: str, interface: str, member: str, signature: str, body: list[Any]
    ) -> list[Any]:
        from dbus_fast import Message, MessageType
        from dbus_fast.errors import DBusError

        asked = Message(destination=to, path=path, interface=interface, member=member, signature=signature, body=body)
        try:
            async with asyncio.timeout(WITHIN_S):
                answer = await self._bus.call(asked)
        except (TimeoutError, DBusError, OSError, EOFError):
            raise SourceUnavailable(f"{to.removeprefix(NAME + '.')} doesn't answer on the bus.") from None
        if answer is None or answer.message_type is MessageType.ERROR:
            raise SourceUnavailable(f"The bus refused ({getattr(answer, 'error_name', 'no answer')}).")
        return list(answer.body)


def _plain(value: Any) -> Any:
    """A value without the wrappers of the bus."""
    inner = getattr(value, "value", value)
    if isinstance(inner, Mapping):
        return {str(name): _plain(one) for name, one in inner.items()}
    return [_plain(one) for one in inner] if isinstance(inner, list) else inner
