"""Telling the desks what has changed: topics, gathered for a moment, so that nobody is flooded."""

from __future__ import annotations

import asyncio
import contextvars
import secrets

from tesoura.outputs.broadcaster import Broadcaster

GATHER_S = 0.25


class Topics:
    """What the desks have yet to be told. Nothing is told before `start`."""

    def __init__(self, hub: Broadcaster) -> None:
        self._hub = hub
        self._loop: asyncio.AbstractEventLoop | None = None
        self._topics: set[str] = set()
        self._telling = False
        self._run, self._count = secrets.token_hex(4), 0
        self._last: dict[str, int] = {}

    def start(self) -> None:
        """Tell on the present loop from now on."""
        self._loop = asyncio.get_running_loop()

    def touch(self, *topics: str) -> None:
        """Something that the desks show has changed."""
        self._topics.update(topics)
        self._count += 1
        self._last |= dict.fromkeys(topics, self._count)
        if self._loop and not self._telling:
            self._telling = True
            self._loop.call_later(GATHER_S, self._tell, context=contextvars.Context())

    @property
    def mark(self) -> str:
        """The present place among all changes. A page that is drawn keeps it, and asks what came since."""
        return f"{self._run}.{self._count}"

    def since(self, mark: str) -> list[str]:
        """The topics that have changed since a mark was taken; all there are for a mark of another run."""
        run, _, count = mark.partition(".")
        seen = int(count) if run == self._run and count.isdecimal() and len(count) < 16 else -1
        return [topic for topic, last in self._last.items() if last > seen]

    def _tell(self) -> None:
        topics, self._topics, self._telling = self._topics, set(), False
        self._hub.touch_desks(topics)
