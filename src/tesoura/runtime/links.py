"""Links that run: the feeds that are talked with, while they are open and while they are not."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from tesoura.feeds.api import Link
from tesoura.runtime.feeds import Feeds

if TYPE_CHECKING:
    from tesoura.links.scene.door import Arrived


class Links:
    """The way to what is open among the feeds."""

    def __init__(self, feeds: Feeds) -> None:
        self._feeds = feeds

    def choices(self, name: str) -> Mapping[str, Any] | None:
        """The choices of a feed that runs; None when there is none of that name."""
        running = self._feeds.named(name)
        return running.choices if running else None

    def link(self, name: str) -> Link | None:
        """What can be talked with under this name; None while it is not open."""
        running = self._feeds.named(name)
        return running.context.link if running else None

    def standing(self, name: str) -> Mapping[str, Any] | None:
        """How a link stands, for its page; None while it is not open."""
        link = self.link(name)
        return link.standing() if link else None

    def of_kind(self, kind: str) -> dict[str, Link | None]:
        """All links of a kind, by name, in the order in which they were made."""
        return {name: one.context.link for name, one in self._feeds.of_kind(kind).items()}

    async def arrive(self, name: str, wire: Arrived) -> str | None:
        """A program has connected for the scene link of this name; why it is not let in, if it is not."""
        running = self._feeds.named(name)
        if running is None or running.kind.name != "scene" or running.choices.get("way") != "listen":
            return "No scene link expects a connection here. Check the address on its page."
        arrivals: asyncio.Queue[Arrived] = running.context.scratch.setdefault("arrivals", asyncio.Queue(1))
        if running.paused or running.poller is None:
            return "This link is paused."
        if running.context.link is not None or arrivals.full():
            return "Another program is already connected."
        rests_s = running.poller.next_try_in_s
        if rests_s is not None and running.proof.wants_key:
            # Whoever tries passwords waits longer each time, as everybody does who was refused.
            return f"Wrong password before. Try again in {rests_s:.0f} s."
        arrivals.put_nowait(wire)
        if rests_s is not None:
            # It rests after a failure: here is somebody, so it need not.
            running.poller.ask_now()
        return None

    def memory(self, name: str) -> Mapping[str, Any]:
        """What a feed remembers over a restart."""
        running = self._feeds.named(name)
        return running.context.memory if running else {}
