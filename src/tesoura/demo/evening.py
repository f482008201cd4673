"""The demo: a data folder with the show in it, its outside services, and an evening that goes on by itself."""

from __future__ import annotations

import itertools
import json
import threading
import time
import uuid
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

import httpx
from sqlmodel import Session

from tesoura.bundles.examples import put
from tesoura.core.computed.definitions import COMPUTED as KINDS
from tesoura.core.forms.form import fill
from tesoura.core.tracks.schema import START, STOP
from tesoura.core.values import Event, Freshness, Signal
from tesoura.demo import instruments as demo_instruments
from tesoura.demo import overlays as demo_overlays
from tesoura.demo import runs, shelves
from tesoura.demo.services import CHAT_TOKEN, LINK_PASSWORD, Services
from tesoura.links.registry import KINDS as CONNECTIONS
from tesoura.runtime.text_files import FOLDER_CHOICE
from tesoura.standins.channel import CLIENT_ID
from tesoura.standins.duelling import Duelling
from tesoura.standins.evening import Beat, evening
from tesoura.standins.members import DEFAULT_KEY, MembersService
from tesoura.standins.music import HISTORY_KEY, HISTORY_USER, PLAYLIST
from tesoura.standins.ratings import DEFAULT_KEY as RATING_KEY
from tesoura.store import computed as stored_computed
from tesoura.store import feeds as stored_feeds
from tesoura.store import keys, state
from tesoura.store import log as event_log
from tesoura.store import overlays as stored_overlays
from tesoura.store import text_files as stored_files
from tesoura.store.store import Store
from tesoura.store.tables import FeedRow, SignalRow

PREROLL = 110
OPENING, OPENING_S = 7, 215.0
PLAYED_S = 1_500.0
"""For so long the game was played before the demo opened."""
OF_THE_GAME = frozenset({"match.start", "match.end", "kill", "death"})
"""What the game tells by itself this evening."""
KEY_NAME = "demo evening"


@dataclass(frozen=True, slots=True)
class _Feed:
    name: str
    title: str
    kind: str
    choices: dict[str, Any]
    signals: tuple[tuple[str, str, str], ...] = ()
    secrets: dict[str, str] = field(default_factory=dict)


