"""Every kind of connection: those that are read, and those that are talked with."""

from __future__ import annotations

from tesoura.core.kinds import Kinds
from tesoura.feeds.api import FeedKind
from tesoura.feeds.registry import PLACES

KINDS: Kinds[FeedKind] = Kinds(
    {
        **PLACES,
        "irc": "tesoura.links.irc",
        "scene": "tesoura.links.scene",
        "osc": "tesoura.links.osc",
        "midi": "tesoura.links.midi",
    }
)
"""Every kind by name, in the order in which they are offered."""
