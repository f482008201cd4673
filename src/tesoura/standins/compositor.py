"""A small program that composes a picture: scenes with overlays in them, a page that shows it, and a scene link.

It can be slow, refuse, vanish, rename a scene, and speak nonsense. It shares no code with the link's other side.
"""

from __future__ import annotations

import asyncio
import base64
import contextlib
import hashlib
import hmac
import json
import os
from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING, Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse
from starlette.routing import Route, WebSocketRoute
from starlette.websockets import WebSocket, WebSocketDisconnect

from tesoura.standins.host import Host

if TYPE_CHECKING:
    from tesoura.standins.picture import RollingPicture

SCENES = ("Play", "Talk", "Break", "Starting", "Wheel")
GOOD, BROKEN, NOTHING, SAME, TWICE = "good", "broken", "nothing", "same", "twice"
"""What becomes of a clip that is asked for: it is good, cut off, never comes, is the one before, is answered twice."""
NO_SUCH_SCENE, NOT_NOW, NO_SUCH_SOURCE, NOT_PROVEN = 1, 2, 3, 4


def _proof(password: str, salt: str, nonce: str, role: str) -> str:
    key = hashlib.pbkdf2_hmac("sha256", password.encode(), salt.encode(), 100_000)
    return base64.b64encode(hmac.digest(key, f"{role}:{nonce}".encode(), "sha256")).decode()


def _random() -> str:
    return base64.b64encode(os.urandom(18)).decode()


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="milliseconds")


class _Refused(Exception):
    def __init__(self, code: int, words: str) -> None:
        super().__init__(words)
        self.code = code


