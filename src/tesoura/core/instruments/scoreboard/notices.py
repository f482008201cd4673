"""Notices: lines of text beside the score; one is seen, the others wait their turn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from datetime import datetime, timedelta
from typing import Any

MOST_NOTICES = 20


@dataclass(frozen=True, slots=True)
class Notice:
    """One notice. It is seen for `for_s` seconds, or until it is deleted where that is 0.

    One that waits for the end of the rally is not `ready` before.
    """

    number: int
    title: str
    text: str
    for_s: float = 0.0
    ready: bool = True
    shown_at: datetime | None = None

    @property
    def ends_at(self) -> datetime | None:
        """When it goes by itself."""
        return self.shown_at + timedelta(seconds=self.for_s) if self.shown_at is not None and self.for_s else None


Notices = tuple[Notice, ...]


def showing(notices: Notices) -> Notice | None:
    """The one that is seen."""
    return next((one for one in notices if one.shown_at is not None), None)


def driven(notices: Notices, at: datetime) -> Notices:
    """Them at this instant: what is over gone, the next of them seen from then on."""
    while True:
        seen = showing(notices)
        if seen is not None and (seen.ends_at is None or seen.ends_at > at):
            return notices
        begins = at if seen is None or seen.ends_at is None else seen.ends_at
        rest = tuple(one for one in notices if one is not seen)
        following = next((one for one in rest if one.ready), None)
        if following is None:
            return rest
        notices = tuple(replace(one, shown_at=begins) if one is following else one for one in rest)


def rally_over(notices: Notices) -> Notices:
    """Them after a rally: those that waited for its end are ready."""
    return tuple(replace(one, ready=True) for one in notices)


def without(notices: Notices, number: int) -> Notices:
    """Them without one."""
    return tuple(one for one in notices if one.number != number)


def saved_notices(notices: Notices) -> list[dict[str, Any]]:
    """Them, to be stored."""
    return [{**asdict(one), "shown_at": one.shown_at.isoformat() if one.shown_at else None} for one in notices]


def notices_of(saved: list[Mapping[str, Any]]) -> Notices:
    """Notices as they were stored."""
    return tuple(
        Notice(**{**one, "shown_at": datetime.fromisoformat(one["shown_at"]) if one["shown_at"] else None})
        for one in saved
    )
