"""What needs somebody at the desk, each with the one press that mends it; and what comes next."""

from __future__ import annotations

import math
import shutil
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from flask import url_for

from tesoura.core.forms.durations import brief
from tesoura.core.instruments.runner import clock_words
from tesoura.core.values import INSTANT, Freshness
from tesoura.runtime.facade import Runtime
from tesoura.store import feeds
from tesoura.store import log as event_log
from tesoura.store.secrets import FILE_NAME as KEY_FILE
from tesoura.web.desk.cards import cards
from tesoura.web.shared.doors import now, runtime, settings, store
from tesoura.web.shared.pressing import address_of

LEAST_FREE_MB = 500
MOST_NEXT = 5
CLOCK_TOLD = timedelta(minutes=15)
"""A clock that was set is told for so long."""
SOON_S = 86_400.0
"""A sign-in that ends sooner than this needs somebody."""
_AWAY = {"irc": "The chat {title} is not joined", "scene": "The scene link {title} is away"}
"""What it means that a connection of this kind is down."""
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
    of_the_loop = (
        _of_imports,
        _of_practice,
        _of_feeds,
        _of_what_is_broken,
        _of_what_is_on_air,
        _of_pages,
        _of_connections,
    )
    told_by_the_loop = (one for ask in of_the_loop for one in runtime().call(ask))
    return [*_room(), *_of_the_clock(), *_of_secrets(), *told_by_the_loop, *_of_drafts()]


def _room() -> list[Need]:
    free_mb = shutil.disk_usage(store().folder).free // 1_000_000
    if free_mb >= LEAST_FREE_MB:
        return []
    words = f"The disk is nearly full: {free_mb} MB are left. Without room, nothing more can be kept."
    return [Need(words, "Log retention", url_for("preferences.show"))]


def _of_the_clock() -> list[Need]:
    """A clock that was set lately: what is counted goes on, and times of day are others."""
    found = store().read(lambda session: event_log.newest_before(session, event_log.CLOCK_SET, 2**62, 1))
    if not found or not timedelta() <= now() - found[0].accepted_at < CLOCK_TOLD:
        return []
    words = clock_words(found[0].event.data)
    return [
        Need(
            f"{words[0].upper()}{words[1:]}. Counts and running clocks go on; check what starts at a time of day.",
            "Show in the log",
            url_for("log.index", type=event_log.CLOCK_SET),
        )
    ]


def _of_secrets() -> list[Need]:
    """Feeds whose keys were sealed with a key file that is gone."""
    here = store()
    return [
        Need(
            f"{title}: its key can't be read, because Tesoura's key file was replaced. Type it again, or put the file "
            f"{KEY_FILE} back and restart.",
            "Settings",
            url_for("feeds.show", name=name),
        )
        for name, title in here.read(lambda session: feeds.unreadable(session, here.secrets)).items()
    ]


def _of_imports(self: Runtime) -> list[Need]:
    """What was imported and waits to be started."""
    waiting, feeds = self.paused.present, dict(self.feeds.titles())
    counts = (
        (sum(one in feeds for one in waiting.feeds), "feed"),
        (sum(one in self.engine.graph.runners for one in waiting.instruments), "instrument"),
        (len(waiting.keys), "API key"),
    )
    parts = [f"{count} {what}{'' if count == 1 else 's'}" for count, what in counts if count]
    if not parts:
        return []
    return [
        Need(
            f"Imported and paused: {', '.join(parts)}. Check their settings first.",
            "Start",
            address_of("show.start_imported", _then=url_for("desk.show")),
            True,
        )
    ]


def _of_practice(self: Runtime) -> list[Need]:
    """What comes from a service that ships with Tesoura is made up, and must not be taken for true."""
    practice = settings().practice
    made_up = tuple(one.partition("//")[2] for one in practice.addresses()) if practice is not None else ()
    return [
        Need(
            f"{one.title} uses the practice service, so its data is made up.",
            "Its feed",
            url_for("feeds.show", name=one.name),
        )
        for one in self.feeds.reports()
        if one.place.partition("/")[0] in made_up
    ]


