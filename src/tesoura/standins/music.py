"""A music player with a playlist from the demo's world, over HTTP and a WebSocket, and the ways in which it fails."""

from __future__ import annotations

import asyncio
import json
import threading
import time
from dataclasses import dataclass
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, RedirectResponse, Response
from starlette.routing import Route, WebSocketRoute
from starlette.websockets import WebSocket, WebSocketDisconnect

from tesoura.core.names import snake
from tesoura.standins.covers import COVERS, cover
from tesoura.standins.evening import SONGS
from tesoura.standins.host import Host


@dataclass(frozen=True, slots=True)
class Song:
    """One song of a playlist."""

    title: str
    artist: str
    length_s: float
    album: str = ""
    kind: str = "track"
    cover: str = ""
    """The name of the picture, or a whole address; nothing for none."""


HISTORY_KEY, HISTORY_USER = "kettle-history", "mara_at_home"
ALBUMS = ("Eaves", "Harbour Songs", "Kilometre Club", "Garden Hours")
PLAYLIST = tuple(
    Song(title, artist, length, album, cover=snake(title))
    for (title, artist), length, album in zip(SONGS, (220.0, 187.0, 204.0, 171.0), ALBUMS, strict=True)
)
LONG = Song(
    "The Very Long Evening on Which the Kettle Would Not Boil and Everybody Sang Anyway, Twice, Under the Borrowed "
    "Umbrella, Left of the Lighthouse, Until the Rope Came Down by Itself at Noon, Live",
    "The Slow Kettles",
    260.0,
    "Eaves",
    cover="paper_weather",
)
BARE = Song("Hum", "", 95.0)
RIGHT_TO_LEFT = Song("مظلة مستعارة", "نادي الكيلومتر", 204.0, cover="borrowed_umbrella")
ADVERTISEMENT = Song("Cordel Tea, poured twice", "Cordel Tea", 20.0, kind="advertisement")
ODD = (LONG, BARE, RIGHT_TO_LEFT, ADVERTISEMENT)
"""A title of 200 characters, one without a cover, one from right to left, an advertisement."""


