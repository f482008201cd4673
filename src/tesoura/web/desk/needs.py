"""What needs somebody at the desk, each with the one press that mends it; and what comes next."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from flask import url_for

from tesoura.core.forms.durations import brief
from tesoura.core.values import INSTANT, Freshness
from tesoura.runtime.facade import Runtime
from tesoura.web.shared.doors import now, runtime, store

LEAST_FREE_MB = 500
MOST_NEXT = 5
_ENDS = {"ends_at": "ends", "starts_at": "begins"}
"""The parts of signals that tell what comes, and the words for it."""


@dataclass(frozen=True, slots=True)
class Need:
    """One thing that needs somebody: in words, and what a press does; a link where nothing can be done from here."""

    words: str
    press: str
    to: str
    posts: bool = False


@dataclass(frozen=True, slots=True)
class Upcoming:
    """Something that comes by itself."""

    words: str
    at: datetime
    left: str


def needs() -> list[Need]:
    """All that needs somebody now, the gravest first."""
    return [*_room(), *runtime().call(_of_feeds), *runtime().call(_of_what_is_broken), *runtime().call(_of_pages)]


def _room() -> list[Need]:
    free_mb = shutil.disk_usage(store().folder).free // 1_000_000
    if free_mb >= LEAST_FREE_MB:
        return []
    words = f"The disk is nearly full: {free_mb} MB are left. Without room, nothing more can be kept."
    return [Need(words, "How long the log is kept", url_for("preferences.show"))]


def _of_feeds(self: Runtime) -> list[Need]:
    found = []
    for report in self.feeds.reports():
        if report.state.freshness is Freshness.DOWN:
            words = f"{report.title} is down: {report.state.problem or 'nothing comes'}"
            again = "Ask now" if report.manner == "asked" else "Open it anew"
            found.append(Need(words, again, url_for("feeds.ask", name=report.name), True))
    return found


def _of_what_is_broken(self: Runtime) -> list[Need]:
    return [
        Need(f"{key} stopped by an error of Tesoura's: {why}", "Look at it", url_for("signals.show", find=key))
        for key, why in self.engine.graph.broken.items()
    ]


def _of_pages(self: Runtime) -> list[Need]:
    found = []
    for overlay_id, audience in self.stage.audiences().items():
        if audience.silent:
            words = (
                f"{audience.silent} page{'s' if audience.silent > 1 else ''} may play no sound. Touch it once there."
            )
            found.append(Need(words, "Which one", url_for("links.show", overlay_id=overlay_id)))
    return found


def upcoming() -> list[Upcoming]:
    """What comes by itself, the next first."""
    return runtime().call(_upcoming)


def _upcoming(self: Runtime) -> list[Upcoming]:
    titles = dict(self.feeds.titles())
    titles |= {one.setup.name: str(one.setup.choices["title"]) for one in self.instruments.all()}
    at, found = now().timestamp(), []
    for signal in self.signals():
        feed, _, part = signal.name.partition(".")
        told = signal.value
        if signal.unit == INSTANT and part in _ENDS and isinstance(told, int | float) and told > at:
            left = brief(timedelta(seconds=_rounded(told - at)))
            found.append(Upcoming(f"{titles.get(feed, feed)} {_ENDS[part]}", datetime.fromtimestamp(told, UTC), left))
    return sorted(found, key=lambda one: one.at)[:MOST_NEXT]


def _rounded(seconds: float) -> int:
    """Seconds as one reads them from afar: whole minutes beyond ten minutes, whole hours beyond a day."""
    unit = 1 if seconds < 600 else 60 if seconds < 86_400 else 3_600
    return max(round(seconds / unit) * unit, 1)
