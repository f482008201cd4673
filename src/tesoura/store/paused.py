"""What came from somebody else's show or from a backup and does nothing yet: paused until the user starts it."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass

from sqlmodel import Session

from tesoura.store import state

CHOICE = "paused_imports"


@dataclass(frozen=True, slots=True)
class PausedImports:
    """The names of feeds and instruments, and the numbers of API keys, that wait to be started."""

    feeds: tuple[str, ...] = ()
    instruments: tuple[str, ...] = ()
    keys: tuple[int, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.feeds or self.instruments or self.keys)


def read(session: Session) -> PausedImports:
    """Return what waits to be started."""
    told = json.loads(state.choice(session, CHOICE) or "{}")
    return PausedImports(*(tuple(told.get(name, ())) for name in ("feeds", "instruments", "keys")))


def keep(session: Session, paused: PausedImports) -> None:
    """Write down what waits to be started."""
    told = {"feeds": list(paused.feeds), "instruments": list(paused.instruments), "keys": list(paused.keys)}
    state.choose(session, CHOICE, json.dumps(told))


def add(session: Session, feeds: Iterable[str], instruments: Iterable[str], keys: Iterable[int] = ()) -> None:
    """Let these wait too."""
    before = read(session)
    keep(session, PausedImports((*before.feeds, *feeds), (*before.instruments, *instruments), (*before.keys, *keys)))
