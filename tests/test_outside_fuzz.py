"""What comes in by the other ways, as nobody would send it: chat, links, devices, times, chunks, videos.

Seeded and short here; FUZZ_SEED and FUZZ_OUTSIDE (how many times as much) for longer by hand.
"""

from __future__ import annotations

import asyncio
import json
import math
import os
import random
import socket
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from irctokens.line import tokenise

from tesoura.clips.workers import ClipWorker
from tesoura.core.desk.faces import ButtonFace
from tesoura.core.forms.form import fill
from tesoura.core.instants import iso_instant, stored_instant, told_instant
from tesoura.errors import FileRefused, SourceError, TooMuch
from tesoura.links import rpc
from tesoura.links.irc import KIND as IRC
from tesoura.links.irc.session import Session
from tesoura.links.rpc import Garbled, RequestObject, ResponseObject
from tesoura.links.scene import protocol as scene_protocol
from tests.clips.test_clips import clip, picture
from tests.conftest import Running, soon
from tests.links.test_device import HELLO, Board, Talk
from tests.web.test_fuzz import NASTY, ODD, spoil

SEED = int(os.environ.get("FUZZ_SEED", "7"))
TIMES = int(os.environ.get("FUZZ_OUTSIDE", "1"))
__all__ = ["clip", "picture"]


@pytest.fixture
def chance() -> random.Random:
    return random.Random(SEED)


CHAT = (
    "CAP * LS :sasl message-tags server-time account-tag echo-message",
    "CAP * ACK :message-tags",
    "AUTHENTICATE +",
    ":s 001 pad :Welcome",
    ":s 005 pad CASEMAPPING=ascii PREFIX=(ov)@+ :are supported",
    ":s 353 pad = #a :@mara +otto",
    ":pad!u@h JOIN #a",
    ":mara!u@h MODE #a +o otto",
    ":mara!u@h MODE #a +mvv otto ines",
    ":s 324 pad #a +m",
    "@time=2026-11-26T19:00:00Z;account=m;display-name=Mara :mara!u@h PRIVMSG #a :three kites",
    ":mara!u@h NICK maria",
    ":mara!u@h PART #a",
    ":mara!u@h KICK #a otto :bye",
    ":mara!u@h QUIT",
    "PING :x",
    ":s 433 * pad :Nickname is in use",
    ":s 432 * pad :Erroneous nickname",
    "ERROR :Closing",
    ":s NOTICE pad :hello",
    ":mara!u@h PRIVMSG #a :\x01ACTION waves\x01",
    ":s 404 pad #a :Cannot send",
    ":s 904 pad :SASL failed",
)


def _line(chance: random.Random) -> str:
    line = chance.choice(CHAT)
    for _ in range(chance.choice((0, 1, 1, 2, 5))):
        at, kind = chance.randrange(len(line) + 1), chance.randrange(5)
        odd = chance.choice(("\x00", "\x1b[2J", "\u202e", "\ud83d", "@", ":", ";", "=", " ", "\x03", "K", "٣", "\\"))
        if kind == 0:
            line = line[:at] + odd + line[at:]
        elif kind == 1:
            line = line[:at] + line[at + chance.choice((1, 4, 30)) :]
        elif kind == 2:
            line = line[:at] + line[at : at + 20] * chance.choice((2, 90)) + line[at:]
        elif kind == 3:
            parts = line.split(" ")
            parts[chance.randrange(len(parts))] = chance.choice(NASTY)[:400]
            line = " ".join(parts)
        else:
            line = line.replace("2026-11-26T19:00:00Z", chance.choice(NASTY)[:80].replace(" ", ""))
    return line.replace("\r", "").replace("\n", "").replace("\x00", "")


