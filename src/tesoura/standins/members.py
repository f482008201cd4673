"""A small count service: channels with public counts, one exact count behind a key, and ways to make it fail."""

from __future__ import annotations

import asyncio
import hashlib
import json
import threading
import time
from collections.abc import Callable

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, PlainTextResponse, Response
from starlette.routing import Route

from tesoura.standins.growth import Growth
from tesoura.standins.host import Host

DEFAULT_KEY = "paper-kite-4711"
HISTORY_S = 600.0
CHANNELS = {
    "mara_vane": ("The Windy Ladder", 1_284),
    "otto_knot": ("Knots and Nonsense", 912),
    "pip_gale": ("Pip in a Gale", 20_417),
    "june_spool": ("June's Spool", 87),
    "wren_bobbin": ("Bobbin by Bobbin", 3_050),
}
CALENDAR = """BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//Tesoura//stand-in//EN
BEGIN:VEVENT
UID:cup@standin
DTSTAMP:20260101T000000Z
DTSTART;TZID=Europe/Lisbon:20260108T190000
DTEND;TZID=Europe/Lisbon:20260108T220000
RRULE:FREQ=WEEKLY;BYDAY=TH
SUMMARY:The Windy Ladder
LOCATION:Tail & Twine
END:VEVENT
BEGIN:VEVENT
UID:mending@standin
DTSTAMP:20260101T000000Z
DTSTART;VALUE=DATE:20260103
RRULE:FREQ=MONTHLY;BYDAY=1SA
SUMMARY:Kite mending
END:VEVENT
END:VCALENDAR
"""
FAILURES = ("500", "silence", "half", "html", "429", "closed", "echo")


