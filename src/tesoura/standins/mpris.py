"""The music player, heard over D-Bus as players on Linux are (MPRIS)."""

from __future__ import annotations

import asyncio
import threading
from typing import Any

from dbus_fast import Message, MessageType, Variant
from dbus_fast.aio import MessageBus

from tesoura.standins.music import MusicPlayer

NAME, PATH = "org.mpris.MediaPlayer2", "/org/mpris/MediaPlayer2"
PLAYER, PROPERTIES = f"{NAME}.Player", "org.freedesktop.DBus.Properties"


class MprisPlayer:
    """A player on a bus: what `player` plays, told as `name`. Whoever changes the player calls `tell` or `seeked`."""

    def __init__(self, bus_address: str, player: MusicPlayer, name: str = "Kettle") -> None:
        self.player, self.name = player, name
        self._address = bus_address
        self._loop = asyncio.new_event_loop()
        self._ready = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._bus: Any = None

    def start(self) -> None:
        """Come onto the bus."""
        self._thread.start()
        self._ready.wait(5)

    def stop(self) -> None:
        """Leave it, as a player that ends or crashes."""
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(5)

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._loop.run_until_complete(self._come())
        self._ready.set()
        self._loop.run_forever()
        if self._bus is not None:
            self._bus.disconnect()
        self._loop.run_until_complete(asyncio.sleep(0.05))
        self._loop.close()

    async def _come(self) -> None:
        self._bus = await MessageBus(bus_address=self._address).connect()
        self._bus.add_message_handler(self._asked)
        await self._bus.call(
            Message(
                destination="org.freedesktop.DBus",
                path="/org/freedesktop/DBus",
                interface="org.freedesktop.DBus",
                member="RequestName",
                signature="su",
                body=[f"{NAME}.{self.name.lower()}", 0],
            )
        )

    def tell(self) -> None:
        """Tell that something changed."""
        changed = {name: value for name, value in self._properties().items() if name != "Position"}
        self._signal(PROPERTIES, "PropertiesChanged", "sa{sv}as", [PLAYER, changed, []])

    def seeked(self) -> None:
        """Tell where it is now."""
        self._signal(PLAYER, "Seeked", "x", [int(self.player.position_s() * 1_000_000)])

    def _signal(self, interface: str, member: str, signature: str, body: list[Any]) -> None:
        message = Message(
            message_type=MessageType.SIGNAL,
            path=PATH,
            interface=interface,
            member=member,
            signature=signature,
            body=body,
        )
        self._loop.call_soon_threadsafe(self._bus.send, message)

    def _properties(self) -> dict[str, Any]:
        now = self.player.now()
        track = now["track"] or {}
        status = {"playing": "Playing", "paused": "Paused"}.get(now["state"], "Stopped")
        metadata = {"mpris:trackid": Variant("o", f"/track/{track.get('id', 'none')}")}
        if track:
            metadata |= {
                "xesam:title": Variant("s", track["title"]),
                "xesam:artist": Variant("as", track["artists"]),
                "mpris:length": Variant("x", int(track["length"] * 1_000_000)),
            }
            metadata |= {"xesam:album": Variant("s", track["album"])} if track["album"] else {}
            metadata |= {"mpris:artUrl": Variant("s", track["cover"])} if track["cover"] else {}
        return {
            "PlaybackStatus": Variant("s", status),
            "Metadata": Variant("a{sv}", metadata),
            "Position": Variant("x", int(now.get("position", 0) * 1_000_000)),
        }

    def _asked(self, message: Any) -> Any:
        if message.message_type is not MessageType.METHOD_CALL or message.path != PATH:
            return None
        if message.member == "Get" and message.body[1] == "Identity":
            return Message.new_method_return(message, "v", [Variant("s", self.name)])
        if message.member == "GetAll":
            return Message.new_method_return(message, "a{sv}", [self._properties()])
        return None