def test_no_line_of_a_chat_breaks_its_session_or_leaves_a_mark_in_what_is_told(chance: random.Random) -> None:
    said, told_of_errors = 0, list[str]()
    for _ in range(60 * TIMES):
        session = Session(fill(IRC.fields, {"host": "chat.example", "channel": "a", "nick": "pad"}).choices, "")
        session.begin()
        for _ in range(60):
            try:
                line = tokenise(_line(chance))
            except (ValueError, IndexError):
                # The library's own word for what is no line; it is passed over where lines are read.
                continue
            try:
                came = session.take(line)
            except SourceError as error:
                told_of_errors.append(str(error))
                continue
            assert all("\r" not in one and "\n" not in one and "\0" not in one for one in came.send)
            if came.said is not None:
                said += 1
                told = json.loads(json.dumps(came.said.data()))
                assert all(one.isprintable() for one in told.values() if isinstance(one, str)), told
                json.dumps(told, ensure_ascii=False).encode()
    assert said > 100 * TIMES
    assert [one for one in told_of_errors if not one.isprintable()] == []


FRAMES: tuple[dict[str, Any], ...] = (
    {"jsonrpc": "2.0", "id": 1, "method": "device.hello", "params": {**HELLO, "token": "dev_x"}},
    {"jsonrpc": "2.0", "id": 2, "method": "button.press", "params": {"button": "b1", "press": "p1", "on": True}},
    {"jsonrpc": "2.0", "id": 3, "method": "button.hold", "params": {"button": "b1", "press": "p2"}},
    {"jsonrpc": "2.0", "id": 4, "method": "dial.turn", "params": {"button": "b1", "by": 2, "level": 0.5}},
    {"jsonrpc": "2.0", "id": 5, "method": "leaf.show", "params": {"leaf": "l1", "from": 2}},
    {"jsonrpc": "2.0", "id": 6, "result": {"scenes": ["Play", "Talk"], "scene": "Play", "version": 1}},
    {"jsonrpc": "2.0", "id": 7, "error": {"code": 1, "message": "no"}},
    {"jsonrpc": "2.0", "method": "scene.changed", "params": {"scene": "Talk", "in_s": 1.5}},
)


def _frame(chance: random.Random) -> str:
    if chance.random() < 0.1:
        return chance.choice(NASTY)
    text = json.dumps(spoil(chance, chance.choice(FRAMES)))
    if chance.random() < 0.2:
        at = chance.randrange(len(text))
        text = text[:at] + chance.choice(("\\ud83d", "1e400", "NaN", "]", '"', "\u2028", "[" * 500)) + text[at:]
    return text


def test_no_frame_of_a_link_breaks_its_reader_and_none_keeps_half_a_character(chance: random.Random) -> None:
    for _ in range(4_000 * TIMES):
        said = rpc.read(_frame(chance))
        assert isinstance(said, ResponseObject | RequestObject | Garbled)
        repr(said).encode()
        told = said.params if isinstance(said, RequestObject) else getattr(said, "result", None)
        json.dumps(told, ensure_ascii=False).encode()
        scene_protocol.scenes_in(told)
        scene_protocol.scene_name(told).encode()
        seconds = scene_protocol.seconds(told)
        assert seconds is None or math.isfinite(seconds)


def test_no_message_of_a_device_ends_its_connection_by_an_error(chance: random.Random) -> None:
    async def talk() -> None:
        one = Talk(Board(ButtonFace("b1", "Talk", "")))
        running = asyncio.create_task(one.talk.run())
        one.say("device.hello", HELLO, 1_000)
        await one.heard(1_000)
        # As many as its pace allows at once; further ones would be cut off.
        for _ in range(12):
            one.raw(_frame(chance))
        one.say("leaf.show", {"leaf": "l1"}, 1_001)
        await soon(lambda: running.done() or any(told.get("id") == 1_001 for told in one.told))
        one.end()
        assert isinstance(await running, str)
        json.dumps(one.told, ensure_ascii=False).encode()

    for _ in range(25 * TIMES):
        asyncio.run(talk())


