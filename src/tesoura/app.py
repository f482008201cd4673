"""The server: one ASGI application out of the sockets, the static files, health, and Flask's pages."""

from __future__ import annotations

import asyncio
import contextlib
import functools
import mimetypes
import socket
import ssl
from collections.abc import AsyncIterator, Awaitable, Callable
from pathlib import Path
from stat import S_ISREG
from typing import Any

import uvicorn
from a2wsgi import WSGIMiddleware
from starlette.applications import Starlette
from starlette.datastructures import Headers
from starlette.middleware import Middleware
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Mount, Route, WebSocketRoute
from starlette.staticfiles import NotModifiedResponse, StaticFiles
from starlette.types import ASGIApp, Receive, Scope, Send
from uvicorn.protocols.http.auto import AutoHTTPProtocol

import tesoura
from tesoura.actions.buttons import Buttons
from tesoura.core.hosts import is_this_machine
from tesoura.errors import PortInUse
from tesoura.links.device.door import DeviceDoor
from tesoura.links.scene.door import SceneDoor
from tesoura.outputs.connections import TlsEntrance, limited
from tesoura.outputs.frames import FrameWriter
from tesoura.outputs.sockets import DeskSocket, OverlaySocket
from tesoura.runtime.facade import Runtime
from tesoura.settings import STATIC, Settings, device_cookie
from tesoura.store.store import Store
from tesoura.web import Tickets, create_pages
from tesoura.web.access.views import may_send
from tesoura.web.api.intake import EVENTS, EventsDoor
from tesoura.web.guard import Guard
from tesoura.web.starting import answer_starting
from tesoura.web.whole import WholeRequests

WORKER_THREADS = 16
KEPT_BYTES = 1_000_000
"""The largest static file that is kept in memory."""


class _Static(StaticFiles):
    """Static files. Their addresses carry the build's name, so a browser may keep them for good.

    They are kept in memory once they were asked for: a page asks for a dozen at once, and its first paint waits.
    """

    def __init__(self, directory: Path) -> None:
        super().__init__(directory=directory)
        self._kept: dict[str, tuple[int, bytes, str]] = {}

    async def get_response(self, path: str, scope: Scope) -> Response:
        """The file, with how long to keep it."""
        response = self._from_memory(path, scope) or await super().get_response(path, scope)
        keep = b"v=" in scope.get("query_string", b"") or path.endswith(".woff2")
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable" if keep else "no-cache"
        return response

    def _from_memory(self, path: str, scope: Scope) -> Response | None:
        """The whole file; None for what is asked for in parts, is not there, or is too large to be kept."""
        asked = Headers(scope=scope)
        found, stat = self.lookup_path(path)
        if "range" in asked or scope["method"] != "GET" or stat is None or stat.st_size > KEPT_BYTES:
            return None
        changed, body, kind = self._kept.get(path, (0, b"", ""))
        if changed != stat.st_mtime_ns:
            if not S_ISREG(stat.st_mode):
                return None
            body, kind = Path(found).read_bytes(), mimetypes.guess_type(found)[0] or "application/octet-stream"
            self._kept[path] = (stat.st_mtime_ns, body, kind)
        response = Response(body, media_type=kind, headers={"ETag": f'"{stat.st_mtime_ns:x}-{stat.st_size:x}"'})
        return NotModifiedResponse(response.headers) if self.is_not_modified(response.headers, asked) else response


