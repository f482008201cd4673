"""Outages: the times in which feeds failed, told from when each went down and came back."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime

from tesoura.core.cues.happenings import DOWN
from tesoura.core.values import Event


@dataclass(frozen=True, slots=True)
class Outage:
    """A time in which a feed failed: which feed, from when until when, and why. `until` is None where none was told."""

    feed: str
    began: datetime
    until: datetime | None
    why: str

    @property
    def length_s(self) -> float | None:
        """How long it failed, in seconds."""
        return (self.until - self.began).total_seconds() if self.until else None


def outages(changes: Iterable[Event]) -> list[Outage]:
    """The outages that changes of feeds tell of, given in the order in which they happened.

    A feed that goes down twice came back in between without that being told: Tesoura was off then.
    """
    going_on: dict[str, Outage] = {}
    over: list[Outage] = []
    for event in changes:
        feed = str(event.data.get("feed"))
        before = going_on.pop(feed, None)
        if event.data.get("state") == DOWN:
            if before is not None:
                over.append(before)
            going_on[feed] = Outage(feed, event.time, None, str(event.data.get("why") or ""))
        elif before is not None:
            over.append(replace(before, until=event.time))
    return sorted([*over, *going_on.values()], key=lambda one: one.began)
