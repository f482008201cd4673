"""The kinds of feed there are: one folder beside this file each, which names a `FeedKind` as `KIND`."""

from __future__ import annotations

from tesoura.core.kinds import Kinds
from tesoura.feeds.api import FeedKind

_HERE = "tesoura.feeds"

KINDS: Kinds[FeedKind] = Kinds(
    {
        "calendar": f"{_HERE}.calendar",
        "channel": f"{_HERE}.channel",
        "file": f"{_HERE}.file",
        "follow": f"{_HERE}.follow",
        "hand": f"{_HERE}.hand",
        "http": f"{_HERE}.http",
        "mqtt": f"{_HERE}.mqtt",
        "player": f"{_HERE}.player",
        "script": f"{_HERE}.script",
        "socket": f"{_HERE}.socket",
        "sse": f"{_HERE}.sse",
        "webhook": f"{_HERE}.webhook",
    }
)
"""Every kind by name, in the order in which they are offered."""
