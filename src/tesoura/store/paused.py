"""Parts of an imported show or a restored backup that stay paused until the user starts them."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass

from sqlmodel import Session

from tesoura.store import state

CHOICE = "paused_imports"


@dataclass(frozen=True, slots=True)
class PausedImports:
    """The names of paused feeds and instruments, and the ids of switched-off API keys."""

    feeds: tuple[str, ...] = ()
    instruments: tuple[str, ...] = ()
    keys: tuple[int, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.feeds or self.instruments or self.keys)


def read(session: Session) -> PausedImports:
    """Return the paused parts."""
    told = json.loads(state.choice(session, CHOICE) or "{}")
    return PausedImports(*(tuple(told.get(name, ())) for name in ("feeds", "instruments", "keys")))


def keep(session: Session, paused: PausedImports) -> None:
    """Store the paused parts."""
    told = {"feeds": list(paused.feeds), "instruments": list(paused.instruments), "keys": list(paused.keys)}
    state.choose(session, CHOICE, json.dumps(told))


def add(session: Session, feeds: Iterable[str], instruments: Iterable[str], keys: Iterable[int] = ()) -> None:
    """Add paused parts."""
    before = read(session)
    keep(session, PausedImports((*before.feeds, *feeds), (*before.instruments, *instruments), (*before.keys, *keys)))
