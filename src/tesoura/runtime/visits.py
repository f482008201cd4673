"""Visits from the network that were ended by signing out: a copy of their cookie is no longer accepted."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Callable
from datetime import datetime, timedelta

from sqlmodel import Session

from tesoura.store import state
from tesoura.store.store import Store

KEPT = "signed_out"
LASTING = timedelta(days=30)
"""How long somebody stays signed in, and so how long an ended visit is remembered."""


class Visits:
    """The visits that were ended. One loop owns it; anyone may ask."""

    def __init__(self, store: Store, clock: Callable[[], datetime]) -> None:
        self._store, self._clock = store, clock
        self._until: dict[str, float] = json.loads(store.read(lambda session: state.choice(session, KEPT)) or "{}")

    def has_ended(self, visit: str) -> bool:
        """Whether this visit was ended."""
        return visit in self._until

    async def end(self, visit: str) -> None:
        """End a visit, durably."""
        at = self._clock()
        kept = {one: until for one, until in self._until.items() if until > at.timestamp()}
        self._until = {**kept, visit: (at + LASTING).timestamp()}
        told = json.dumps(self._until)

        def job(session: Session) -> None:
            state.choose(session, KEPT, told)

        await asyncio.wrap_future(self._store.writer.submit(job))