class MembersService:
    """The service and its admin address. `speed` is how many of its seconds pass in one of ours."""

    def __init__(
        self,
        seed: int = 7,
        speed: float = 1.0,
        port: int = 0,
        admin_port: int = 0,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self._clock, self._speed = clock, speed
        self._began = clock() - HISTORY_S / speed
        self._lock = threading.Lock()
        self._growth = {name: Growth(f"{seed}:{name}", start) for name, (_, start) in CHANNELS.items()}
        self._past = {
            name: [growth.at(second) for second in range(0, int(HISTORY_S) + 1, 5)]
            for name, growth in self._growth.items()
        }
        self._failure: str | None = None
        self._fails_until = 0.0
        self.retry_after_s = 7
        self.silence_s = 10.0
        self.asked = self.unchanged = 0
        self._followed = 0
        self.followers: list[dict[str, object]] = []
        self._host = Host(self._service(), port)
        self._admin = Host(self._administration(), admin_port)

    @property
    def address(self) -> str:
        """Where the service answers."""
        return self._host.address

    @property
    def admin_address(self) -> str:
        """Where it can be set and broken."""
        return self._admin.address

    def start(self) -> None:
        """Open both addresses."""
        self._host.open()
        self._admin.open()

    def stop(self) -> None:
        """Close both."""
        self._host.end()
        self._admin.close()
        self._host.close()

    # What tests and the admin address do

    def past(self, channel: str) -> list[tuple[float, int]]:
        """The channel's count over the ten minutes before the service started: seconds before the start, count."""
        return [(HISTORY_S - 5 * index, count) for index, count in enumerate(self._past[channel])]

    def put(self, channel: str, members: int) -> None:
        """Set a channel's count; it grows on from there."""
        with self._lock:
            self._growth[channel].at(self._second())
            self._growth[channel].put(members)

    def freeze(self) -> None:
        """Let no count grow any more."""
        self._speed = 0.0

    def fail(self, how: str | None, for_s: float = 3600.0) -> None:
        """Fail in one of the ways in FAILURES from now on, or with None work again."""
        before, self._failure = self._failure, how
        self._fails_until = self._clock() + for_s
        if how == "closed":
            self._host.close()
            timer = threading.Timer(for_s, lambda: self.fail(None) if self._failure == "closed" else None)
            timer.daemon = True
            timer.start()
        elif before == "closed":
            self._host.open()

    # The service

    def _service(self) -> Starlette:
        return Starlette(
            routes=[
                Route("/channels", self._look_up),
                Route("/channels/{name}", self._channel),
                Route("/channels/{name}/exact", self._exact),
                Route("/channels/{name}/text", self._text),
                Route("/channels/{name}/page", self._page),
                Route("/channels/{name}/followers", self._followers),
                Route("/table.csv", self._table),
                Route("/cup.ics", self._calendar),
            ]
        )

    def _second(self) -> float:
        return (self._clock() - self._began) * self._speed

    def _described(self, name: str) -> dict[str, object]:
        with self._lock:
            members = self._growth[name].at(self._second())
        viewers = 40 + members // 9 % 400
        return {
            "name": name,
            "title": CHANNELS[name][0],
            "live": name != "june_spool",
            "members": members,
            "viewers": viewers,
            "tags": ["kites", "evening cup"],
        }

    async def _look_up(self, request: Request) -> Response:
        words = request.query_params.get("name", "").casefold()
        found = [self._described(name) for name in CHANNELS if words in name or words in CHANNELS[name][0].casefold()]
        return await self._answer({"found": len(found), "channels": found})

    async def _channel(self, request: Request) -> Response:
        name = request.path_params["name"].casefold()
        if name not in CHANNELS:
            return JSONResponse({"error": "There is no such channel.", "known": sorted(CHANNELS)}, 404)
        payload: dict[str, object] = {"channel": self._described(name), "service": "counts stand-in"}
        tag = f'"{hashlib.sha256(json.dumps(payload).encode()).hexdigest()[:16]}"'
        if request.headers.get("if-none-match") == tag and self._failure is None:
            self.asked += 1
            self.unchanged += 1
            return Response(status_code=304, headers={"ETag": tag})
        answer = await self._answer(payload)
        answer.headers["ETag"] = tag
        return answer

    async def _text(self, request: Request) -> Response:
        return PlainTextResponse(f"{self._described(request.path_params['name'])['members']:,} kite friends\n")

    async def _page(self, request: Request) -> Response:
        told = self._described(request.path_params["name"])
        return HTMLResponse(
            f"<!doctype html><title>{told['title']}</title><main><h1>{told['title']}</h1>"
            f"<p>Flown by <b class=count>{told['members']:,}</b> kite friends</p></main>"
        )

    async def _followers(self, request: Request) -> Response:
        return await self._answer({"followers": list(self.followers)})

    async def _table(self, _: Request) -> Response:
        rows = [self._described(name) for name in CHANNELS]
        lines = ["name;title;members", *(f"{row['name']};{row['title']};{row['members']}" for row in rows)]
        return PlainTextResponse("\r\n".join(lines), media_type="text/csv")

    async def _calendar(self, _: Request) -> Response:
        return PlainTextResponse(CALENDAR, media_type="text/calendar")

    def follow(self, name: str, at: str = "2026-11-26T19:02:00Z") -> None:
        """Somebody follows: they stand first in the list, which holds the last twenty."""
        self._followed += 1
        self.followers.insert(0, {"id": self._followed, "name": name, "at": at})
        del self.followers[20:]

    async def _exact(self, request: Request) -> Response:
        key = request.headers.get("x-key") or request.query_params.get("key")
        if key is None:
            return JSONResponse({"error": "A key is needed: header X-Key, or ?key="}, 401)
        if key != DEFAULT_KEY:
            return JSONResponse({"error": "This key may not read this."}, 403)
        name = request.path_params["name"].casefold()
        if name not in CHANNELS:
            return JSONResponse({"error": "There is no such channel."}, 404)
        members = self._described(name)["members"]
        exact: dict[str, object] = {"members": members, "hidden_members": int(str(members)) // 31}
        asked = {"key": key, "asked": str(request.url)} if self._failure == "echo" else {}
        return await self._answer({"exact": {**exact, **asked}})

    async def _answer(self, payload: dict[str, object]) -> Response:
        self.asked += 1
        how = self._failure if self._clock() < self._fails_until else None
        if how == "500":
            return PlainTextResponse("a cog fell out", 500)
        if how == "silence":
            await asyncio.sleep(self.silence_s)
        if how == "half":
            text = json.dumps(payload)
            return Response(text[: len(text) // 2], media_type="application/json")
        if how == "html":
            return HTMLResponse("<!doctype html><html><title>Counts</title><p>Please sign in</html>")
        if how == "429":
            return JSONResponse({"error": "slow down"}, 429, {"Retry-After": str(self.retry_after_s)})
        return JSONResponse(payload)

    # The admin address

    def _administration(self) -> Starlette:
        return Starlette(
            routes=[
                Route("/admin", self._state),
                Route("/admin/value", self._admin_value, methods=["POST"]),
                Route("/admin/fail", self._admin_fail, methods=["POST"]),
            ]
        )

    async def _state(self, _: Request) -> Response:
        usage = {
            "POST /admin/value": {"channel": "mara_vane", "members": 9_999},
            "POST /admin/fail": {"how": [*FAILURES, None], "for_s": 30},
        }
        return JSONResponse({"failing": self._failure, "asked": self.asked, "usage": usage})

    async def _admin_value(self, request: Request) -> Response:
        wish = await request.json()
        if wish.get("channel") not in CHANNELS or not isinstance(wish.get("members"), int):
            return JSONResponse(
                {"error": "Give a channel and members, a whole number.", "known": sorted(CHANNELS)}, 422
            )
        self.put(wish["channel"], wish["members"])
        return JSONResponse({"channel": wish["channel"], "members": wish["members"]})

    async def _admin_fail(self, request: Request) -> Response:
        wish = await request.json()
        if wish.get("how") not in (*FAILURES, None):
            return JSONResponse({"error": "how is one of these, or null.", "ways": FAILURES}, 422)
        await asyncio.to_thread(self.fail, wish.get("how"), float(wish.get("for_s", 30)))
        return JSONResponse({"failing": wish.get("how")})
