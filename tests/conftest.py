"""What many tests need: the count service, and a Tesoura that really runs."""

from __future__ import annotations

import asyncio
import contextlib
import re
import socket
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

import httpx
import pytest
from flask import Flask
from hypothesis import settings as hypothesis_settings

from tesoura.app import Server, create_app, listen
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.runtime.facade import Runtime
from tesoura.settings import Settings, wall_clock
from tesoura.standins.members import MembersService
from tesoura.standins.practice import Practice
from tesoura.store import feeds as stored_feeds
from tesoura.store import keys
from tesoura.store import overlays as stored_overlays
from tesoura.store.database import FILE_NAME
from tesoura.store.store import Store, open_store
from tesoura.store.tables import SignalRow
from tesoura.web import desk_ticket
from tesoura.web.shared.doors import EXTENSION, Doors

# A slow machine is no failure.
hypothesis_settings.register_profile("patient", deadline=None)
hypothesis_settings.load_profile("patient")


def until(true: Callable[[], Any], for_s: float = 60.0) -> Any:
    """Wait until this is true, and give it; fail when it does not become so in time."""
    end = time.monotonic() + for_s
    while not (result := true()):
        if time.monotonic() > end:
            raise AssertionError(f"not within {for_s} s: {true}")
        threading.Event().wait(0.02)
    return result


async def soon(true: Callable[[], Any], for_s: float = 5.0) -> Any:
    """The same on a loop: wait until this is true, and give it."""
    for _ in range(round(for_s / 0.005)):
        if result := true():
            return result
        await asyncio.sleep(0.005)
    raise AssertionError(f"not within {for_s} s: {true}")


def flat(html: str) -> str:
    """A page's text as a browser takes it: white space is one space, and between tags none."""
    return re.sub(r">\s+<", "><", " ".join(html.split())).replace("&#39;", "'")


@pytest.fixture
def members() -> Iterator[MembersService]:
    """The count service, whose counts stand still."""
    service = MembersService()
    service.freeze()
    service.start()
    service.put("mara_vane", 1284)
    yield service
    service.stop()


@lru_cache(maxsize=1)
def _empty_database() -> bytes:
    """A database as a first start makes it, made once: what brings it up to date takes longer than most tests."""
    with tempfile.TemporaryDirectory() as folder:
        open_store(Path(folder)).close()
        return (Path(folder) / FILE_NAME).read_bytes()


def first_start(folder: Path) -> None:
    """Make a data folder as a first start does, unless it is one."""
    if not (folder / FILE_NAME).exists():
        folder.mkdir(parents=True, exist_ok=True)
        (folder / FILE_NAME).write_bytes(_empty_database())


class Clock:
    """A wall clock that stands still until it is set forward."""

    def __init__(self, now: datetime) -> None:
        self.now = now

    def __call__(self) -> datetime:
        return self.now

    def lasting_s(self) -> float:
        """Seconds on a clock that nobody sets: what passes here is what passes there."""
        return self.now.timestamp()


class QuickServer(Server):
    """The server as it is, but for the tenths of a second that it waits for nothing when it ends."""

    _told: asyncio.Event
    _loop: asyncio.AbstractEventLoop

    async def main_loop(self) -> None:
        self._told, self._loop = asyncio.Event(), asyncio.get_running_loop()
        await self.on_tick(0)
        await self._told.wait()

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        for listening in (*self.servers, *(sockets or ())):
            listening.close()
        for connection in list(self.server_state.connections):
            connection.shutdown()
        # What is being answered is answered; uvicorn looks for that ten times a second.
        for _ in range(600):
            await asyncio.sleep(0.005)
            if not self.server_state.tasks:
                break
        await self.lifespan.shutdown()

    def end(self) -> None:
        with contextlib.suppress(RuntimeError):
            # Unless it has ended before.
            self._loop.call_soon_threadsafe(self._told.set)