def _of_feeds(self: Runtime) -> list[Need]:
    found, ends, at = [], self.feeds.sign_ins_end(), now().timestamp()
    away = {name: words for kind, words in _AWAY.items() for name in self.links.of_kind(kind)}
    unsteady = self.feed_watch.unsteady()
    for report in self.feeds.reports():
        if report.name in unsteady:
            often, why = unsteady[report.name]
            words = f"{report.title} keeps failing: {often} times in the last ten minutes. The last time: {why}"
            found.append(Need(words, "Settings", url_for("feeds.show", name=report.name)))
        elif report.state.freshness is Freshness.DOWN:
            problem = report.state.problem or "no data"
            words = away.get(report.name, "{title} is down").format(title=report.title)
            again = "Fetch now" if report.manner == "asked" else "Reconnect"
            found.append(
                Need(
                    f"{words}: {problem}",
                    again,
                    address_of("feed.ask", feed=report.name, _then=url_for("feeds.show", name=report.name)),
                    True,
                )
            )
        if (left_s := ends.get(report.name, math.inf) - at) < SOON_S:
            words = f"The sign-in of {report.title} ends in {brief(timedelta(seconds=_rounded(max(left_s, 1))))}."
            if left_s <= 0:
                words = f"The sign-in of {report.title} has ended."
            found.append(Need(words, "Sign in again", url_for("feeds.show", name=report.name)))
    return found


def _of_what_is_on_air(self: Runtime) -> list[Need]:
    """What does not fit or says nothing on an overlay that viewers' pages show."""
    audiences = self.stage.audiences()
    return [
        Need(f"{one.piece} on {one.overlay}: {one.why}", "View signals", url_for("mat.show", overlay_id=one.overlay_id))
        for one in self.stage.troubles()
        if audiences[one.overlay_id].pages
    ]


def _of_what_is_broken(self: Runtime) -> list[Need]:
    return [
        Need(f"{key} stopped by an error in Tesoura: {why}", "View signals", url_for("signals.show", find=key))
        for key, why in self.engine.graph.broken.items()
    ] + [
        Need(
            f"{name} failed and is being restarted ({why}). See the terminal for details.",
            "Help",
            url_for("help.index"),
        )
        for name, why in self.failing_loops().items()
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


def _of_connections(self: Runtime) -> list[Need]:
    """Other machines that take nearly all the room that there is for them."""
    open_ = self.listening.connections
    if not open_.is_nearly_full:
        return []
    words = f"Other machines hold {open_.count} of {open_.most} connections. Beyond that, new ones are refused."
    return [Need(words, "Network access", url_for("devices.index"))]


def _of_drafts() -> list[Need]:
    return [
        Need(
            f"{one.row.name}: the draft differs from what is on air.",
            "Compare",
            url_for("versions.compare", overlay_id=one.row.id),
        )
        for one in cards()
        if one.rev and one.differs
    ]


def upcoming() -> list[Upcoming]:
    """What comes by itself, the next first."""
    return runtime().call(_upcoming)


def _upcoming(self: Runtime) -> list[Upcoming]:
    titles = dict(self.feeds.titles())
    titles |= {one.name: one.title for one in self.instruments.setups()}
    at, found = now().timestamp(), []
    for signal in self.signals():
        feed, _, part = signal.name.partition(".")
        told = signal.value
        if signal.unit == INSTANT and part in _ENDS and isinstance(told, int | float) and told > at:
            left = brief(timedelta(seconds=_rounded(told - at)))
            found.append(Upcoming(f"{titles.get(feed, feed)} {_ENDS[part]}", datetime.fromtimestamp(told, UTC), left))
    for cue in self.instruments.all("cues"):
        waiting, free_at = cue.values.get("waiting"), cue.values.get("free_at")
        if isinstance(waiting, int | float) and waiting and isinstance(free_at, int | float) and free_at > at:
            words = f"{cue.setup.title} runs once more: {waiting:.0f} wait"
            left = brief(timedelta(seconds=_rounded(free_at - at)))
            found.append(Upcoming(words, datetime.fromtimestamp(free_at, UTC), left))
    return sorted(found, key=lambda one: one.at)[:MOST_NEXT]


def _rounded(seconds: float) -> int:
    """Seconds as one reads them from afar: whole minutes beyond ten minutes, whole hours beyond a day."""
    unit = 1 if seconds < 600 else 60 if seconds < 86_400 else 3_600
    return max(round(seconds / unit) * unit, 1)
