"""Other machines let in by a switch: a door of its own with a password, over TLS, closed with all who came in by it."""

from __future__ import annotations

import asyncio
import hashlib
import re
import socket
import ssl
import threading
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import httpx
import pytest
from flask import has_request_context
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from tesoura.links import rpc
from tesoura.outputs import connections
from tesoura.outputs.connections import Connections
from tesoura.runtime.facade import Runtime
from tesoura.runtime.tasks import fresh
from tesoura.store import log as event_log
from tests.conftest import Running, soon, until
from tests.runtime.test_devices import lay, paired
from tests.web.test_clip_pages import MADE_UP

PASSWORD = "kites-in-the-wind"
NO_QUESTIONS = ssl.create_default_context()
NO_QUESTIONS.check_hostname, NO_QUESTIONS.verify_mode = False, ssl.CERT_NONE


def open_door(running: Running, tls: str = "yes", password: str = PASSWORD) -> Any:
    """Switch listening on as its page does; the door."""
    running.do("listening.on", {"password": password, "tls": tls or "no"})
    return running.runtime.listening.door


@contextmanager
def visitor(door: Any) -> Iterator[httpx.Client]:
    """A browser that comes by the door for others."""
    at = f"http{'s' if door.tls else ''}://127.0.0.1:{door.port}"
    with httpx.Client(base_url=at, trust_env=False, verify=NO_QUESTIONS, follow_redirects=True, timeout=20) as client:
        yield client


def sign_in(client: httpx.Client, password: str) -> httpx.Response:
    token = re.search(r'name="csrf_token" value="([^"]+)"', client.get("/sign-in").text)
    assert token
    data = {"csrf_token": token[1], "password": password}
    return client.post("/sign-in", data=data, headers={"Referer": f"{client.base_url}/sign-in"})


def test_others_come_in_over_tls_with_the_password_and_are_put_out_when_it_is_switched_off(running: Running) -> None:
    door = open_door(running)
    with visitor(door) as client:
        assert client.get("/signals/").url.path == "/sign-in"
        assert client.get("/healthz").json().keys() == {"status", "version"}
        assert sign_in(client, PASSWORD).url.path == "/"
        page = client.get("/").text
        ticket = re.search(r'<meta name="desk" content="([^"]+)"', page)
        assert ticket
        assert ticket[1] != running.ticket
        with pytest.raises(InvalidStatus):
            connect(f"wss://127.0.0.1:{door.port}/live/desk/{running.ticket}", ssl=NO_QUESTIONS)
        with connect(f"wss://127.0.0.1:{door.port}/live/desk/{ticket[1]}", ssl=NO_QUESTIONS) as socket_:
            running.do("listening.off", {})
            with pytest.raises(ConnectionClosed):
                deque(iter(lambda: socket_.recv(timeout=10), None))
        with pytest.raises(httpx.ConnectError):
            client.get("/")
    assert running.client.get("/").status_code == 200
    with pytest.raises(InvalidStatus), connect(f"ws://127.0.0.1:{running.port}/live/desk/{ticket[1]}"):
        pass


def test_each_visitor_of_a_door_opened_from_the_page_is_somebody_else(running: Running) -> None:
    door = open_door(running, tls="")
    tokens, cookies = set(), set()
    for _ in range(3):
        with visitor(door) as client:
            answer = client.get("/sign-in")
            token = re.search(r'name="csrf_token" value="([^"]+)"', answer.text)
            assert token is not None
            tokens.add(token[1])
            cookies.add(str(sorted(client.cookies.items())))
            assert sign_in(client, PASSWORD).url.path == "/"
    assert (len(tokens), len(cookies)) == (3, 3)
    # A program that came by with its key leaves nobody else taken for it.
    with visitor(door) as client:
        sign_in(client, PASSWORD)
        running.client.post("/api/events", json={"type": "gift", "data": {}}, headers=running.auth)
        client.get("/api/signals", headers=running.auth)
        token = re.search(r'<meta name="csrf" content="([^"]+)"', client.get("/").text)
        assert token is not None
        data = {"csrf_token": token[1], "title": "Cups", "what": "number", "start": "0"}
        client.post("/feeds/new/hand", data=data, headers={"Referer": f"{client.base_url}/"})
    newest = running.store.read(lambda session: event_log.latest(session, 5))
    assert next(one.event.actor for one in newest if one.event.type == "tesoura.action") == "desk:127.0.0.1"


def test_nothing_that_a_request_starts_keeps_the_request(running: Running) -> None:
    async def started(self: Runtime) -> tuple[bool, bool, bool]:
        found: list[bool] = []

        async def look() -> None:
            found.append(has_request_context())

        await self._tasks.start(look(), "looking")
        called = asyncio.get_running_loop().create_future()
        asyncio.get_running_loop().call_later(0, called.set_result, None, context=fresh())
        await called
        await asyncio.gather(look(), look())
        return has_request_context(), found[0], any(found)

    with running.flask.test_request_context("/"):
        assert running.runtime.call(started) == (True, False, False)


