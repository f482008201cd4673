"""What came in with somebody else's show and does nothing yet: paused until the user starts it."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from sqlmodel import Session

from tesoura.store import state
from tesoura.store.store import Store

CHOICE = "paused_imports"
PREFIX = "instrument:"
"""How the source of what an instrument does by itself begins."""


@dataclass(frozen=True, slots=True)
class PausedImports:
    """The names of the feeds and the instruments that wait to be started."""

    feeds: tuple[str, ...] = ()
    instruments: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.feeds or self.instruments)


def read(session: Session) -> PausedImports:
    """Return what waits to be started."""
    told = json.loads(state.choice(session, CHOICE) or "{}")
    return PausedImports(tuple(told.get("feeds", ())), tuple(told.get("instruments", ())))


def keep(session: Session, paused: PausedImports) -> None:
    """Write down what waits to be started."""
    told = {"feeds": list(paused.feeds), "instruments": list(paused.instruments)}
    state.choose(session, CHOICE, json.dumps(told))


def add(session: Session, feeds: Sequence[str], instruments: Iterable[str]) -> None:
    """Let these wait too."""
    before = read(session)
    keep(session, PausedImports((*before.feeds, *feeds), (*before.instruments, *instruments)))


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
