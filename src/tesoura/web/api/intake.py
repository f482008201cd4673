"""`POST /api/events`, the door that a thousand events a second come through: straight on the loop, without Flask."""

from __future__ import annotations

import json
import logging
from collections.abc import Awaitable, Callable, MutableMapping
from functools import lru_cache
from typing import Any, NamedTuple

from tesoura.errors import DataFolderError, KeyRefused, Unreadable
from tesoura.runtime.facade import Accepted, Runtime
from tesoura.web.api.models import parsed, read_events, whose
from tesoura.web.shared.errors import PROBLEM, problem_document

log = logging.getLogger(__name__)
EVENTS = "/api/events"
MAX_BYTES = 1_000_000
Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]


class _Refused(Exception):
    """What was sent is not taken: the answer's status and document, and further heads."""

    def __init__(self, status: int, title: str, detail: str, heads: tuple[tuple[bytes, bytes], ...] = (), **more: Any):
        super().__init__(title)
        self.status, self.heads = status, heads
        self.document = problem_document(status, title, detail, **more)


class EventsDoor:
    """Takes one event or a list; answered once they are safe on disk."""

    def __init__(self, runtime: Runtime) -> None:
        self._runtime = runtime

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Serve one request."""
        try:
            done = await self._take(scope, receive)
        except _Refused as error:
            await _answer(send, error.status, PROBLEM, error.document, error.heads)
            return
        await send({"type": "http.response.start", "status": 202, "headers": done.heads})
        await send({"type": "http.response.body", "body": done.body})

    async def _take(self, scope: Scope, receive: Receive) -> _Taken:
        if scope["method"] != "POST":
            detail = f"{EVENTS} doesn't accept {scope['method']}. See /api/openapi.json for the methods."
            raise _Refused(405, "Not possible at this address", detail, ((b"allow", b"POST"),))
        given = b""
        for name, value in scope["headers"]:
            if name == b"authorization":
                given = value
        try:
            key = whose(given.decode("latin-1"), self._runtime.store.key_name)
            body = await _body(receive)
            sent = parsed(body)
            events = read_events(sent, len(body), key, self._runtime.settings.clock())
            passed_over = (len(sent) if isinstance(sent, list) else 1) - len(events)
            done = await self._runtime.accept(events) if events or not passed_over else Accepted(0, 0)
        except KeyRefused as error:
            raise _Refused(401, error.title, error.detail, ((b"www-authenticate", b"Bearer"),)) from None
        except Unreadable as error:
            status = 422 if error.wrong else 400
            raise _Refused(status, "Not accepted", error.detail, errors=error.wrong) from None
        except DataFolderError as error:
            raise _Refused(507, "Not saved", str(error)) from None
        except _Refused:
            raise
        except Exception:
            log.exception("Events couldn't be logged")
            detail = "Nothing was saved. Try again; details are in the terminal."
            raise _Refused(500, "An error in Tesoura", detail) from None
        return _taken(done.accepted, done.duplicates, passed_over)


class _Taken(NamedTuple):
    heads: list[tuple[bytes, bytes]]
    body: bytes


@lru_cache(maxsize=256)
def _taken(accepted: int, duplicates: int, passed_over: int) -> _Taken:
    told = {"accepted": accepted, "duplicates": duplicates} | ({"passed_over": passed_over} if passed_over else {})
    body = json.dumps(told).encode()
    return _Taken(_heads("application/json", body), body)


def _heads(kind: str, body: bytes) -> list[tuple[bytes, bytes]]:
    return [
        (b"content-type", kind.encode()),
        (b"content-length", str(len(body)).encode()),
        (b"x-content-type-options", b"nosniff"),
    ]


async def _body(receive: Receive) -> bytes:
    body = bytearray()
    while True:
        message = await receive()
        body += message.get("body", b"")
        if len(body) > MAX_BYTES:
            raise _Refused(413, "Too large", "At most 1 MB can be sent at once. Send it in parts.")
        if not message.get("more_body", False):
            return bytes(body)


async def _answer(
    send: Send, status: int, kind: str, document: object, heads: tuple[tuple[bytes, bytes], ...] = ()
) -> None:
    body = json.dumps(document).encode()
    known = [*_heads(kind, body), *heads]
    await send({"type": "http.response.start", "status": status, "headers": known})
    await send({"type": "http.response.body", "body": body})
