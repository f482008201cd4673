"""A channel service that one signs in to: a small OAuth 2 server with PKCE, counts, and a stream of events."""

from __future__ import annotations

import asyncio
import base64
import hashlib
import json
import random
import secrets
import time
from collections.abc import AsyncIterator
from html import escape
from typing import Any
from urllib.parse import urlencode

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response, StreamingResponse
from starlette.routing import Route

from tesoura.standins.evening import VIEWERS
from tesoura.standins.host import Host
from tesoura.standins.music import MusicPlayer

CLIENT_ID = "paper-kite-program"
TEXTS = ("for the kettle", "fly high", "", "from all of us at the pier", "mind the gap in the clouds")


class ChannelService:
    """The service. `token_s` is for how long a permission lasts; `members` and `viewers` are its counts."""

    def __init__(self, port: int = 0, token_s: float = 3_600.0, seed: int = 7) -> None:
        self._host = Host(
            Starlette(
                routes=[
                    Route("/.well-known/oauth-authorization-server", self._about),
                    Route("/sign-in", self._sign_in, methods=["GET", "POST"]),
                    Route("/token", self._token, methods=["POST"]),
                    Route("/channel", self._channel),
                    Route("/events", self._events),
                    Route("/player", self._player),
                    Route("/admin/happen", self._admin_happen, methods=["POST"]),
                    Route("/admin/revoke", self._admin_revoke, methods=["POST"]),
                ]
            ),
            port,
        )
        self.token_s = token_s
        self.members, self.viewers = 1_284, 96
        self.renewals = 0
        self.music: MusicPlayer | None = None
        """What is played in this account, if it is a music service as well."""
        self.answers_with: Response | None = None
        """What it answers instead of a permission, when it is out of order."""
        self._random = random.Random(seed)
        self._codes: dict[str, dict[str, str]] = {}
        self._access: dict[str, float] = {}
        self._refresh: set[str] = set()
        self._log: list[dict[str, Any]] = []
        self._queues: set[asyncio.Queue[dict[str, Any] | None]] = set()
        self._loop: asyncio.AbstractEventLoop | None = None

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

    @property
    def listeners(self) -> int:
        """How many hear the events."""
        return len(self._queues)

    def happen(self, kind: str, name: str, amount: int = 1, text: str = "") -> dict[str, Any]:
        """Let a follow, a subscription or a gift happen."""
        event = {
            "id": f"{kind}-{len(self._log) + 1}",
            "type": kind,
            "name": name,
            "amount": amount,
            "text": text,
            "time": time.time(),
            "number": len(self._log) + 1,
        }
        self._log.append(event)
        if kind == "follow":
            self.members += 1
        self._put(event)
        return event

    def happen_by_chance(self) -> dict[str, Any]:
        """Let something likely happen."""
        kind = self._random.choices(("follow", "subscription", "gift"), (5, 2, 4))[0]
        amount = self._random.choice((1, 1, 2, 5, 10)) if kind == "gift" else 1
        return self.happen(kind, self._random.choice(VIEWERS), amount, self._random.choice(TEXTS))

    def grant(self) -> dict[str, Any]:
        """A permission as if somebody had signed in: for a demo that is signed in from the start."""
        access, refresh = secrets.token_urlsafe(16), secrets.token_urlsafe(16)
        self._access[access] = time.monotonic() + self.token_s
        self._refresh.add(refresh)
        return {"access": access, "refresh": refresh, "until": time.time() + self.token_s}

    def revoke(self) -> None:
        """Take every permission back."""
        self._access.clear()
        self._refresh.clear()
        self._put(None)

    def _put(self, event: dict[str, Any] | None) -> None:
        if self._loop is not None:
            for queue in list(self._queues):
                self._loop.call_soon_threadsafe(queue.put_nowait, event)

    # The authorisation server

    async def _about(self, _: Request) -> Response:
        here = self.address
        return JSONResponse(
            {
                "issuer": here,
                "authorization_endpoint": f"{here}/sign-in",
                "token_endpoint": f"{here}/token",
                "channel_endpoint": f"{here}/channel",
                "events_endpoint": f"{here}/events",
                **({"player_endpoint": f"{here}/player"} if self.music is not None else {}),
                "response_types_supported": ["code"],
                "code_challenge_methods_supported": ["S256"],
            }
        )

    async def _sign_in(self, request: Request) -> Response:
        asked = dict(request.query_params)
        if asked.get("client_id") != CLIENT_ID or asked.get("code_challenge_method") != "S256":
            return HTMLResponse("<h1>This program is not registered here.</h1>", 400)
        if request.method == "GET":
            return HTMLResponse(_page(asked))
        form = (await request.body()).decode()
        back, state = asked["redirect_uri"], asked.get("state", "")
        if "allow" not in form:
            return RedirectResponse(f"{back}?{urlencode({'error': 'access_denied', 'state': state})}", 303)
        code = secrets.token_urlsafe(16)
        self._codes[code] = asked
        return RedirectResponse(f"{back}?{urlencode({'code': code, 'state': state})}", 303)

    async def _token(self, request: Request) -> Response:
        from urllib.parse import parse_qs

        given = {key: values[0] for key, values in parse_qs((await request.body()).decode()).items()}
        if given.get("client_id") != CLIENT_ID:
            return JSONResponse({"error": "invalid_client", "error_description": "no such program"}, 401)
        if given.get("grant_type") == "refresh_token":
            if given.get("refresh_token") not in self._refresh:
                return JSONResponse({"error": "invalid_grant", "error_description": "permission taken back"}, 400)
            self._refresh.discard(given["refresh_token"])
            self.renewals += 1
            return self._granted()
        asked = self._codes.pop(given.get("code", ""), None)
        digest = hashlib.sha256(given.get("code_verifier", "").encode()).digest()
        challenge = base64.urlsafe_b64encode(digest).decode().rstrip("=")
        if asked is None or asked["code_challenge"] != challenge or asked["redirect_uri"] != given.get("redirect_uri"):
            return JSONResponse({"error": "invalid_grant", "error_description": "the code is not right"}, 400)
        return self._granted()

    def _granted(self) -> Response:
        if self.answers_with is not None:
            return self.answers_with
        granted = self.grant()
        return JSONResponse(
            {
                "access_token": granted["access"],
                "refresh_token": granted["refresh"],
                "token_type": "Bearer",
                "expires_in": self.token_s,
            }
        )

    def _may(self, request: Request) -> bool:
        given = request.headers.get("authorization", "").removeprefix("Bearer ")
        return self._access.get(given, 0.0) > time.monotonic()

    # The channel

    async def _channel(self, request: Request) -> Response:
        if not self._may(request):
            return JSONResponse({"error": "sign in first"}, 401)
        return JSONResponse({"name": "mara_vane", "members": self.members, "viewers": self.viewers})

    async def _player(self, request: Request) -> Response:
        if not self._may(request) or self.music is None:
            return JSONResponse({"error": "sign in first"}, 401)
        now = self.music.now()
        if now["track"] is None:
            return Response(status_code=204)
        track = {**now["track"], "duration_ms": int(now["track"]["length"] * 1000)}
        track.pop("length")
        return JSONResponse(
            {
                "is_playing": now["state"] == "playing",
                "progress_ms": int(now["position"] * 1000),
                "item": track,
                "account": {"display_name": "Mara Real-Name"},
            }
        )

    async def _events(self, request: Request) -> Response:
        if not self._may(request):
            return JSONResponse({"error": "sign in first"}, 401)
        last = request.headers.get("last-event-id", "")
        return StreamingResponse(self._stream(last), media_type="text/event-stream")

    async def _stream(self, last: str) -> AsyncIterator[str]:
        self._loop = asyncio.get_running_loop()
        queue: asyncio.Queue[dict[str, Any] | None] = asyncio.Queue()
        self._queues.add(queue)
        try:
            yield ": hello\n\n"
            for event in self._log if last.isdecimal() else ():
                if event["number"] > int(last):
                    yield _frame(event)
            while True:
                try:
                    one = await asyncio.wait_for(queue.get(), 2.0)
                except TimeoutError:
                    yield ": still here\n\n"
                    continue
                if one is None:
                    return
                yield _frame(one)
        finally:
            self._queues.discard(queue)

    async def _admin_happen(self, request: Request) -> Response:
        wish = await request.json()
        return JSONResponse(
            self.happen(**{key: wish[key] for key in ("kind", "name", "amount", "text") if key in wish})
        )

    async def _admin_revoke(self, _: Request) -> Response:
        self.revoke()
        return JSONResponse({"revoked": True})


def _frame(event: dict[str, Any]) -> str:
    told = {key: event[key] for key in ("id", "name", "amount", "text", "time")}
    return f"id: {event['number']}\nevent: {event['type']}\ndata: {json.dumps(told)}\n\n"


def _page(asked: dict[str, str]) -> str:
    scope = escape(asked.get("scope", "nothing"))
    return (
        "<!doctype html><html lang=en><meta charset=utf-8><title>Sign in</title>"
        "<style>body{font:18px sans-serif;max-width:30em;margin:4em auto}button{font:inherit;padding:.5em 1em}"
        "</style><h1>The channel service</h1><p>You are <b>mara_vane</b>. May this program read "
        f"<b>{scope}</b>?</p><form method=post><button name=answer value=allow>Allow</button> "
        "<button name=answer value=no>No</button></form></html>"
    )
