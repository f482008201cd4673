"""What sets a cue off, and what that has in common: something that happens, a value that gets somewhere, a time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Protocol

from tesoura.core.computed.occurrence import Occurrence
from tesoura.core.cues.limits import Cause
from tesoura.core.values import Scalar


@dataclass(frozen=True, slots=True)
class Seen:
    """What a trigger has seen so far. `armed` says whether a value is on the side from which it can cross; `value` is
    what it was and `since` from when; `done` is the instant of a schedule that was the last one."""

    armed: bool | None = None
    value: Scalar | None = None
    since: datetime | None = None
    done: datetime | None = None

    def saved(self) -> dict[str, Any]:
        """As it is stored."""
        instants = {name: at.isoformat() for name in ("since", "done") if (at := getattr(self, name)) is not None}
        return {"armed": self.armed, "value": self.value, **instants}


def seen_of(saved: Mapping[str, Any]) -> Seen:
    """What a trigger had seen that was stored."""
    since, done = (datetime.fromisoformat(str(at)) if (at := saved.get(name)) else None for name in ("since", "done"))
    return Seen(saved.get("armed"), saved.get("value"), since, done)


class Trigger(Protocol):
    """One way to be set off. It reads no clock: it is told each event, and the values it reads with the instant."""

    @property
    def types(self) -> tuple[str, ...]:
        """The events it listens to."""
        ...

    @property
    def reads(self) -> tuple[str, ...]:
        """The signals it reads."""
        ...

    def of_event(self, event: Occurrence) -> Cause | None:
        """What an event of one of its types causes."""
        ...

    def see(self, seen: Seen, values: Mapping[str, Scalar], now: datetime) -> tuple[Seen, Cause | None]:
        """What it has seen by now, and what that causes."""
        ...

    def next_change(self, seen: Seen, now: datetime) -> datetime | None:
        """When time alone sets it off."""
        ...

    def words(self) -> str:
        """It, in the words that follow “When”."""
        ...


class Deaf:
    """Hears no event."""

    __slots__ = ()
    types: tuple[str, ...] = ()

    def of_event(self, event: Occurrence) -> Cause | None:
        """Nothing."""
        return None


class Blind:
    """Looks at no value and no clock."""

    __slots__ = ()
    reads: tuple[str, ...] = ()

    def see(self, seen: Seen, values: Mapping[str, Scalar], now: datetime) -> tuple[Seen, Cause | None]:
        """Nothing new."""
        return seen, None

    def next_change(self, seen: Seen, now: datetime) -> datetime | None:
        """Never."""
        return None
