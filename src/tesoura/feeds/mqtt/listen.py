"""One connection to a broker, which lives in a thread of its library; what comes is handed to the loop."""

from __future__ import annotations

import asyncio
import threading
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
MAX_WAITING = 2_000
MAX_TOPICS = 200
MAX_BYTES = 1_000_000


class _Ended:
    """The connection has ended, for this reason."""

    def __init__(self, error: SourceError) -> None:
        self.error = error


async def listen(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the broker passes on, until the connection ends. Raises SourceError."""
    choices = context.choices
    where = f"{choices['host']}:{choices['port']}"
    loop = asyncio.get_running_loop()
    queue: asyncio.Queue[Any] = asyncio.Queue(MAX_WAITING)

    def put(what: Any) -> None:
        if queue.full() and _is_owed_an_answer(queue.get_nowait()):
            # It is not acknowledged, so the broker still has it.
            what = _Ended(SourceUnavailable(f"The broker at {where} sent more than could be saved. Reconnecting."))
        queue.put_nowait(what)

    def hand_over(what: Any) -> None:
        if not loop.is_closed():
            loop.call_soon_threadsafe(put, what)

    client = _client(context, where, hand_over)
    thread: threading.Thread | None = None
    try:
        try:
            async with asyncio.timeout(OPEN_S):
                await asyncio.to_thread(client.connect, str(choices["host"]), int(choices["port"]), KEEPALIVE_S)
        except (OSError, ValueError, TimeoutError) as error:
            raise SourceUnavailable(no_connection(where, error)) from None
        thread = threading.Thread(target=_heard, args=(client, where, hand_over), name="mqtt", daemon=True)
        thread.start()
        topics: dict[str, Any] = {}
        while True:
            got = await queue.get()
            if isinstance(got, _Ended):
                raise got.error
            if isinstance(got, str):
                yield Fetched(note=got)
                continue
            topic, payload, message = got
            topics.pop(topic, None)
            topics[topic] = payload
            if len(topics) > MAX_TOPICS:
                topics.pop(next(iter(topics)))
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


def _is_owed_an_answer(what: Any) -> bool:
    """Whether it is a message that the broker waits to have acknowledged."""
    return isinstance(what, tuple) and what[2].qos > 0


def _heard(client: mqtt.Client, where: str, hand_over: Callable[[Any], None]) -> None:
    """The library's loop; its end is told whatever ended it, so that no feed stays live on a thread that is gone."""
    why = "ended the connection"
    try:
        client.loop_forever()
    except Exception as error:
        why = f"sent what is no MQTT ({type(error).__name__})"
    hand_over(_Ended(SourceUnavailable(f"The broker at {where} {why}. It is opened again.")))


def _close(client: mqtt.Client, thread: threading.Thread | None) -> None:
    client.disconnect()
    if thread is not None:
        thread.join(CLOSE_S)


def _client(context: FetchContext, where: str, hand_over: Callable[[Any], None]) -> mqtt.Client:
    choices = context.choices
    client = mqtt.Client(CallbackAPIVersion.VERSION2, protocol=mqtt.MQTTv311, reconnect_on_failure=False,
                         manual_ack=True)  # fmt: skip
    if user := str(choices.get("user", "")):
        client.username_pw_set(user, context.secrets.get("password") or None)
    if choices.get("tls") == "yes":
        client.tls_set()

    def connected(client: mqtt.Client, data: Any, flags: Any, reason: Any, properties: Any) -> None:
        if reason.is_failure:
            said = str(reason)
            wrong = "authorized" in said.lower() or "password" in said.lower()
            what = CredentialsRejected if wrong else SourceUnavailable
            hand_over(_Ended(what(f"The broker at {where} did not let us in ({said}). See the name and the password.")))
            return
        client.subscribe(str(choices["topic"]), qos=1)

    def subscribed(client: mqtt.Client, data: Any, number: int, reasons: Any, properties: Any) -> None:
        if any(reason.is_failure for reason in reasons):
            hand_over(_Ended(SourceUnavailable(f"The broker at {where} refuses this topic. May this name read it?")))
            return
        hand_over("Connected. It is shown here what comes.")

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
        payload = line_payload(message.payload.decode("utf-8", "replace"))
        hand_over((topic, payload, message))

    client.on_connect, client.on_subscribe = connected, subscribed
    client.on_message = came
    return client
