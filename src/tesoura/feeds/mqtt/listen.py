"""One connection to a broker, which lives in a thread of its library; what comes is handed to the loop."""

from __future__ import annotations

import asyncio
import threading
from collections import deque
from collections.abc import AsyncIterator, Callable
from typing import Any

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from tesoura.errors import CredentialsRejected, SourceError, SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched
from tesoura.feeds.connecting import no_connection
from tesoura.feeds.formats import line_payload

OPEN_S, CLOSE_S = 5.0, 5.0
KEEPALIVE_S = 20
MAX_WAITING, MAX_WAITING_BYTES = 2_000, 8_000_000
"""So many messages, and bytes of them, wait to be taken in."""
MAX_TOPICS, MAX_TOPICS_BYTES = 200, 4_000_000
"""Of so many topics, and bytes of them, the last message is kept."""
MAX_BYTES, MAX_PACKET_BYTES = 1_000_000, 4_000_000
"""A longer message is ignored; a longer packet ends the connection before it is read."""
MAX_UNRELEASED = 20
"""So many messages that the broker has not released yet are held, where it delivers exactly once."""


class _Ended:
    """The connection has ended, for this reason."""

    def __init__(self, error: SourceError) -> None:
        self.error = error


async def listen(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the broker passes on, until the connection ends. Raises SourceError."""
    choices = context.choices
    where = f"{choices['host']}:{choices['port']}"
    loop = asyncio.get_running_loop()
    inbox = _Inbox(loop, where)
    client = _client(context, where, inbox.put)
    thread: threading.Thread | None = None
    try:
        try:
            async with asyncio.timeout(OPEN_S):
                await asyncio.to_thread(client.connect, str(choices["host"]), int(choices["port"]), KEEPALIVE_S)
        except (OSError, ValueError, TimeoutError) as error:
            raise SourceUnavailable(no_connection(where, error)) from None
        thread = threading.Thread(target=_heard, args=(client, where, inbox.put), name="mqtt", daemon=True)
        thread.start()
        topics: dict[str, Any] = {}
        sizes: dict[str, int] = {}
        while True:
            got = await inbox.get()
            if isinstance(got, _Ended):
                raise got.error
            if isinstance(got, str):
                yield Fetched(note=got)
                continue
            topic, message = got
            payload = line_payload(message.payload.decode("utf-8", "replace"))
            topics.pop(topic, None)
            topics[topic], sizes[topic] = payload, len(message.payload)
            while len(topics) > MAX_TOPICS or (len(topics) > 1 and sum(sizes.values()) > MAX_TOPICS_BYTES):
                sizes.pop(oldest := next(iter(topics)))
                topics.pop(oldest)
            last = {"topic": topic, "payload": payload}
            # What the broker kept from before is a value, and no news.
            found = {"last": last, "topics": dict(topics)}
            acknowledged = message.qos > 0
            yield Fetched(found, len(message.payload), message=last, quiet=message.retain, durable=acknowledged)
            # The next one is asked for once this one is on disk.
            if acknowledged:
                client.ack(message.mid, message.qos)
    finally:
        await asyncio.to_thread(_close, client, thread)


class _Inbox:
    """What the library's thread hands over to the loop, within bounds: of a flood the oldest are dropped."""

    def __init__(self, loop: asyncio.AbstractEventLoop, where: str) -> None:
        self._loop, self._where = loop, where
        self._lock, self._some = threading.Lock(), asyncio.Event()
        self._waiting: deque[Any] = deque()
        self._bytes, self._ended = 0, False

    def put(self, what: Any) -> None:
        """Hand something over; from any thread."""
        with self._lock:
            if self._ended:
                return
            self._ended = isinstance(what, _Ended)
            self._waiting.append(what)
            self._bytes += _size(what)
            while len(self._waiting) > MAX_WAITING or self._bytes > MAX_WAITING_BYTES:
                self._drop()
        if not self._loop.is_closed():
            self._loop.call_soon_threadsafe(self._some.set)

    def _drop(self) -> None:
        gone = self._waiting.popleft()
        self._bytes -= _size(gone)
        if isinstance(gone, tuple) and gone[1].qos > 0:
            # It is not acknowledged, so the broker still has it.
            self._waiting.clear()
            self._bytes, self._ended = 0, True
            told = f"The broker at {self._where} sent more than could be saved. Reconnecting."
            self._waiting.append(_Ended(SourceUnavailable(told)))

    async def get(self) -> Any:
        """Wait for what was handed over first."""
        while True:
            self._some.clear()
            with self._lock:
                if self._waiting:
                    what = self._waiting.popleft()
                    self._bytes -= _size(what)
                    return what
            await self._some.wait()


def _size(what: Any) -> int:
    return len(what[1].payload) if isinstance(what, tuple) else 0


class _TooLongError(Exception):
    """A broker sends more at once than is taken."""


class _Client(mqtt.Client):
    """The library's client with bounds; by itself it reads packets of any length and holds any number of messages."""

    def _sock_recv(self, bufsize: int) -> bytes:
        if bufsize > MAX_PACKET_BYTES or len(self._in_messages) > MAX_UNRELEASED:
            raise _TooLongError
        return super()._sock_recv(bufsize)


def _heard(client: mqtt.Client, where: str, hand_over: Callable[[Any], None]) -> None:
    """The library's loop; its end is told whatever ended it, so that no feed stays live on a thread that is gone."""
    why = "ended the connection"
    try:
        client.loop_forever()
    except _TooLongError:
        why = f"sends messages longer than {MAX_PACKET_BYTES // 1_000_000} MB, or doesn't release them"
    except Exception as error:
        why = f"sent something other than MQTT ({type(error).__name__})"
    hand_over(_Ended(SourceUnavailable(f"The broker at {where} {why}. It is opened again.")))


def _close(client: mqtt.Client, thread: threading.Thread | None) -> None:
    client.disconnect()
    if thread is not None:
        thread.join(CLOSE_S)


def _client(context: FetchContext, where: str, hand_over: Callable[[Any], None]) -> mqtt.Client:
    choices = context.choices
    client = _Client(CallbackAPIVersion.VERSION2, protocol=mqtt.MQTTv311, reconnect_on_failure=False, manual_ack=True)
    if user := str(choices.get("user", "")):
        client.username_pw_set(user, context.secrets.get("password") or None)
    if choices.get("tls") == "yes":
        client.tls_set()

    def connected(client: mqtt.Client, data: Any, flags: Any, reason: Any, properties: Any) -> None:
        if reason.is_failure:
            said = str(reason)
            wrong = "authorized" in said.lower() or "password" in said.lower()
            what = CredentialsRejected if wrong else SourceUnavailable
            hand_over(
                _Ended(what(f"The broker at {where} refused the connection ({said}). Check the name and password."))
            )
            return
        client.subscribe(str(choices["topic"]), qos=1)

    def subscribed(client: mqtt.Client, data: Any, number: int, reasons: Any, properties: Any) -> None:
        if any(reason.is_failure for reason in reasons):
            hand_over(
                _Ended(
                    SourceUnavailable(f"The broker at {where} refuses this topic. Check that this name may read it.")
                )
            )
            return
        hand_over("Connected. Messages appear here.")

    def came(client: mqtt.Client, data: Any, message: mqtt.MQTTMessage) -> None:
        if len(message.payload) > MAX_BYTES:
            client.ack(message.mid, message.qos)
            hand_over(f"A message was ignored: it is larger than {MAX_BYTES // 1_000_000} MB.")
            return
        try:
            topic = message.topic
        except UnicodeDecodeError:
            client.ack(message.mid, message.qos)
            hand_over("A message was ignored: its topic is not text.")
            return
        hand_over((topic, message))

    client.on_connect, client.on_subscribe = connected, subscribed
    client.on_message = came
    return client