class Running:
    """A Tesoura that runs in a thread, and a client for its pages and its API."""

    def __init__(self, folder: Path, port: int = 0, wait: bool = True, **settings: Any) -> None:
        """Start it; without `wait`, go on while it still starts: `await_ready` waits then."""
        self.folder = folder
        self._sockets = [listen("127.0.0.1", port)]
        self.port = self._sockets[0].getsockname()[1]
        self.settings = Settings(folder, port=self.port, **{"save_every_s": 0.2, **settings})
        first_start(folder)
        self.store: Store = open_store(folder)
        self._ready = threading.Event()
        self._app = create_app(self.settings, self.store)
        self._server = QuickServer(self._app, self._ready.set)
        self._thread = threading.Thread(target=self._server.run, kwargs={"sockets": self._sockets}, daemon=True)
        self._thread.start()
        self.address = self.settings.address
        # Nothing here is encrypted, and reading all authorities there are takes longer than many a test.
        self.client = httpx.Client(base_url=self.address, trust_env=False, timeout=20, verify=False)
        if wait:
            self.await_ready()
        self.key = self.store.write(lambda session: keys.new_key(session, "tests", wall_clock()))
        self.auth = {"Authorization": f"Bearer {self.key}"}

    def await_ready(self) -> None:
        """Wait until it has started."""
        assert self._ready.wait(20)

    def stop(self) -> None:
        """Stop it in good order."""
        self.client.close()
        self._server.end()
        self._thread.join(15)
        for one in self._sockets:
            one.close()
        self.store.close()

    def kill(self) -> None:
        """Stop it as a crash would: nothing more is saved."""

        async def nothing(trails: bool) -> None:
            return None

        self.runtime.persistence.save = nothing  # type: ignore[method-assign]
        self.stop()

    @property
    def flask(self) -> Flask:
        """The pages' application."""
        app: Flask = self._app.routes[-1].app.app.app.wsgi_app.__self__  # type: ignore[attr-defined]
        return app

    @property
    def ticket(self) -> str:
        """What a page must know to open the desk's live link."""
        return desk_ticket(self.store, self.settings)

    @property
    def runtime(self) -> Runtime:
        """The runtime inside, for what no page can tell."""
        doors: Doors = self.flask.extensions[EXTENSION]
        return doors.runtime

    def event(self, **event: Any) -> httpx.Response:
        """Post one event."""
        return self.client.post("/api/events", json=event, headers=self.auth)

    def signal(self, name: str) -> dict[str, Any]:
        """A signal as the API gives it."""
        return dict(self.client.get(f"/api/signals/{name}", headers=self.auth).json())

    def press(self, page: str, to: str, data: Mapping[str, Any] | None = None, **more: Any) -> httpx.Response:
        """Post a form as the page would, with the page's token."""
        token = re.search(r'<meta name="csrf" content="([^"]+)"', self.client.get(page).text)
        assert token
        return self.client.post(to, data={"csrf_token": token[1], **(data or {})}, **more)

    def do(self, action: str, data: Mapping[str, Any] | None = None, **more: Any) -> httpx.Response:
        """Perform an action as a page's form does; some of its parameters can follow its name as a query."""
        return self.press("/", f"/do/{action}{'&' if '?' in action else '?'}_then=result", data, **more)

    def undo(self, page: str = "/") -> httpx.Response:
        """Press Undo beside the message that the last action left on the next page."""
        undo = re.search(r'action="(/do/desk\.undo\?number=[^"]+)"', self.client.get(page).text)
        assert undo
        return self.press(page, undo[1].replace("&amp;", "&"))

    def add_feed(self, address: str, name: str = "reach", path: str = "channel.members", **choices: Any) -> None:
        """Put a feed with one signal into the store, before the pages are used."""

        def job(session: Any) -> None:
            filled = {"address": address, "key_in": "none", "period_s": 1.0, **choices}
            row = stored_feeds.add_feed(session, name, name.title(), "http", filled, wall_clock())
            session.add(SignalRow(name=f"{name}.members", feed_id=row.id or 0, path=path, unit="kite friends"))

        self.store.write(job)
        token = re.search(r'<meta name="csrf" content="([^"]+)"', self.client.get("/").text)
        assert token
        self.client.post(f"/do/feed.pause?feed={name}", data={"csrf_token": token[1], "paused": "no"})

    def publish(self, overlay_id: int | None) -> None:
        """Put an overlay's draft on air, whatever does not fit."""
        self.press("/", f"/overlays/{overlay_id}/publish", {"anyway": "yes"})

    def edit(self, overlay_id: int, *edits: Mapping[str, Any], **told: Any) -> httpx.Response:
        """Send edits of a draft as the mat does."""
        token = re.search(r'<meta name="csrf" content="([^"]+)"', self.client.get("/").text)
        assert token
        sent = {"edits": list(edits), "window": "tests", **told}
        return self.client.post(f"/overlays/{overlay_id}/edits", json=sent, headers={"X-CSRFToken": token[1]})

    def add_overlay(self, wording: str, **choices: Any) -> str:
        """Put an overlay with one text on air; its link's token."""
        piece = new_piece("text", "text", **{"wording": wording, "look": "ink", "size_px": 72, **choices})
        row = self.store.write(
            lambda session: stored_overlays.new_overlay(session, "Overlay", Overlay(pieces=(piece,)), wall_clock())
        )
        self.publish(row.id)
        return row.token


@pytest.fixture
def with_practice(tmp_path: Path) -> Iterator[Running]:
    """A server over an empty folder whose pages can start the services that come with Tesoura."""
    practice = Practice(tmp_path)
    made = Running(tmp_path / "data", practice=practice)
    yield made
    made.stop()
    practice.stop()


@pytest.fixture
def running(tmp_path: Path) -> Iterator[Running]:
    """A Tesoura on an empty data folder."""
    made = Running(tmp_path / "data")
    yield made
    made.stop()