def answered(door: Any, head: str, *parts: bytes) -> bytes:
    """What is answered to a request of which no more is sent than this."""
    with socket.create_connection(("127.0.0.1", door.port), 20) as wire:
        wire.sendall(f"{head}\r\nHost: 127.0.0.1:{door.port}\r\n\r\n".encode() + b"".join(parts))
        return wire.recv(4_000)


@pytest.mark.parametrize("path", ["/saves/files/look", "/api/clips", "/clips/send", "/in/nobody", "/media/video"])
def test_a_stranger_sends_nothing_large(running: Running, path: str) -> None:
    door = open_door(running, tls="")
    told = answered(door, f"POST {path} HTTP/1.1\r\nContent-Length: 900000")
    assert told.startswith(b"HTTP/1.1 401")
    chunk = b"8000\r\n" + b"x" * 0x8000 + b"\r\n"
    told = answered(door, f"POST {path} HTTP/1.1\r\nTransfer-Encoding: chunked", chunk, chunk)
    assert told.startswith(b"HTTP/1.1 401"), "nor without saying how much"


def test_who_has_signed_in_or_brings_a_key_sends_what_is_large(running: Running) -> None:
    door = open_door(running, tls="")
    with visitor(door) as client:
        sign_in(client, PASSWORD)
        page = client.get("/").text
        token = re.search(r'<meta name="csrf" content="([^"]+)"', page)
        assert token is not None
        data = {"csrf_token": token[1], "title": "Cups", "what": "number", "start": "x" * 200_000}
        answer = client.post("/feeds/new/hand", data=data, headers={"Referer": f"{client.base_url}/"})
        assert answer.status_code == 422
        clip = MADE_UP.read_bytes()
        assert len(clip) > 64_000
        assert client.post("/api/clips", content=clip, headers=running.auth).status_code == 201
        assert client.post("/api/clips", content=iter([clip]), headers=running.auth).status_code == 201
        assert client.post("/api/clips", content=clip, headers={"Authorization": "Bearer no"}).status_code == 401


@pytest.mark.parametrize("tls", ["", "yes"])
def test_idle_connections_of_others_are_bounded_and_ended_and_this_machine_goes_on(
    running: Running, monkeypatch: pytest.MonkeyPatch, tls: str
) -> None:
    # Over TLS they are in an unfinished handshake.
    monkeypatch.setattr(connections, "LOOK_S", 0.3)
    monkeypatch.setattr(connections, "HANDSHAKE_S", 0.9)
    running.runtime.listening.connections = Connections(most=20, most_of_one=12)
    door = open_door(running, tls=tls)
    idle = [socket.create_connection(("127.0.0.1", door.port), 20) for _ in range(15)]
    until(lambda: running.runtime.call(lambda self: self.listening.connections.refused) == 3)
    assert running.event(type="gift", data={"name": "Ana"}).status_code == 202
    # Half a head holds no place either.
    idle[0].sendall(b"GET / HTTP/1.1\r\nHost: ")
    until(lambda: running.runtime.call(lambda self: self.listening.connections.count) == 0)
    assert all(one.recv(10) == b"" for one in idle[:12])
    with visitor(door) as client:
        assert client.get("/healthz").status_code == 200
    for one in idle:
        one.close()


class Protocol:
    """As much of a server's protocol as its limits need."""

    cycle = None

    def __init__(self) -> None:
        self.loop = asyncio.get_running_loop()

    def connection_made(self, transport: Any) -> None:
        self.transport = transport


class Transport:
    """A connection from an address."""

    def __init__(self, address: str, protocol: Any) -> None:
        self._address, self._protocol, self.closed = address, protocol, False

    def get_extra_info(self, name: str) -> tuple[str, int]:
        return (self._address, 50_000)

    def get_protocol(self) -> Any:
        return self._protocol

    def is_closing(self) -> bool:
        return self.closed

    def close(self) -> None:
        self.closed = True

    abort = close


