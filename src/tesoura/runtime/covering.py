"""Whether what is private is covered on all pages: by default while a stream session runs, else as was chosen."""

from __future__ import annotations

import asyncio

from sqlmodel import Session

from tesoura.runtime.sessions import Sessions
from tesoura.store import state
from tesoura.store.store import Store

KEPT = "covering"


class Covering:
    """What was chosen, and for which session: a new one covers again."""

    def __init__(self, store: Store, sessions: Sessions) -> None:
        self._store, self._sessions = store, sessions
        self._chosen = store.read(lambda session: state.choice(session, KEPT)) or ""

    def _session(self) -> str:
        began = self._sessions.started_at
        return began.isoformat() if began is not None else "none"

    @property
    def covered(self) -> bool:
        """Whether it is covered now."""
        chosen, _, session = self._chosen.partition(" ")
        return chosen == "yes" if session == self._session() else self._sessions.started_at is not None

    async def choose(self, covered: bool) -> None:
        """Cover it, or show it, until a new session begins."""
        self._chosen = kept = f"{'yes' if covered else 'no'} {self._session()}"

        def job(session: Session) -> None:
            state.choose(session, KEPT, kept)

        await asyncio.wrap_future(self._store.writer.submit(job))