class Compositor:
    """The program. `overlays` are the addresses of pages that lie in its scenes, by the name of each source.

    `slow_s` is how long it takes to answer; with `refuses` it says no to every switch. With a `picture` it keeps the
    last minute of one and writes clips of it into `folder`; `clips` says what it does wrong at that.
    """

    def __init__(
        self,
        port: int = 0,
        password: str = "",
        scenes: Sequence[str] = SCENES,
        overlays: Mapping[str, str] | None = None,
        picture: RollingPicture | None = None,
        folder: Path | None = None,
    ) -> None:
        self.picture, self.folder, self.clips = picture, folder, GOOD
        self._saved_clips, self._last_clip = 0, dict[str, Any]()
        self.password, self.scenes, self.current = password, list(scenes), scenes[0] if scenes else ""
        self.overlays = dict(overlays or {})
        self.hidden: set[tuple[str, str]] = set()
        self.streaming_since = self.recording_since = ""
        self.slow_s, self.refuses, self.mute = 0.0, False, False
        self.asked: list[tuple[str, Mapping[str, Any]]] = []
        self._links: set[WebSocket] = set()
        self._pages: set[WebSocket] = set()
        self._loop: asyncio.AbstractEventLoop | None = None
        routes = [
            Route("/", self._page),
            Route("/do/{what}", self._do, methods=["POST"]),
            WebSocketRoute("/link", self._link),
            WebSocketRoute("/page", self._follow),
        ]
        self._host = Host(Starlette(routes=routes), port, sockets=True)

    @property
    def address(self) -> str:
        """Where its page is."""
        return self._host.address

    @property
    def link_address(self) -> str:
        """Where it takes scene links."""
        return self.address.replace("http", "ws", 1) + "/link"

    def start(self) -> None:
        """Open it."""
        self._host.open()

    def stop(self) -> None:
        """Close it; everybody is cut off."""
        self._host.close()
        if self.picture is not None:
            self.picture.stop()

    @property
    def links(self) -> int:
        """How many are linked."""
        return len(self._links)

    # What its user does

    def switch(self, scene: str) -> None:
        """Switch by hand."""
        self.current = scene
        self._tell("scene.changed", {"scene": scene, "at": _now()})

    def rename(self, scene: str, name: str) -> None:
        """Give a scene another name, and say so."""
        self.scenes = [name if one == scene else one for one in self.scenes]
        self.current = name if self.current == scene else self.current
        self._tell("scene.listed", {"scenes": self.scenes, "renamed": {"from": scene, "to": name}})

    def remove(self, scene: str) -> None:
        """Take a scene away."""
        self.scenes = [one for one in self.scenes if one != scene]
        self._tell("scene.listed", {"scenes": self.scenes})

    def stream(self, on: bool, at: str = "") -> None:
        """Begin or end streaming."""
        self.streaming_since = (at or _now()) if on else ""
        self._tell("streaming.started" if on else "streaming.stopped", {"at": at or _now()})

    def record(self, on: bool) -> None:
        """Begin or end recording."""
        self.recording_since = _now() if on else ""
        self._tell("recording.started" if on else "recording.stopped", {"at": _now()})

    def drop(self) -> None:
        """Cut every link off."""
        self._soon(lambda: [asyncio.ensure_future(one.close()) for one in list(self._links)])

    def nonsense(self, *texts: str) -> None:
        """Say these to every link, whatever they are."""
        self._soon(lambda: [asyncio.ensure_future(one.send_text(text)) for one in self._links for text in texts])

    def _soon(self, job: Callable[[], Any]) -> None:
        if self._loop is not None:
            self._loop.call_soon_threadsafe(job)

    def _tell(self, method: str, params: Mapping[str, Any]) -> None:
        said = json.dumps({"jsonrpc": "2.0", "method": method, "params": params})
        self._soon(lambda: [asyncio.ensure_future(_sent(one, said)) for one in self._links])
        self._soon(self._show)

    # Its page

    async def _page(self, request: Request) -> HTMLResponse:
        page = resources.files("tesoura.standins").joinpath("compositor.html").read_text("utf-8")
        return HTMLResponse(page.replace("{{state}}", json.dumps(self._state()).replace("<", "\\u003c")))

    def _state(self) -> dict[str, Any]:
        return {
            "scenes": self.scenes,
            "current": self.current,
            "streaming": bool(self.streaming_since),
            "recording": bool(self.recording_since),
            "links": len(self._links),
            "slow": self.slow_s > 0,
            "refuses": self.refuses,
            "overlays": [
                {"name": name, "address": address, "shown": (self.current, name) not in self.hidden}
                for name, address in self.overlays.items()
            ],
        }

    def _show(self) -> None:
        for page in self._pages:
            asyncio.ensure_future(_sent(page, json.dumps(self._state())))  # noqa: RUF006 - a picture of a moment

    async def _follow(self, socket: WebSocket) -> None:
        self._loop = asyncio.get_running_loop()
        await socket.accept()
        self._pages.add(socket)
        with contextlib.suppress(WebSocketDisconnect):
            await socket.send_text(json.dumps(self._state()))
            while True:
                await socket.receive_text()
        self._pages.discard(socket)

    async def _do(self, request: Request) -> JSONResponse:
        self._loop = asyncio.get_running_loop()
        what, name = request.path_params["what"], request.query_params.get("name", "")
        if what == "scene" and name in self.scenes:
            self.switch(name)
        elif what == "stream":
            self.stream(not self.streaming_since)
        elif what == "record":
            self.record(not self.recording_since)
        elif what == "slow":
            self.slow_s = 0.0 if self.slow_s else 2.0
        elif what == "refuse":
            self.refuses = not self.refuses
        elif what == "rename":
            self.rename(self.current, f"{self.current} again"[:60])
        elif what == "vanish":
            self.drop()
        self._show()
        return JSONResponse(self._state())

    # Its scene link

    async def _link(self, socket: WebSocket) -> None:
        self._loop = asyncio.get_running_loop()
        await socket.accept()
        if not await self._let_in(socket):
            await socket.close(4403)
            return
        self._links.add(socket)
        self._show()
        jobs: set[asyncio.Task[None]] = set()
        with contextlib.suppress(WebSocketDisconnect, RuntimeError):
            while True:
                text = await socket.receive_text()
                # Beside each other: what it is slow at holds nothing else up.
                job = asyncio.create_task(self._answer(socket, text))
                jobs.add(job)
                job.add_done_callback(jobs.discard)
        self._links.discard(socket)
        self._show()

    async def _let_in(self, socket: WebSocket) -> bool:
        salt, nonce = _random(), _random()
        params: dict[str, Any] = {"version": 1, "salt": salt, "nonce": nonce} if self.password else {"open": True}
        await socket.send_text(json.dumps({"jsonrpc": "2.0", "method": "link.challenge", "params": params}))
        with contextlib.suppress(WebSocketDisconnect, ValueError, KeyError):
            said = json.loads(await socket.receive_text())
            given = said["params"]
            if not self.password:
                await socket.send_text(json.dumps({"jsonrpc": "2.0", "id": said["id"], "result": {"version": 1}}))
                return True
            if given.get("proof") == _proof(self.password, salt, nonce, "opener"):
                back = _proof(self.password, given["salt"], given["nonce"], "listener")
                result = {"version": 1, "proof": back}
                await socket.send_text(json.dumps({"jsonrpc": "2.0", "id": said["id"], "result": result}))
                return True
            error = {"code": NOT_PROVEN, "message": "Wrong password"}
            await socket.send_text(json.dumps({"jsonrpc": "2.0", "id": said["id"], "error": error}))
        return False

    async def _answer(self, socket: WebSocket, text: str) -> None:
        asked = json.loads(text)
        if "id" not in asked or "method" not in asked or self.mute:
            return
        await asyncio.sleep(self.slow_s)
        told: dict[str, Any] = {"jsonrpc": "2.0", "id": asked["id"]}
        try:
            if asked["method"] == "clip.save":
                told["result"] = await self._saved(asked.get("params") or {})
                if self.clips == TWICE:
                    await _sent(socket, json.dumps(told))
            else:
                told["result"] = self._done(asked["method"], asked.get("params") or {})
        except _Refused as error:
            told["error"] = {"code": error.code, "message": str(error)}
        await _sent(socket, json.dumps(told))

    def _done(self, method: str, params: Mapping[str, Any]) -> Any:
        self.asked.append((method, params))
        if method == "scene.list":
            since = {"streaming_since": self.streaming_since, "recording_since": self.recording_since}
            return {
                "scenes": [{"name": one, "sources": list(self.overlays)} for one in self.scenes],
                "current": self.current,
                **{name: at for name, at in since.items() if at},
            }
        if method == "scene.current":
            return {"scene": self.current}
        if method == "scene.switch":
            if self.refuses:
                raise _Refused(NOT_NOW, "A transition is in progress")
            if params.get("scene") not in self.scenes:
                raise _Refused(NO_SUCH_SCENE, f"There is no scene {params.get('scene')}")
            before, self.current = self.current, params["scene"]
            self._tell("scene.changed", {"scene": self.current, "at": _now()})
            return {"scene": self.current, "before": before}
        if method == "source.visible":
            return self._visible(params)
        raise _Refused(-32601, f"There is no method {method}")

    async def _saved(self, params: Mapping[str, Any]) -> Any:
        """Write the last seconds of the picture to a file, or do what it was told to do wrong."""
        self.asked.append(("clip.save", params))
        if self.picture is None or self.folder is None:
            raise _Refused(NOT_NOW, "No picture stored")
        if self.clips == NOTHING:
            await asyncio.Event().wait()
        self._saved_clips += 1
        path = self.folder / f"clip-{self._saved_clips:03d}.mp4"
        if self.clips == SAME and self._last_clip:
            return self._last_clip
        try:
            long, ends_at = await asyncio.to_thread(self.picture.save, path, float(params.get("seconds", 10)))
        except LookupError as error:
            raise _Refused(NOT_NOW, str(error)) from None
        if self.clips == BROKEN:
            path.write_bytes(path.read_bytes()[: path.stat().st_size // 3])
        self._last_clip = {
            "path": str(path),
            "seconds": round(long, 2),
            "ends_at": ends_at.isoformat(timespec="milliseconds"),
        }
        self._tell("clip.saved", {"path": str(path), "at": _now()})
        return self._last_clip

    def _visible(self, params: Mapping[str, Any]) -> Any:
        source, key = params.get("source"), (params.get("scene", self.current), params.get("source", ""))
        if source not in self.overlays:
            raise _Refused(NO_SUCH_SOURCE, f"There is no source {source}")
        if params.get("visible") is True:
            self.hidden.discard(key)
        elif params.get("visible") is False:
            self.hidden.add(key)
        self._show()
        return {"source": source, "visible": key not in self.hidden}


async def _sent(socket: WebSocket, text: str) -> None:
    with contextlib.suppress(WebSocketDisconnect, RuntimeError):
        await socket.send_text(text)
