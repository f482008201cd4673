"""The kinds of feed there are: one folder beside this file each, which names a `FeedKind` as `KIND`."""

from __future__ import annotations

from collections.abc import Mapping

_HERE = "tesoura.feeds"

PLACES: Mapping[str, str] = {
    "calendar": f"{_HERE}.calendar",
    "channel": f"{_HERE}.channel",
    "clips": f"{_HERE}.clips",
    "file": f"{_HERE}.file",
    "follow": f"{_HERE}.follow",
    "hand": f"{_HERE}.hand",
    "http": f"{_HERE}.http",
    "mpris": f"{_HERE}.mpris",
    "mqtt": f"{_HERE}.mqtt",
    "music": f"{_HERE}.music",
    "music_online": f"{_HERE}.music_online",
    "listening": f"{_HERE}.listening",
    "music_file": f"{_HERE}.music_file",
    "player": f"{_HERE}.player",
    "recording": f"{_HERE}.recording",
    "script": f"{_HERE}.script",
    "socket": f"{_HERE}.socket",
    "sse": f"{_HERE}.sse",
    "webhook": f"{_HERE}.webhook",
}
"""Where each kind is, by its name, in the order in which they are offered."""
