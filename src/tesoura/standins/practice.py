"""The stand-ins that somebody starts from a page, to try Tesoura with. They run in the same program."""

from __future__ import annotations

import contextlib
import json
import threading
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, Protocol

NOTED = "practice.json"
"""Which of them were started, and where, so that they answer at the same address after a restart."""


class _Service(Protocol):
    @property
    def address(self) -> str: ...

    def start(self) -> None: ...

    def stop(self) -> None: ...


def _members(port: int) -> tuple[_Service, Mapping[str, str]]:
    from tesoura.standins.members import MembersService

    service = MembersService(port=port)
    service.start()
    return service, {"address": f"{service.address}/channels/mara_vane"}


def _ratings(port: int) -> tuple[_Service, Mapping[str, str]]:
    from tesoura.standins.evening import STREAMER
    from tesoura.standins.ratings import DEFAULT_KEY, RatingService

    service = RatingService(port)
    service.start()
    return service, {"address": service.address, "player": STREAMER, "key_in": "header", "key": DEFAULT_KEY}


def _music(port: int) -> tuple[_Service, Mapping[str, str]]:
    from tesoura.standins.music import MusicPlayer

    player = MusicPlayer(port)
    player.start()
    player.play(0)
    return player, {"address": player.socket_address}


STARTS: Mapping[str, tuple[Callable[[int], tuple[_Service, Mapping[str, str]]], int]] = {
    "members": (_members, 8770),
    "ratings": (_ratings, 8775),
    "music": (_music, 8780),
}
"""What can be started, and at which port first."""


class Practice:
    """The stand-ins that run for one data folder."""

    def __init__(self, folder: Path) -> None:
        self._noted, self._lock = folder / NOTED, threading.Lock()
        self._running: dict[str, tuple[_Service, Mapping[str, str]]] = {}

    def start(self, name: str) -> Mapping[str, str]:
        """Start one, unless it runs; what a feed of it is set up with. Raises LookupError, and OSError."""
        with self._lock:
            if name not in self._running:
                self._running[name] = self._begin(name, STARTS[name][1])
                self._note()
            return self._running[name][1]

    def _begin(self, name: str, port: int) -> tuple[_Service, Mapping[str, str]]:
        begin, _ = STARTS[name]
        try:
            return begin(port)
        except OSError:
            # Something else is there.
            return begin(0)

    def resume(self) -> None:
        """Start those again that ran when Tesoura ended, at the addresses that they had."""
        with contextlib.suppress(OSError, ValueError, AttributeError):
            noted: Mapping[str, Any] = json.loads(self._noted.read_text("utf-8"))
            for name, port in noted.items():
                if name in STARTS and isinstance(port, int):
                    with self._lock, contextlib.suppress(OSError):
                        self._running[name] = STARTS[name][0](port)

    def addresses(self) -> tuple[str, ...]:
        """Where those that run answer."""
        return tuple(service.address for service, _ in self._running.values())

    def stop(self) -> None:
        """End them all."""
        for service, _ in self._running.values():
            service.stop()
        self._running.clear()

    def _note(self) -> None:
        ports = {name: int(one.address.rsplit(":", 1)[1]) for name, (one, _) in self._running.items()}
        made = self._noted.with_suffix(".new")
        made.write_text(json.dumps(ports), "utf-8")
        made.replace(self._noted)
