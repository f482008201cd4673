"""Controls of panels that move, as links tell of them: gathered where many come, the newest kept."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncGenerator

from tesoura.core.desk.controls import ControlMoved
from tesoura.feeds.api import Fetched

MOST_WAITING, MOST_CONTROLS = 500, 200


class Moves:
    """What was moved and is not yet taken in."""

    def __init__(self) -> None:
        self._coming: asyncio.Queue[ControlMoved] = asyncio.Queue(MOST_WAITING)
        self.heard = self.dropped = 0

    def add(self, moved: ControlMoved) -> None:
        """A control was moved."""
        self.heard += 1
        if self._coming.full():
            # The newest place of a fader is worth more than an old one.
            self._coming.get_nowait()
            self.dropped += 1
        self._coming.put_nowait(moved)

    async def told(self) -> AsyncGenerator[Fetched]:
        """Each move, with where all controls stand by then."""
        stand: dict[str, float] = {}
        while True:
            moved = await self._coming.get()
            if moved.sign in stand or len(stand) < MOST_CONTROLS:
                stand[moved.sign] = moved.value
            yield Fetched(dict(stand), quiet=True, control=moved)
