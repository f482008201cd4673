"""From what a player answers to events: shared by all kinds of feed that tell of music."""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import Any

from tesoura.core.tracks.course import PlayerReport, TrackCourse
from tesoura.core.tracks.reading import WAYS, found_in, heard, report_of
from tesoura.errors import ResponseNotUnderstood
from tesoura.feeds.api import Fetched, Item
from tesoura.feeds.picks import search


class Teller:
    """What one open connection to a player has told so far.

    What an account's service answers may name its owner: of a `private` one, nothing but the track is passed on.
    """

    def __init__(self, choices: Mapping[str, Any], where: str, private: bool = False) -> None:
        self._choices, self._where, self._private = choices, where, private
        self._course = TrackCourse()

    def report(self, payload: object) -> PlayerReport:
        """How the player stands. Raises ResponseNotUnderstood when no title is found in what it tells."""
        ways = {name: str(self._choices.get(f"at_{name}") or "") for name in WAYS}
        told = found_in(payload)
        for name, way in ways.items():
            if way:
                told[name] = search(payload, way)
        if not told and _says_something(payload):
            raise ResponseNotUnderstood(
                f"No title found in the response of {self._where} . Set its path under “More settings”.",
                "" if self._private else str(payload)[:300],
            )
        return report_of(told, str(self._choices.get("unit", "guess")))

    def fetched(self, payload: object, size: int = 0, took_ms: float = 0.0) -> Fetched:
        """What to pass on of an answer: the events that follow, and in words what was heard."""
        report = self.report(payload)
        items = self.items(report)
        if self._private:
            payload = {**report.details, "position_s": report.position_s, "playing": report.playing}
        return Fetched(
            payload,
            size,
            took_ms,
            items=items,
            quiet=True,
            note=f"Playing: {heard(report)}." if not report.nothing else heard(report),
        )

    def items(self, report: PlayerReport) -> tuple[Item, ...]:
        """The events that follow from a report."""
        return tuple(Item(kind, data) for kind, data in self._course.after(report, time.monotonic()))


def _says_something(payload: object) -> bool:
    """Whether there is anything beside words on how it stands: a player that plays nothing may say just that."""
    if not isinstance(payload, Mapping):
        return payload not in (None, "", [])
    return any(isinstance(value, Mapping | list) and value for value in payload.values()) and len(payload) > 2