class Application(Starlette):
    """Starlette, with one address led straight to its door: past all that finds the others.

    While Tesoura starts, all but the static files is answered with how far it is.
    """

    def __init__(self, path: str, door: ASGIApp, runtime: Runtime, **more: Any) -> None:
        super().__init__(**more)
        self._path, self._door, self._runtime = path, door, runtime

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Serve one request or connection."""
        if scope["type"] == "lifespan" or (not self._runtime.is_ready and scope["path"].startswith("/static/")):
            await super().__call__(scope, receive, send)
        elif not self._runtime.is_ready:
            await answer_starting(scope, receive, send, self._runtime.startup.progress)
        elif scope["type"] == "http" and scope["path"] == self._path:
            await self._door(scope, receive, send)
        else:
            await super().__call__(scope, receive, send)


def create_app(settings: Settings, store: Store) -> Starlette:
    """The whole application for one open data folder."""
    runtime = Runtime(store, settings)

    @contextlib.asynccontextmanager
    async def lifespan(_: Starlette) -> AsyncIterator[None]:
        runtime.begin()
        yield
        await runtime.stop()

    async def health(request: Request) -> JSONResponse:
        here = request.client is None or is_this_machine(request.client.host)
        by_the_door = runtime.listening.is_away((request.scope.get("server") or ("", 0))[1])
        if settings.password is not None or by_the_door or not here:
            # Others may ask whether it runs, and nothing else.
            return JSONResponse({"status": "ok", "version": tesoura.__version__})
        feeds = {report.name: report.state.freshness.value for report in runtime.feeds.reports()}
        failed = runtime.failing()
        told = {"status": "failing" if failed else "ok", "version": tesoura.__version__, "feeds": feeds}
        return JSONResponse({**told, "pages": runtime.hub.pages, "failed": failed})

    pages = create_pages(runtime, settings)
    tickets = Tickets(runtime, settings)
    buttons = Buttons(runtime)
    runtime.devices.operated_by(buttons, tickets.knows)
    runtime.controls.operator = runtime.system_keys.operator = buttons
    away = runtime.listening.is_away
    application = Application(
        EVENTS,
        Guard(EventsDoor(runtime), settings, away),
        runtime,
        routes=[
            Route("/healthz", health),
            WebSocketRoute("/live/desk/{ticket}", DeskSocket(runtime.hub, tickets.knows, runtime.topics.since)),
            WebSocketRoute("/scene-link/{name}", SceneDoor(runtime.links.arrive)),
            WebSocketRoute(
                "/device-socket", DeviceDoor(runtime.devices.admit, runtime.devices.leave, device_cookie(settings))
            ),
            WebSocketRoute("/live/{token}", OverlaySocket(runtime.hub)),
            Mount("/static", _Static(STATIC)),
            Mount("/", WholeRequests(WSGIMiddleware(pages, workers=WORKER_THREADS), may_send(pages))),  # type: ignore[arg-type]
        ],
        middleware=[Middleware(Guard, settings, away)],
        lifespan=lifespan,
    )
    application.state.runtime = runtime
    return application


def listen(host: str, port: int) -> socket.socket:
    """A socket that listens there. Raises PortInUse."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    listening = socket.socket(family, socket.SOCK_STREAM)
    if hasattr(socket, "SO_EXCLUSIVEADDRUSE"):
        listening.setsockopt(socket.SOL_SOCKET, socket.SO_EXCLUSIVEADDRUSE, 1)
    else:
        listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((host, port))
        listening.listen(512)
    except (OSError, OverflowError) as error:
        listening.close()
        raise PortInUse(
            f"Nothing can listen on {host}:{port} ({getattr(error, 'strerror', None) or error}). "
            "Perhaps Tesoura is running already; else give another port with --port."
        ) from error
    return listening


class Server(uvicorn.Server):
    """uvicorn, telling when it is ready."""

    def __init__(self, app: Starlette, ready: Callable[[], None]) -> None:
        runtime: Runtime = app.state.runtime
        super().__init__(
            uvicorn.Config(
                app,
                http=limited(AutoHTTPProtocol, runtime.listening.connections, counts=True, spares_own=True),
                log_level="warning",
                access_log=False,
                ws=FrameWriter,
                ws_per_message_deflate=False,
                ws_max_size=64_000,
                timeout_graceful_shutdown=3,
                server_header=False,
                proxy_headers=False,
            )
        )
        self._ready = ready
        self._waiting: asyncio.Task[None] | None = None
        self.failure: Exception | None = None
        """What kept Tesoura from starting."""

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        """Answer from now on, and call `ready` once everything runs."""
        await super().startup(sockets)
        if self.started:
            self._waiting = asyncio.create_task(self._when_ready(), name="waiting for the start")

    async def _when_ready(self) -> None:
        runtime: Runtime = self.config.app.state.runtime  # type: ignore[union-attr]
        try:
            await runtime.ready()
            await runtime.listening.served_by(self)
        except Exception as error:
            self.failure, self.should_exit = error, True
            return
        self._ready()

    async def open(self, listening: socket.socket, tls: ssl.SSLContext | None) -> Callable[[], Awaitable[None]]:
        """Serve what comes in there, too; what ends that, and puts out who came in by it."""
        config = self.config
        runtime: Runtime = config.app.state.runtime  # type: ignore[union-attr]
        connections = runtime.listening.connections
        protocol: Any = limited(AutoHTTPProtocol, connections, counts=tls is None)
        made = functools.partial(protocol, config=config, server_state=self.server_state, app_state=self.lifespan.state)
        port = listening.getsockname()[1]
        serving: asyncio.Server | TlsEntrance
        if tls is None:
            serving = await asyncio.get_running_loop().create_server(made, sock=listening, backlog=512)
        else:
            serving = TlsEntrance(connections, made, tls)
            serving.open(listening)

        async def close() -> None:
            serving.close()
            for one in list(self.server_state.connections):
                at = one.transport.get_extra_info("sockname") if one.transport else None
                if at and at[1] == port:
                    one.transport.abort()

        return close