def _feeds(services: Services) -> tuple[_Feed, ...]:
    counts, members = services.members.address, "kite friends"
    plain = {"form": "json", "key_in": "none", "period_s": 2.0}
    keyed = {"form": "json", "key_in": "header", "key_name": "X-Key", "period_s": 5.0}
    return (
        _Feed(
            "reach",
            "Reach",
            "http",
            {**plain, "address": f"{counts}/channels/mara_vane"},
            (("members", "channel.members", members), ("viewers", "channel.viewers", "watching")),
        ),
        _Feed(
            "rival",
            "Otto's count",
            "http",
            {**plain, "address": f"{counts}/channels?name=otto_knot"},
            (("members", "channels[0].members", members),),
        ),
        _Feed(
            "lamp",
            "Studio lamp",
            "socket",
            {"address": "ws://127.0.0.1:9/lamp", "subscribe": "", "key_in": "none", "ping_s": 20.0},
            (("brightness", "brightness", "%"),),
        ),
        _Feed("pier_gifts", "Gifts from the pier", "webhook", {"signed": "no"}, (("amount", "amount", "spools"),)),
        _Feed(
            "losses",
            "Lines lost",
            "hand",
            {
                "what": "number",
                "start": "0",
                "step": 1,
                "low": 0,
                "high": 999,
                "unit": "lines",
                "key_up": "+",
                "key_down": "-",
            },
            (("value", "@", "lines"),),
        ),
        _Feed(
            "exact",
            "Exact count",
            "http",
            {**keyed, "address": f"{counts}/channels/mara_vane/exact"},
            (("members", "exact.members", members),),
            {"key": DEFAULT_KEY},
        ),
        _Feed(
            "channel",
            "My channel",
            "channel",
            {
                "address": services.channel.address,
                "client_id": CLIENT_ID,
                "scope": "channel:read events:read",
                "data_address": "",
                "events_address": "",
                "period_s": 10.0,
            },
            (("members", "members", members), ("viewers", "viewers", "watching")),
            {"tokens": json.dumps(services.channel.grant())},
        ),
        _Feed(
            "score",
            "Cup score",
            "socket",
            {
                "address": services.streams.socket_address,
                "subscribe": '{"subscribe": "score"}',
                "key_in": "none",
                "ping_s": 20.0,
            },
            (("bobbin", "score.bobbin", ""), ("keel", "score.keel", "")),
        ),
        _Feed(
            "music",
            "Player",
            "mqtt",
            {"host": "127.0.0.1", "port": services.broker.port, "topic": "music/now", "user": "", "tls": "no"},
            (("title", "last.payload.title", ""), ("artist", "last.payload.artist", "")),
        ),
        _Feed("kettle_player", "Kettle player", "music", {**_MUSIC, "address": services.music.socket_address}),
        _Feed(
            "listening_history",
            "Listening history",
            "listening",
            {"address": f"{services.music.address}/recent", "user": HISTORY_USER, "period_s": 10.0},
            (),
            {"key": HISTORY_KEY},
        ),
        *(
            (_Feed("players_here", "Players here", "mpris", {"players": "", "bus": services.pier.address}),)
            if services.pier is not None
            else ()
        ),
        _Feed(
            "match",
            "Match statistics",
            "file",
            {"path": str(services.game.stats), "form": "auto", "period_s": 1.0},
            (("kills", "kills", "cuts"), ("deaths", "deaths", ""), ("assists", "assists", "")),
        ),
        _Feed(
            "otto",
            "Otto's statistics",
            "player",
            {
                "address": services.ratings.address,
                "player": "otto_knot",
                "key_in": "header",
                "key_name": "X-Key",
                "period_s": 20.0,
            },
            (("rating", "player.rating", ""),),
            {"key": RATING_KEY},
        ),
        _Feed(
            "match_log",
            "Match log",
            "follow",
            {"path": str(services.game.log), "pattern": LOG_PATTERN, "type": "line.cut"},
        ),
        _Feed(
            "shows",
            "Cup evenings",
            "calendar",
            {"where": f"{counts}/cup.ics", "period_s": 600.0},
            (("next", "next.title", ""), ("starts_at", "next.starts_at", "instant"), ("in_s", "next.in_s", "s")),
        ),
        _Feed(
            "chat",
            "Chat",
            "irc",
            {
                **_CHAT,
                "host": "127.0.0.1",
                "port": services.chat.port,
                "tls": "no",
                "channel": services.chat.channel,
                "nick": "mara_helper",
                "streamer": "mara_vane",
            },
            (("lines", "lines", "lines"),),
            {"token": CHAT_TOKEN},
        ),
        _Feed(
            "picture",
            "Picture bench",
            "scene",
            {"way": "connect", "address": services.compositor.link_address, "late_ms": 0},
            (),
            {"password": LINK_PASSWORD},
        ),
        _Feed(
            "clip_folder",
            "Clips of the bench",
            "clips",
            {"path": str(services.pictures), "wait_s": 30.0, "late_ms": 0},
            (("clips", "clips", "clips"),),
        ),
        _Feed("recording", "Recording", "recording", {"path": str(services.recordings), "late_ms": 0}),
        _Feed(
            "wind",
            "Wind on the pier",
            "script",
            {"program": "kite_wind.py", "mode": "kept", "words": "", "variable": ""},
            (("wind_kmh", "wind_kmh", "km/h"),),
        ),
    )


