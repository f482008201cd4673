"""A game on this machine that posts to Tesoura what happens, as it happens; its page makes things happen by hand."""

from __future__ import annotations

import heapq
import itertools
import threading
import time
import uuid
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import httpx
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.routing import Route

from tesoura.standins.duels import RIVALS, STREAMER, Duels, Told
from tesoura.standins.host import Host

AT_ONCE = 500
BY_HAND: dict[str, tuple[str, dict[str, Any]]] = {
    "Start a match": ("match.start", {"arena": "The Windy Ladder"}),
    "Cut a rival": ("kill", {"actor": STREAMER, "target": RIVALS[0], "means": "glass line"}),
    "Cut with a gust bonus": ("kill", {"actor": STREAMER, "target": RIVALS[1], "tags": ["gust bonus"]}),
    "A rival cuts another": ("kill", {"actor": RIVALS[2], "target": RIVALS[3]}),
    "Lose the kite": ("death", {"actor": RIVALS[0], "target": STREAMER}),
    "Tangle": ("assist", {"actor": STREAMER, "target": RIVALS[1]}),
    "Take a hit": ("vitals", {"actor": STREAMER, "health": 35, "shield": 0}),
    "Pause": ("match.pause", {}),
    "Resume": ("match.resume", {}),
    "Win": ("match.end", {"result": "won"}),
    "Lose": ("match.end", {"result": "lost"}),
    "Draw": ("match.end", {"result": "drawn"}),
}
_PAGE = """<!doctype html><html lang=en><title>A game of Tail &amp; Twine</title>
<style>body{{font:18px/1.5 sans-serif;max-width:40rem;margin:2rem auto;padding:0 1rem}}
button{{font:inherit;margin:.2rem;padding:.4rem .8rem}}</style>
<h1>A game of Tail &amp; Twine</h1><p>{state}</p>{buttons}"""


class Duelling:
    """The game. It plays by itself from a seed until it is told to wait for the page's buttons."""

    def __init__(self, to: str, key: str, seed: int = 7, speed: float = 1.0, port: int = 0, plays: bool = True) -> None:
        self._client = httpx.Client(base_url=to, headers={"Authorization": f"Bearer {key}"}, trust_env=False)
        self._source, self._speed = f"duels:{uuid.uuid4().hex[:8]}", max(speed, 0.01)
        self.duels = Duels(seed)
        self._ids = itertools.count(1)
        self._later: list[tuple[float, int, dict[str, Any]]] = []
        self.plays = plays
        self.said = "Nothing sent yet."
        self.saw: Callable[[], None] = lambda: None
        """Told of each line that the streamer cuts, as it is cut."""
        self._stopped = threading.Event()
        self._lock = threading.Lock()
        self._host = Host(
            Starlette(
                routes=[
                    Route("/", self._page),
                    Route("/do", self._do, methods=["POST"]),
                    Route("/plays", self._turn, methods=["POST"]),
                ]
            ),
            port,
        )

    @property
    def address(self) -> str:
        """Where its page is."""
        return self._host.address

    def open(self) -> None:
        """Open the page; nothing is played yet."""
        self._host.open()

    def start(self) -> None:
        """Play from now on."""
        threading.Thread(target=self._play, daemon=True, name="duels").start()

    def stop(self) -> None:
        """Close it."""
        self._stopped.set()
        self._host.close()
        with self._lock:
            self._client.close()

    def event(self, told: Told, at: datetime) -> dict[str, Any]:
        """An event as it is posted."""
        return {
            "type": told.type,
            "source": self._source,
            "id": str(next(self._ids)),
            "time": at.isoformat(),
            "data": told.data,
        }

    def before(self, seconds: float) -> None:
        """Post what was played in the seconds before now, all at once."""
        told: list[Told] = []
        while sum(one.after_s for one in told) < seconds:
            told += self.duels.match()
        at = datetime.now(UTC) - timedelta(seconds=sum(one.after_s for one in told))
        events = []
        for one in told:
            at += timedelta(seconds=one.after_s)
            events.append(self.event(one, at))
        for first in range(0, len(events), AT_ONCE):
            self._post(events[first : first + AT_ONCE])

    def _play(self) -> None:
        for told in self.duels:
            if self._stopped.wait(told.after_s / self._speed):
                return
            while not self.plays:
                if self._stopped.wait(0.2):
                    return
            self._tell(told)

    def _tell(self, told: Told) -> None:
        event, now = self.event(told, datetime.now(UTC)), time.monotonic()
        self._see(told)
        for wait_s in ([told.late_s] if told.late_s else [0.0]) + ([told.again_s] if told.again_s else []):
            heapq.heappush(self._later, (now + wait_s / self._speed, next(self._ids), event))
        due = []
        while self._later and self._later[0][0] <= time.monotonic():
            due.append(heapq.heappop(self._later)[2])
        if due:
            self._post(due)

    def _see(self, told: Told) -> None:
        if told.type == "kill" and told.data.get("actor") == STREAMER:
            self.saw()

    def _post(self, events: list[dict[str, Any]]) -> None:
        with self._lock:
            if self._client.is_closed:
                return
            try:
                answer = self._client.post("/api/events", json=events)
                self.said = f"{events[-1]['type']}: {answer.status_code}"
            except httpx.HTTPError as error:
                self.said = f"Tesoura didn't answer ({type(error).__name__})."

    # The page

    async def _page(self, _: Request) -> Response:
        buttons = "".join(
            f'<form method=post action="/do"><button name=what value="{words}">{words}</button></form>'
            for words in BY_HAND
        )
        turn = "Automatic · Only react to buttons" if self.plays else "Manual · Play automatically"
        turned = f'<form method=post action="/plays"><button>{turn}</button></form>'
        return HTMLResponse(_PAGE.format(state=self.said, buttons=turned + buttons))

    async def _do(self, request: Request) -> Response:
        what = (await request.body()).decode()
        words = next((words for words in BY_HAND if f"what={words.replace(' ', '+')}" == what), None)
        if words is None:
            return JSONResponse({"error": f"Choose one of {', '.join(BY_HAND)}."}, 400)
        kind, data = BY_HAND[words]
        if kind == "match.end":
            self.duels.rating += {"won": 18, "lost": -15, "drawn": 1}[data["result"]]
            data = {**data, "rating": self.duels.rating}
        self._see(Told(0, kind, data))
        threading.Thread(target=self._post, args=([self.event(Told(0, kind, data), datetime.now(UTC))],)).start()
        return RedirectResponse("/", 303)

    async def _turn(self, _: Request) -> Response:
        self.plays = not self.plays
        return RedirectResponse("/", 303)