def test_at_the_own_port_other_machines_are_bounded_and_this_one_is_not(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(connections, "LOOK_S", 0.01)

    async def go() -> None:
        kept = Connections(most=3, most_of_one=2)
        made = connections.limited(Protocol, kept, counts=True, spares_own=True)

        def connect_from(address: str) -> Transport:
            protocol = made()
            transport = Transport(address, protocol)
            protocol.connection_made(transport)
            return transport

        own = [connect_from("127.0.0.1") for _ in range(20)]
        others = [connect_from(one) for one in ("10.0.0.9", "10.0.0.9", "10.0.0.9", "10.0.0.7", "10.0.0.6")]
        assert [one.closed for one in others] == [False, False, True, False, True]
        assert (kept.count, kept.refused) == (3, 2)
        await soon(lambda: all(one.closed for one in others))
        assert not any(one.closed for one in own)
        assert kept.count == 0

    asyncio.run(go())


def test_a_socket_that_stays_open_is_no_idle_connection(running: Running, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(connections, "LOOK_S", 0.2)
    token = running.add_overlay("{gift.name}")
    door = open_door(running, tls="")
    with connect(f"ws://127.0.0.1:{door.port}/live/{token}") as page:
        page.recv(timeout=10)
        looked = threading.Event()

        async def later(self: Runtime) -> None:
            asyncio.get_running_loop().call_later(1.5, looked.set)

        running.runtime.call(later)
        assert looked.wait(10)
        running.event(type="gift", data={"name": "Ana"})
        assert "Ana" in str(page.recv(timeout=10))


def test_the_desk_says_when_others_hold_nearly_all_connections(running: Running) -> None:
    running.runtime.listening.connections = Connections(most=2)
    door = open_door(running, tls="")
    with socket.create_connection(("127.0.0.1", door.port), 20), socket.create_connection(("127.0.0.1", door.port), 20):
        until(lambda: "Other machines hold 2 of 2 connections" in running.client.get("/desk/needs").text)


def test_this_machine_needs_no_password_whatever_the_door(running: Running) -> None:
    open_door(running)
    page = running.client.get("/devices/").text
    assert "Other machines can connect on port" in page
    assert running.client.get("/signals/").status_code == 200
    assert running.client.get("/", headers={"Host": f"10.0.0.3:{running.port}"}).status_code == 403


def test_the_fingerprint_on_the_page_is_that_of_the_certificate(running: Running) -> None:
    door = open_door(running)
    with socket.create_connection(("127.0.0.1", door.port)) as raw, NO_QUESTIONS.wrap_socket(raw) as wire:
        der = wire.getpeercert(binary_form=True)
    assert der
    shown = ":".join(f"{one:02X}" for one in hashlib.sha256(der).digest())
    assert shown in running.client.get("/devices/").text
    assert (running.folder / "network.pem").stat().st_mode & 0o077 == 0


def test_the_door_opens_again_after_a_restart_and_old_sign_ins_end_with_the_password(running: Running) -> None:
    door = open_door(running, tls="")
    with visitor(door) as client:
        sign_in(client, PASSWORD)
        assert client.get("/signals/").status_code == 200
        running.stop()
        anew = Running(running.folder, running.port)
        try:
            again = anew.runtime.listening.door
            assert again is not None
            assert again.port == door.port
            assert client.get("/signals/").url.path == "/signals/"
            open_door(anew, tls="", password="another-kite")
            assert client.get("/signals/").url.path == "/sign-in"
            assert sign_in(client, PASSWORD).status_code == 403
        finally:
            anew.stop()


def test_wrong_passwords_are_slowed_after_five_and_logged(running: Running) -> None:
    door = open_door(running, tls="")
    with visitor(door) as client:
        answers = [sign_in(client, f"wrong-{number}").status_code for number in range(7)]
        assert answers == [403] * 5 + [429] * 2
        late = sign_in(client, PASSWORD)
        assert late.status_code == 429
        assert 55 <= int(late.headers["Retry-After"]) <= 60
    until(lambda: running.client.get("/log/").text.count("wrong password entered") >= 5)
    assert "wrong-1" not in running.client.get("/log/").text


def test_a_phone_is_paired_over_the_door_and_needs_no_password(running: Running) -> None:
    lay(running, does="air")
    token = paired(running)
    door = open_door(running)
    with connect(f"wss://127.0.0.1:{door.port}/device-socket", ssl=NO_QUESTIONS) as wire:
        wire.send(rpc.request(1, "device.hello", {"version": 1, "name": "x", "token": token}))
        assert '"device": "Pier pad"' in str(wire.recv(timeout=5))
    with visitor(door) as client:
        assert client.get("/phone/pair").status_code == 200


@pytest.mark.parametrize(
    ("password", "words"), [("short", "8 characters or more"), ("x" * 201, "8 characters or more")]
)
def test_a_door_without_a_good_password_stays_closed(running: Running, password: str, words: str) -> None:
    answer = running.do("listening.on", {"password": password})
    assert (answer.status_code, "8 characters or more" in answer.text) == (422, True)
    assert running.runtime.listening.door is None


def test_only_this_machine_opens_the_door(running: Running) -> None:
    door = open_door(running, tls="")
    with visitor(door) as client:
        sign_in(client, PASSWORD)
        refused = running.client.post("/api/actions/listening.off", json={}, headers=running.auth)
        assert refused.status_code == 403
        # Signed in by that door one is not on this machine, whatever address one has.
        token = re.search(r'<meta name="csrf" content="([^"]+)"', client.get("/devices/").text)
        assert token
        said = client.post("/do/listening.off", data={"csrf_token": token[1]}).text
        assert "is only allowed for: the owner, on this machine." in said
        assert running.runtime.listening.door == door
        with pytest.raises(InvalidStatus):
            connect(f"ws://127.0.0.1:{door.port}/device-socket", origin="http://example.org").__enter__()  # type: ignore[call-overload]