_CHAT = {name: field.default for name, field in CONNECTIONS["irc"].fields.items() if field.kind != "secret"}
_MUSIC = {name: field.default for name, field in CONNECTIONS["music"].fields.items() if field.kind != "secret"}
TEXTS = frozenset({"music.title", "music.artist", "shows.next"})
LOG_PATTERN = r"^(?P<time>\S+) (?P<actor>\w+) cut (?P<target>\w+) with (?P<means>.+)$"
COMPUTED = (
    (
        "window",
        "gifts_session",
        {
            "types": ["gift"],
            "amount": "amount",
            "by": "name",
            "over": "session",
            "top": "3",
            "unit": "spools",
            "stats": ["count", "sum", "latest", "top"],
        },
    ),
    (
        "window",
        "gifts_today",
        {
            "types": ["gift"],
            "amount": "amount",
            "by": "name",
            "over": "today",
            "stats": ["sum", "largest", "top"],
            "top": "3",
            "unit": "spools",
        },
    ),
    (
        "window",
        "cuts_lately",
        {
            "types": ["kill"],
            "over": "minutes",
            "length": "10",
            "stats": ["count", "per_minute"],
            "only_if": "not has(event.tags, 'gust bonus')",
        },
    ),
    ("chain", "cut_chain", {"types": ["kill"], "within_s": "12", "by": "target"}),
    (
        "goal",
        "road",
        {"signal": "reach.members", "start": "1000", "target": "2000", "began": "", "by": "", "unit": "kite friends"},
    ),
    ("change", "reach_growth", {"signal": "reach.members", "since": "session", "unit": "kite friends"}),
    ("formula", "cuts_per_loss", {"formula": "kill.count_this_session / max(1, death.count_this_session)"}),
)
FILES = (
    ("latest_gift.txt", "{gifts_session.latest_name} · {gifts_session.latest_amount:,} spools", "no gift yet"),
    ("top_3_givers.txt", "{names(gifts_session.leaders, 3)}", ""),
    ("cut_chain.txt", "{cut_chain.length} in a row, longest {cut_chain.longest}", "0"),
    ("kite_friends.txt", "{reach.members:,} kite friends ({reach_growth.change:signed})", "—"),
    ("now_playing.txt", "{song.title} · {song.artists}", ""),
    ("next_show.txt", "{shows.next} in {shows.in_s:duration}", ""),
    ("cuts_per_line.txt", "{own.cuts_per_loss:.1f}", "0"),
)


def seed_folder(store: Store, services: Services, now: datetime) -> str:
    """Fill an empty data folder with the show, or point a filled one at this run's services; a key for the story."""
    put(store.folder / "scripts")
    feeds = _feeds(services)

    def job(session: Session) -> str:
        if not stored_feeds.all_feeds(session):
            _fill(session, store, services, feeds, now)
        for feed in feeds:
            row = stored_feeds.by_name(session, feed.name)
            if row is not None:
                row.choices = feed.choices
                session.add(row)
                stored_feeds.keep_secrets(session, row.id or 0, feed.secrets, store.secrets)
        state.choose(
            session,
            "folders",
            json.dumps([str(services.game.stats.parent), str(services.pictures), str(services.recordings)]),
        )
        return keys.new_key(session, KEY_NAME, now)

    return store.write(job)


def overlay_addresses(store: Store, address: str) -> dict[str, str]:
    """The overlay that lies in the picture: where its page is, by its name."""
    first = store.read(stored_overlays.all_overlays)[0]
    return {first.name: f"{address}/o/{first.token}"}