def test_no_time_breaks_who_reads_it(chance: random.Random) -> None:
    signs = "0123456789-+:.TZ eE/,\u0663"
    for _ in range(6_000 * TIMES):
        told: object = "".join(chance.choice(signs) for _ in range(chance.randrange(30)))
        if chance.random() < 0.3:
            base = f"{chance.randrange(10_000):04}-{chance.randrange(20):02}-{chance.randrange(40):02}"
            zone = chance.choice(("Z", "+24:00", "-14:00", ""))
            told = f"{base}T{chance.randrange(30):02}:{chance.randrange(70):02}:00{zone}"
        elif chance.random() < 0.2:
            told = chance.choice((*ODD, chance.uniform(-1e18, 1e18), chance.randrange(-(10**20), 10**20)))
        for found in (told_instant(told), iso_instant(told)):
            assert found is None or datetime(1900, 1, 1, tzinfo=UTC) <= found < datetime(3000, 1, 1, tzinfo=UTC)
        stored_instant(chance.randrange(-(2**63), 2**63)).astimezone(UTC).isoformat()


WAYS = ("/sign-in", "/api/events", "/in/guess", "/session/start", "/saves/files/look", "/feeds/new/http", "/o/guess")
LENGTHS = (
    "Transfer-Encoding: chunked",
    "transfer-encoding:chunked",
    "Transfer-Encoding: gzip, chunked",
    "Transfer-Encoding: chunked\r\nContent-Length: 5",
    "Content-Length: 99999999999999999999",
    "Content-Length: -1",
    "Content-Length: 5\r\nContent-Length: 6",
    "Transfer-Encoding: chunked\r\nExpect: 100-continue",
)
CHUNKS = (
    b"5\r\nkites\r\n",
    b"0\r\n\r\n",
    b"ffffffffffffffff\r\n",
    b"-1\r\n",
    b"5\nkites\n",
    b"\r\n",
    b"zz\r\n",
    b"5;k=" + b"x" * 3_000 + b"\r\nkites\r\n",
    b"0\r\nX-Late: 1\r\n\r\n",
    b"10000\r\n" + b"k" * 65_536 + b"\r\n",
    b"\0" * 90,
)


def test_no_chunk_breaks_the_server(running: Running, chance: random.Random) -> None:
    for _ in range(60 * TIMES):
        with suppress(OSError), socket.create_connection(("127.0.0.1", running.port), 5) as wire:
            head = f"POST {chance.choice(WAYS)} HTTP/1.1\r\nHost: 127.0.0.1:{running.port}\r\nConnection: close\r\n"
            wire.sendall(f"{head}{chance.choice(LENGTHS)}\r\n\r\n".encode())
            for _ in range(chance.randrange(5)):
                wire.sendall(chance.choice(CHUNKS))
            wire.shutdown(socket.SHUT_WR)
            answer = b""
            while data := wire.recv(65_536):
                answer += data
            assert b" 500 " not in answer[:20], answer[:300]
    assert running.event(type="gift", data={"name": "Ana"}).status_code == 202
    assert running.client.get("/").status_code == 200


def test_no_damaged_video_ends_more_than_its_own_reading(clip: Path, tmp_path: Path, chance: random.Random) -> None:
    sound = clip.read_bytes()

    async def go() -> tuple[int, list[str]]:
        worker, read, refused = ClipWorker(), 0, list[str]()
        try:
            for turn in range(25 * TIMES):
                data = bytearray(sound)
                for _ in range(chance.choice((1, 4, 40))):
                    at = chance.randrange(len(data))
                    # Boxes stand at both ends; damage there is worse than in between.
                    at = at if turn % 3 else chance.choice((at % 4_000, max(len(data) - 1 - at % 6_000, 0)))
                    data[at : at + 4] = chance.choice((b"\xff" * 4, b"\0" * 4, b"\x7f\xff\xff\xff", os.urandom(4)))
                path = tmp_path / "clip.mp4"
                path.write_bytes(data[: chance.choice((len(data), len(data), len(data) // 2))])
                try:
                    found = await worker.run("look", {"path": str(path)})
                    read += found["width_px"] > 0
                except (FileRefused, TooMuch) as error:
                    refused.append(str(error))
            path.write_bytes(sound)
            assert (await worker.run("look", {"path": str(path)}))["width_px"] == 640
        finally:
            await worker.stop()
        return read, refused

    read, refused = asyncio.run(go())
    assert (read > 0, len(refused) > 0) == (True, True)
    assert all(one.isprintable() for one in refused)
