"""A remote statistics service: players by name, their ratings, their matches, and so many questions a minute."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from tesoura.standins.duels import RIVALS, STREAMER, Duels
from tesoura.standins.host import Host

DEFAULT_KEY = "string-theory-22"
WINDOW_S = 10.0


class RatingService:
    """The service. `most` questions are allowed within ten seconds; then it asks to wait."""

    def __init__(
        self, port: int = 0, seed: int = 7, most: int = 20, clock: Callable[[], float] = time.monotonic
    ) -> None:
        self._clock, self._most = clock, most
        self._lock = threading.Lock()
        self._asked: list[float] = []
        self._players: dict[str, dict[str, Any]] = {
            f"p{at}": {"id": f"p{at}", "name": name, "rating": 1_412 - 37 * at, "formerly": []}
            for at, name in enumerate((STREAMER, *RIVALS))
        }
        self._matches: dict[str, list[dict[str, Any]]] = {id: [] for id in self._players}
        self.strange = False
        self._host = Host(
            Starlette(routes=[Route("/players", self._look_up), Route("/players/{id}/matches", self._history)]), port
        )
        self._seed = seed

    @property
    def address(self) -> str:
        """Where it answers."""
        return self._host.address

    def start(self) -> None:
        """Open it."""
        self._host.open()

    def stop(self) -> None:
        """Close it."""
        self._host.close()

    # What happens there

    def played(self, result: str, rating: int, name: str = STREAMER, **more: Any) -> None:
        """A match of a player has ended just now."""
        with self._lock:
            player = next(one for one in self._players.values() if one["name"] == name)
            told = self._matches[player["id"]]
            told.append(
                {
                    "id": f"{player['id']}-{len(told) + 1}",
                    "ended_at": datetime.now(UTC).isoformat(),
                    "result": result,
                    "rating": rating,
                    **more,
                }
            )
            player["rating"] = rating

    def fill(self, count: int) -> None:
        """So many matches were played in the days before."""
        duels = Duels(self._seed, faults=False, rating=1_290)
        for back in range(count, 0, -1):
            told = list(duels.match())
            mine = [one for one in told if one.data.get("actor") == STREAMER]
            kills = sum(one.type == "kill" for one in mine)
            deaths = sum(one.type == "death" for one in told)
            end = told[-1].data
            self.played(end["result"], end["rating"], kills=kills, deaths=deaths, duration_s=420)
            last = self._matches["p0"][-1]
            last["ended_at"] = (datetime.now(UTC) - timedelta(hours=20, minutes=11 * back)).isoformat()

    def rename(self, old: str, new: str) -> None:
        """A player is called otherwise from now on."""
        with self._lock:
            player = next(one for one in self._players.values() if one["name"] == old)
            player["formerly"], player["name"] = [*player["formerly"], old], new

    # The service

    def _refused(self, request: Request) -> Response | None:
        now = self._clock()
        if request.headers.get("x-key") != DEFAULT_KEY:
            return JSONResponse({"error": "A key is needed in the header X-Key."}, 401)
        with self._lock:
            self._asked = [at for at in self._asked if now - at < WINDOW_S]
            if len(self._asked) >= self._most:
                wait_s = WINDOW_S - (now - self._asked[0])
                return JSONResponse({"error": "Too many questions."}, 429, {"Retry-After": f"{max(round(wait_s), 1)}"})
            self._asked.append(now)
        return None

    async def _look_up(self, request: Request) -> Response:
        if refused := self._refused(request):
            return refused
        if self.strange:
            return JSONResponse({"answer": 42})
        words = request.query_params.get("name", "").casefold()
        with self._lock:
            found = [dict(one) for one in self._players.values() if _like(one, words)]
        return JSONResponse({"players": found})

    async def _history(self, request: Request) -> Response:
        if refused := self._refused(request):
            return refused
        id, after = request.path_params["id"], request.query_params.get("after", "")
        if id not in self._matches:
            return JSONResponse({"error": "There is no such player."}, 404)
        with self._lock:
            told = list(self._matches[id])
        known = next((at + 1 for at, one in enumerate(told) if one["id"] == after), 0)
        return JSONResponse({"matches": told[known:][-50:]})


def _like(player: dict[str, Any], words: str) -> bool:
    return any(words in name or name.startswith(words[:4]) for name in (player["name"], *player["formerly"]))