def _fill(session: Session, store: Store, services: Services, feeds: tuple[_Feed, ...], now: datetime) -> None:
    for feed in feeds:
        row: FeedRow = stored_feeds.add_feed(session, feed.name, feed.title, feed.kind, feed.choices, now)
        row.token = stored_feeds.new_token() if feed.kind == "webhook" else None
        for name, path, unit in feed.signals:
            full = f"{feed.name}.{name}"
            wanted = "text" if full in TEXTS else "number"
            session.add(SignalRow(name=full, feed_id=row.id or 0, path=path, unit=unit, wanted=wanted))
    for kind, name, given in COMPUTED:
        filled = fill(KINDS[kind].fields, given)
        stored_computed.keep(session, None, kind, name, filled.choices, now)
    (store.folder / "texts").mkdir(parents=True, exist_ok=True)
    state.choose(session, FOLDER_CHOICE, str(store.folder / "texts"))
    for name, wording, nothing_yet in FILES:
        stored_files.keep(session, None, {"name": name, "wording": wording, "nothing_yet": nothing_yet}, now)
    counts = services.members
    lost = state.SavedSignal(Signal("losses.value", 3, "lines", now, Freshness.HELD), "losses", None, None)
    play = state.SavedSignal(Signal("scene.present", "Play", "", now, Freshness.HELD), "scene", None, None)
    past = [play, _past("reach", "mara_vane", counts, now), _past("rival", "otto_knot", counts, now), lost]
    state.save(session, past, 0, True)
    marks = demo_overlays.keep_marks(session, store, now)
    demo_overlays.put(session, marks, now)
    demo_instruments.put(session, now, marks)
    shelves.put(session, store.folder, services.saves, now)
    event_log.append(session, [*runs.before(now), *_songs_before(now)], now)
    for began in (timedelta(days=7, minutes=170), timedelta(days=1, minutes=40), timedelta(minutes=12)):
        state.start_session(session, now - began)


def _songs_before(now: datetime) -> Iterator[Event]:
    """What a script played before the demo opened: two rounds of the playlist, the last song over by now."""
    for number in range(OPENING):
        song = PLAYLIST[number % len(PLAYLIST)]
        at = now - timedelta(seconds=(OPENING - number) * OPENING_S)
        data = {"title": song.title, "artists": [song.artist], "album": song.album, "length_s": song.length_s}
        yield Event(f"opening-{number}", "opening set", START, at, {**data, "position_s": 0}, actor="opening set")
    yield Event("opening-end", "opening set", STOP, now - timedelta(seconds=5), {}, actor="opening set")


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
        self._beats, self._seed = evening(seed), seed
        self._speed = max(speed, 0.01)
        self._source = f"evening:{uuid.uuid4().hex[:8]}"
        self._client = httpx.Client(base_url=address, headers={"Authorization": f"Bearer {key}"}, trust_env=False)
        self.game = Duelling(address, key, seed, speed)

    def run(self) -> None:
        """Tell the story until the program ends."""
        for name, command, given in demo_instruments.COMMANDS:
            self._send(f"/api/instruments/{name}/{command}", given)
        # The evenings before tonight's, so that there is something to look back on.
        for days, count, back_s in ((7, 900, 10_200), (1, 300, 2_400)):
            self._earlier(days, count, back_s)
        past = list(itertools.islice(self._beats, PREROLL))
        at = datetime.now(UTC) - timedelta(seconds=sum(beat.after_s for beat in past))
        events = []
        for beat in past:
            at += timedelta(seconds=beat.after_s)
            if beat.type not in OF_THE_GAME:
                events.append({**self._event(beat), "time": at.isoformat()})
        self._post(events)
        self.game.before(PLAYED_S)
        self.game.start()
        for beat in self._beats:
            time.sleep(beat.after_s / self._speed)
            if beat.type not in OF_THE_GAME:
                self._post([self._event(beat)])

    def _earlier(self, days: int, count: int, back_s: float) -> None:
        at = datetime.now(UTC) - timedelta(days=days, seconds=back_s)
        events = []
        for beat in itertools.islice(evening(self._seed + days), count):
            at += timedelta(seconds=beat.after_s)
            told = self._event(beat)
            events.append({**told, "id": f"{days}d:{told['id']}", "time": at.isoformat()})
        self._post(events)

    def _event(self, beat: Beat) -> dict[str, Any]:
        return {"type": beat.type, "source": self._source, "id": str(beat.number), "data": beat.data}

    def _post(self, events: list[dict[str, Any]]) -> None:
        self._send("/api/events", events)

    def _send(self, to: str, body: object) -> None:
        try:
            self._client.post(to, json=body)
        except httpx.HTTPError:
            # Tesoura is stopping; the story ends with it.
            time.sleep(1)
