"""The demo: a data folder with the show in it, its outside services, and an evening that goes on by itself."""

from __future__ import annotations

import itertools
import threading
import time
import uuid
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

import httpx
from sqlmodel import Session

from tesoura.core.overlays import Overlay, TextPiece
from tesoura.core.values import Freshness, Signal
from tesoura.standins.evening import Beat, evening
from tesoura.standins.members import DEFAULT_KEY, MembersService
from tesoura.store import feeds as stored_feeds
from tesoura.store import keys, state
from tesoura.store import overlays as stored_overlays
from tesoura.store.store import Store
from tesoura.store.tables import FeedRow, SignalRow

PREROLL = 110
KEY_NAME = "demo evening"


@dataclass(frozen=True, slots=True)
class _Feed:
    name: str
    title: str
    path: str
    signals: tuple[tuple[str, str, str], ...]
    keyed: bool = False


FEEDS = (
    _Feed(
        "reach", "Reach", "/channels/mara_vane",
        (("members", "channel.members", "kite friends"), ("viewers", "channel.viewers", "watching")),
    ),
    _Feed("rival", "Otto's count", "/channels?name=otto_knot", (("members", "channels[0].members", "kite friends"),)),
    _Feed("exact", "Exact count", "/channels/mara_vane/exact", (("members", "exact.members", "kite friends"),), True),
)  # fmt: skip

COUNT = TextPiece(
    id="count", name="Kite friends", wording="{reach.members:,} kite friends", nothing_yet="— kite friends",
    x=96, y=900, typeface="Bricolage Grotesque", size_px=64, weight=700, colour="#FFFDF8",
    backing_colour="#1E2A38", backing_opacity_pct=86, corner_px=14, padding_px=26, grow_digits=1,
)  # fmt: skip
CUTS = TextPiece(
    id="cuts", name="Cuts", nothing_yet="No cuts yet",
    wording="{kill.count_this_session} {plural(kill.count_this_session, 'cut', 'cuts')} tonight",
    x=1824, y=72, typeface="Big Shoulders", size_px=84, weight=800, colour="#FFE9B8",
    backing_colour="#43305A", backing_opacity_pct=92, corner_px=6, padding_px=20, align="right",
    grow_toward="left", grow_digits=2,
)  # fmt: skip
SONG = TextPiece(
    id="song", name="Song", wording="{song.title}\n{song.artist}", nothing_yet="", x=1824, y=880, typeface="Fredoka",
    size_px=40, weight=500, colour="#1E2A38", backing_colour="#F6F1E7", backing_opacity_pct=94, corner_px=22,
    padding_px=24, align="right", grow_toward="left", grow_digits=0,
)  # fmt: skip
GIFT = TextPiece(
    id="gift", name="Last gift", wording="{gift.name} · {gift.spools} {plural(gift.spools, 'spool', 'spools')}",
    nothing_yet="", x=96, y=816, typeface="Sora", size_px=36, weight=600, colour="#FFFDF8",
    backing_colour="#B33520", backing_opacity_pct=94, corner_px=40, padding_px=24, grow_digits=1,
)  # fmt: skip


def seed_folder(store: Store, service: MembersService, now: datetime) -> str:
    """Fill an empty data folder with the show, or point a filled one at this run's services; a key for the story."""

    def job(session: Session) -> str:
        if not stored_feeds.all_feeds(session):
            _fill(session, store, service, now)
        for feed in FEEDS:
            row = stored_feeds.by_name(session, feed.name)
            if row is not None:
                row.choices = {**row.choices, "address": service.address + feed.path}
                session.add(row)
        return keys.new_key(session, KEY_NAME, now)

    return store.write(job)


def _fill(session: Session, store: Store, service: MembersService, now: datetime) -> None:
    for feed in FEEDS:
        choices: dict[str, Any] = {"address": "", "key_in": "none", "period_s": 2.0}
        if feed.keyed:
            choices |= {"key_in": "header", "key_name": "X-Key", "period_s": 5.0}
        row: FeedRow = stored_feeds.add_feed(session, feed.name, feed.title, "http", choices, now)
        if feed.keyed:
            stored_feeds.keep_secrets(session, row.id or 0, {"key": DEFAULT_KEY}, store.secrets)
        for field, path, unit in feed.signals:
            session.add(SignalRow(name=f"{feed.name}.{field}", feed_id=row.id or 0, path=path, unit=unit))
    state.save(session, [_past("reach", "mara_vane", service, now), _past("rival", "otto_knot", service, now)], 0, True)
    for name, pieces in (("Kite friends", (COUNT,)), ("Cup evening", (COUNT, CUTS, SONG, GIFT))):
        overlay = stored_overlays.new_overlay(session, name, Overlay(pieces=pieces), now)
        stored_overlays.publish(session, overlay, now)
    state.start_session(session, now - timedelta(minutes=12))


def _past(feed: str, channel: str, service: MembersService, now: datetime) -> state.SavedSignal:
    # The ten minutes before the demo opened, so that there is a line to see at once.
    trail = tuple((now.timestamp() - before_s, float(count)) for before_s, count in service.past(channel))
    count = int(trail[-1][1])
    signal = Signal(f"{feed}.members", count, "kite friends", now, Freshness.LATE, trail=trail)
    return state.SavedSignal(signal, feed, None, None)


class Story(threading.Thread):
    """Posts the evening to the API, as an outside program would: what came before at once, the rest in its time."""

    def __init__(self, address: str, key: str, seed: int, speed: float) -> None:
        super().__init__(name="tesoura-demo-story", daemon=True)
        self._beats = evening(seed)
        self._speed = max(speed, 0.01)
        self._source = f"evening:{uuid.uuid4().hex[:8]}"
        self._client = httpx.Client(base_url=address, headers={"Authorization": f"Bearer {key}"}, trust_env=False)

    def run(self) -> None:
        """Tell the story until the program ends."""
        past = list(itertools.islice(self._beats, PREROLL))
        at = datetime.now(UTC) - timedelta(seconds=sum(beat.after_s for beat in past))
        events = []
        for beat in past:
            at += timedelta(seconds=beat.after_s)
            events.append({**self._event(beat), "time": at.isoformat()})
        self._post(events)
        for beat in self._beats:
            time.sleep(beat.after_s / self._speed)
            self._post([self._event(beat)])

    def _event(self, beat: Beat) -> dict[str, Any]:
        return {"type": beat.type, "source": self._source, "id": str(beat.number), "data": beat.data}

    def _post(self, events: list[dict[str, Any]]) -> None:
        try:
            self._client.post("/api/events", json=events)
        except httpx.HTTPError:
            # Tesoura is stopping; the story ends with it.
            time.sleep(1)
