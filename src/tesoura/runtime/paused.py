"""Holding the effects of what was imported and is paused."""

from __future__ import annotations

import asyncio

from tesoura.store.paused import read
from tesoura.store.store import Store

PREFIX = "instrument:"
"""How the source of what an instrument does by itself begins."""


class Paused:
    """Tells the executor of effects whose effects wait. One loop owns it."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self.present = store.read(read)

    async def refresh(self) -> None:
        """See what the store says now."""
        self.present = await asyncio.to_thread(self._store.read, read)

    def holds(self, actor: str) -> bool:
        """Whether nothing goes out yet of what this actor does by itself."""
        return actor.startswith(PREFIX) and actor.removeprefix(PREFIX) in self.present.instruments
