"""Telling the desks what has changed: topics, gathered for a moment, so that nobody is flooded."""

from __future__ import annotations

import asyncio

from tesoura.outputs.broadcaster import Broadcaster

GATHER_S = 0.25


class Topics:
    """What the desks have yet to be told. Nothing is told before `start`."""

    def __init__(self, hub: Broadcaster) -> None:
        self._hub = hub
        self._loop: asyncio.AbstractEventLoop | None = None
        self._topics: set[str] = set()
        self._telling = False

    def start(self) -> None:
        """Tell on the present loop from now on."""
        self._loop = asyncio.get_running_loop()

    def touch(self, *topics: str) -> None:
        """Something that the desks show has changed."""
        self._topics.update(topics)
        if self._loop and not self._telling:
            self._telling = True
            self._loop.call_later(GATHER_S, self._tell)

    def _tell(self) -> None:
        topics, self._topics, self._telling = self._topics, set(), False
        self._hub.touch_desks(topics)