class MusicPlayer:
    """The player. Its time runs `speed` times as fast as the clock's."""

    def __init__(self, port: int = 0, songs: tuple[Song, ...] = PLAYLIST, speed: float = 1.0) -> None:
        self.songs, self.speed = songs, speed
        self.at, self.playing = 0, False
        self.nothing = True
        self.breaks: str | None = None
        """How it fails at present: `html`, `error`, `slow`; None when it does not."""
        self.history: list[tuple[float, Song]] = []
        """What was played and since when, seconds since 1970, the last at the end."""
        self._position_s, self._since_s = 0.0, time.monotonic()
        self._lock = threading.RLock()
        self._queues: dict[asyncio.Queue[str | None], asyncio.AbstractEventLoop] = {}
        self._host = Host(
            Starlette(
                routes=[
                    Route("/now", self._now),
                    Route("/covers/{name}", self._cover),
                    Route("/recent", self._recent),
                    Route("/do/{what}", self._do, methods=["POST"]),
                    WebSocketRoute("/changes", self._changes),
                ]
            ),
            port,
            sockets=True,
        )

    @property
    def address(self) -> str:
        """Where it is."""
        return self._host.address

    @property
    def socket_address(self) -> str:
        """Where it tells by itself."""
        return f"ws://127.0.0.1:{self._host.port}/changes"

    def start(self) -> None:
        """Open it."""
        self._host.open()

    def stop(self) -> None:
        """Close it."""
        self._host.close()

    # Playing

    @property
    def song(self) -> Song:
        """What is played."""
        return self.songs[self.at % len(self.songs)]

    def position_s(self) -> float:
        """How far it is."""
        gone = (time.monotonic() - self._since_s) * self.speed if self.playing else 0.0
        return min(self._position_s + gone, self.song.length_s)

    def play(self, at: int | None = None, position_s: float = 0.0) -> None:
        """Play one of the songs, or go on."""
        with self._lock:
            place = position_s if at is not None or self.nothing else self._position_s
            begins = at is not None or self.nothing
            self.at, self.nothing = self.at if at is None else at, False
            if begins:
                self.history.append((time.time(), self.song))
            self._put(place, True)

    def pause(self) -> None:
        """Stand still."""
        with self._lock:
            self._put(self.position_s(), False)

    def seek(self, position_s: float) -> None:
        """Be elsewhere."""
        with self._lock:
            self._put(position_s, self.playing)

    def next(self) -> None:
        """Play the next one."""
        self.play((self.at + 1) % len(self.songs))

    def end(self) -> None:
        """Play nothing."""
        with self._lock:
            self.nothing = True
            self._put(0.0, False)

    def go_on(self) -> None:
        """Begin the next song once this one has ended; whoever lets time pass calls this now and then."""
        if self.playing and self.position_s() >= self.song.length_s:
            self.next()

    def _put(self, position_s: float, playing: bool) -> None:
        self._position_s, self._since_s, self.playing = position_s, time.monotonic(), playing
        said = json.dumps(self.now())
        for queue, loop in list(self._queues.items()):
            loop.call_soon_threadsafe(queue.put_nowait, said)

    def lose_everybody(self) -> None:
        """Cut off all who hear it."""
        for queue, loop in list(self._queues.items()):
            loop.call_soon_threadsafe(queue.put_nowait, None)

    def now(self) -> dict[str, Any]:
        """What it tells."""
        if self.nothing:
            return {"state": "stopped", "track": None, "next": None}
        song, after = self.song, self.songs[(self.at + 1) % len(self.songs)]
        picture = f"{self.address}/covers/{song.cover}.png" if song.cover else None
        track = {
            "id": f"{self.at}",
            "title": song.title,
            "artists": [song.artist] if song.artist else [],
            "album": song.album or None,
            "length": song.length_s,
            "kind": song.kind,
            "cover": song.cover if "://" in song.cover else picture,
        }
        return {
            "state": "playing" if self.playing else "paused",
            "position": round(self.position_s(), 3),
            "track": track,
            "next": {"title": after.title, "artists": [after.artist]},
        }

    # What it answers

    async def _now(self, _: Request) -> Response:
        if self.breaks == "html":
            return Response("<h1>Kettle</h1>", media_type="text/html")
        if self.breaks == "error":
            return JSONResponse({"error": "the needle is off"}, 500)
        if self.breaks == "slow":
            await asyncio.sleep(30)
        return JSONResponse(self.now())

    async def _cover(self, request: Request) -> Response:
        name = request.path_params["name"].removesuffix(".png")
        if name == "page":
            return Response("<h1>No cover</h1>", media_type="image/png")
        if name == "never":
            await asyncio.sleep(30)
        if name == "elsewhere":
            return RedirectResponse("http://127.0.0.1:9/cover.png")
        if name not in COVERS:
            return Response(status_code=404)
        return Response(cover(name), media_type="image/png")

    async def _recent(self, request: Request) -> Response:
        if request.headers.get("authorization") != f"Bearer {HISTORY_KEY}":
            return JSONResponse({"error": "no such key"}, 401)
        if request.query_params.get("user") != HISTORY_USER:
            return JSONResponse({"error": "nobody of that name"}, 404)
        told = [
            {"title": song.title, "artists": [song.artist], "album": song.album, "at": int(at)}
            for at, song in reversed(self.history[-10:])
        ]
        if told and self.playing:
            told[0]["now_playing"] = True
        return JSONResponse({"recent": told})

    async def _do(self, request: Request) -> Response:
        acts = {"play": self.play, "pause": self.pause, "next": self.next, "end": self.end, "lose": self.lose_everybody}
        acts[request.path_params["what"]]()
        return JSONResponse(self.now())

    async def _changes(self, socket: WebSocket) -> None:
        await socket.accept()
        queue: asyncio.Queue[str | None] = asyncio.Queue()
        self._queues[queue] = asyncio.get_running_loop()
        try:
            await socket.send_text(json.dumps(self.now()))
            while (said := await queue.get()) is not None:
                await socket.send_text(said)
            await socket.close()
        except (WebSocketDisconnect, RuntimeError):
            pass
        finally:
            self._queues.pop(queue, None)
