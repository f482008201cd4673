"""Feeds that tell by themselves, and those that are sent to: each against its stand-in."""

from __future__ import annotations

import asyncio
import json
import re
import socket
import ssl
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

import paho.mqtt.client as mqtt
import pytest

from tesoura.errors import CredentialsRejected, InvalidField, SignatureRefused, SourceUnavailable
from tesoura.feeds.api import FeedKind
from tesoura.feeds.connecting import no_connection
from tesoura.feeds.mqtt import KIND as MQTT
from tesoura.feeds.mqtt import listen as listening
from tesoura.feeds.socket import KIND as SOCKET
from tesoura.feeds.socket import checked_socket_address
from tesoura.feeds.sse import KIND as SSE
from tesoura.feeds.webhook.signature import secret_bytes, sign, verify
from tesoura.standins.broker import Broker
from tesoura.standins.streams import KEY, StreamService
from tests.conftest import until
from tests.feeds.following import failure, gather


@pytest.fixture
def service() -> Iterator[StreamService]:
    made = StreamService()
    made.start()
    yield made
    made.stop()


@pytest.fixture
def broker() -> Iterator[Broker]:
    made = Broker(user="mara", password="kettle")
    made.start()
    yield made
    made.stop()


def test_a_socket_is_subscribed_to_and_tells(service: StreamService) -> None:
    def after(number: int, _: object) -> None:
        if number == 1:
            until(lambda: service.subscribed)
            service.tell("score", {"score": {"bobbin": 3, "keel": 1}})
            service.tell("score", "hello")

    choices = {"address": service.socket_address, "subscribe": '{"subscribe": "score"}\n'}
    first, second = gather(SOCKET, choices, 2, after=after)
    assert service.subscribed == ['{"subscribe": "score"}']
    assert first.message == {"score": {"bobbin": 3, "keel": 1}}
    assert second.payload["text"] == "hello"  # type: ignore[index]


def test_a_socket_that_is_closed_says_so_and_is_opened_again(service: StreamService) -> None:
    error = failure(SOCKET, {"address": service.socket_address}, after=lambda n, _: service.drop())
    assert "closed the connection (1012, saying “restarting”)" in str(error)


@pytest.mark.parametrize(
    ("path", "kind", "words"),
    [("/nowhere", CredentialsRejected, "refused the connection (403)"), ("", SourceUnavailable, "No answer")],
)
def test_a_socket_that_is_none(service: StreamService, path: str, kind: type, words: str) -> None:
    address = service.socket_address.replace("/socket", path) if path else "ws://127.0.0.1:1/socket"
    assert words in str(failure(SOCKET, {"address": address}, kind))


@pytest.mark.parametrize("typed", ["http://a.example/x", "a.example", "", "ws://"])
def test_addresses_that_are_no_sockets(typed: str) -> None:
    with pytest.raises(InvalidField):
        checked_socket_address(typed)


def test_a_stream_goes_on_from_the_last_event_after_a_break(service: StreamService) -> None:
    address = {"address": f"{service.address}/events", "only": "gift"}

    def after(number: int, _: object) -> None:
        if number == 1:
            service.tell("follow", {"name": "tuck"})
            service.tell("gift", {"name": "Ana"})

    [came] = gather(SSE, address, 1, after=after)
    assert (came.message, came.message_id, came.memory) == (
        {"event": "gift", "data": {"name": "Ana"}},
        "2",
        {"last_id": "2"},
    )
    service.tell("gift", {"name": "Bolt"})
    [missed] = gather(SSE, address, 1, memory={"last_id": "2"})
    assert missed.message["data"] == {"name": "Bolt"}  # type: ignore[index]
    assert service.resumed_from == ["2"]


def test_a_stream_behind_a_key(service: StreamService) -> None:
    service.keyed = True
    choices = {"address": f"{service.address}/events", "key_in": "header", "key_name": "X-Key"}
    assert "needs a key (401)" in str(failure(SSE, choices, CredentialsRejected))
    [came] = gather(
        SSE, choices, 1, secrets={"key": KEY}, after=lambda n, _: service.tell("gift", {"n": 1}) if n == 1 else None
    )
    assert came.message["data"] == {"n": 1}  # type: ignore[index]


def test_what_is_no_stream_of_events_says_so(service: StreamService) -> None:
    assert "(405)" in str(failure(SSE, {"address": f"{service.address}/admin/tell"}))


def test_topics_of_a_broker(broker: Broker) -> None:
    choices = {"host": "127.0.0.1", "port": broker.port, "topic": "cup/+/score", "user": "mara"}
    broker.publish("cup/a/score", "3", keep=True)

    def after(number: int, _: object) -> None:
        if number == 1:
            broker.publish("cup/other", "nothing")
            broker.publish("cup/b/score", json.dumps({"bobbin": 1}))

    kept, news = gather(MQTT, choices, 2, secrets={"password": "kettle"}, after=after)
    assert (kept.message, kept.quiet) == ({"topic": "cup/a/score", "payload": 3}, True)
    assert (news.message, news.quiet) == ({"topic": "cup/b/score", "payload": {"bobbin": 1}}, False)
    assert news.payload["topics"] == {"cup/a/score": 3, "cup/b/score": {"bobbin": 1}}  # type: ignore[index]


def test_a_topic_that_is_no_text_is_passed_over_and_the_next_comes(broker: Broker) -> None:
    choices = {"host": "127.0.0.1", "port": broker.port, "topic": "cup/#", "user": "mara"}

    def after(number: int, _: object) -> None:
        if number == 1:
            broker.publish("cup/\ud83d/score", "1")
            broker.publish("cup/b/score", "2")

    [news] = gather(MQTT, choices, 1, secrets={"password": "kettle"}, after=after)
    assert news.message == {"topic": "cup/b/score", "payload": 2}


@pytest.mark.parametrize(
    "sent", [b"\x30\x00", b"\x30\x01\x00", b"\x90\x01\x00", b"\xf0\x00", b"\x30\xff\xff\xff\xff\xff"]
)
def test_a_broker_that_sends_what_is_no_mqtt_is_down(broker: Broker, sent: bytes) -> None:
    choices = {"host": "127.0.0.1", "port": broker.port, "topic": "cup/#", "user": "mara"}
    given = {"secrets": {"password": "kettle"}, "after": lambda n, _: broker.garble(sent)}
    assert "It is opened again" in str(failure(MQTT, choices, SourceUnavailable, **given))


@pytest.mark.parametrize(
    "sent",
    [
        b"\x30\x81\x92\xf4\x01",
        b"\x30\xff\xff\xff\x7f" + b"x" * 100_000,
        b"".join(b"\x34\x06\x00\x01c" + bytes((1, number, 120)) for number in range(1, 40)),
    ],
)
def test_a_message_too_long_to_hold_and_those_never_released_end_the_connection(broker: Broker, sent: bytes) -> None:
    choices = {"host": "127.0.0.1", "port": broker.port, "topic": "cup/#", "user": "mara"}
    given = {"secrets": {"password": "kettle"}, "after": lambda n, _: broker.garble(sent)}
    assert "sends messages longer than 4 MB" in str(failure(MQTT, choices, SourceUnavailable, **given))


def test_of_a_flood_the_oldest_messages_are_dropped_and_owed_ones_are_asked_for_again() -> None:
    async def filled(qos: int) -> list[Any]:
        inbox = listening._Inbox(asyncio.get_running_loop(), "lamp.example:1883")
        for number in range(20):
            message = mqtt.MQTTMessage()
            message.payload, message.qos = bytes([number]) * 900_000, qos
            inbox.put(("cup/score", message))
        return [await inbox.get() for _ in range(8 if qos == 0 else 1)]

    kept = asyncio.run(filled(0))
    assert [message.payload[0] for _, message in kept] == list(range(12, 20))
    (ended, *_) = asyncio.run(filled(1))
    assert "sent more than could be saved" in str(ended.error)


def test_a_broker_that_refuses_or_goes_away(broker: Broker) -> None:
    choices = {"host": "127.0.0.1", "port": broker.port, "topic": "cup/#", "user": "mara"}
    wrong = failure(MQTT, choices, CredentialsRejected, secrets={"password": "tea"})
    assert "refused the connection" in str(wrong)
    assert "tea" not in str(wrong)
    gone = failure(MQTT, choices, SourceUnavailable, secrets={"password": "kettle"}, after=lambda n, _: broker.drop())
    assert "ended the connection" in str(gone)
    refused = failure(MQTT, {**choices, "topic": "secret/x"}, secrets={"password": "kettle"})
    assert "refuses this topic" in str(refused)
    assert "No answer at" in str(failure(MQTT, {**choices, "port": 1}))


@pytest.mark.parametrize(
    ("kind", "choices"),
    [
        (MQTT, {"host": "lamp.example", "port": 1883, "topic": "cup/#", "user": ""}),
        (SOCKET, {"address": "ws://lamp.example/x"}),
        (SSE, {"address": "http://lamp.example/x"}),
    ],
)
def test_a_name_that_nobody_knows_is_told_as_such(
    kind: FeedKind, choices: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    def unknown(*given: object, **more: object) -> None:
        raise socket.gaierror(socket.EAI_NONAME, "Name or service not known")

    monkeypatch.setattr(socket, "getaddrinfo", unknown)
    assert re.search(r"There is no lamp\.example\S* found", str(failure(kind, choices)))


def test_why_a_connection_is_not_made() -> None:
    refused = "No answer at x: the connection was refused. Check that the program is running and the port is right."
    assert no_connection("x", ConnectionRefusedError(111, "Connection refused")) == refused
    assert "No route to host" in no_connection("x", OSError(113, "No route to host"))
    assert "certificate" in no_connection("x", ssl.SSLCertVerificationError(1, "self-signed"))


# Signed messages, after the example that the specification's own libraries are tested with.

SECRET = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"
BODY = b'{"test": 2432232314}'
SIGNED = {
    "webhook-id": "msg_p5jXN8AQM9LWM0D4loKWxJek",
    "webhook-timestamp": "1614265330",
    "webhook-signature": "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=",
}
THEN = datetime(2021, 2, 25, 15, 2, 12, tzinfo=UTC)


def test_a_message_signed_as_the_standard_says_is_taken() -> None:
    verify(SIGNED, BODY, SECRET, THEN)
    assert sign(SECRET, SIGNED["webhook-id"], 1614265330, BODY) == SIGNED["webhook-signature"]
    verify({**SIGNED, "webhook-signature": f"v1,AAAA {SIGNED['webhook-signature']}"}, BODY, SECRET, THEN)


@pytest.mark.parametrize(
    ("heads", "body", "minutes", "words"),
    [
        ({}, b"{}", 0, "Wrong signature"),
        ({"webhook-id": "msg_other"}, BODY, 0, "Wrong signature"),
        ({"webhook-signature": ""}, BODY, 0, "has no signature"),
        ({"webhook-timestamp": "soon"}, BODY, 0, "not a number of seconds"),
        ({}, BODY, 6, "6 minutes old"),
        ({}, BODY, -6, "from the future"),
    ],
)
def test_messages_that_are_refused(heads: dict[str, str], body: bytes, minutes: int, words: str) -> None:
    now = datetime.fromtimestamp(1614265330 + 60 * minutes, UTC)
    with pytest.raises(SignatureRefused, match=words):
        verify({**SIGNED, **heads}, body, SECRET, now)


@pytest.mark.parametrize("secret", ["MfKQ9r8G", "whsec_", "whsec_***", "whsec_YWJj"])
def test_secrets_that_are_none(secret: str) -> None:
    with pytest.raises(ValueError, match="secret"):
        secret_bytes(secret)


@pytest.mark.parametrize("signature", ["v1,é", "ÿÿ", "v1,\u20ac v1,x", " ", "v1," + "ü" * 5_000])
def test_a_signature_in_other_letters_is_refused_as_any_wrong_one(signature: str) -> None:
    with pytest.raises(SignatureRefused):
        verify({**SIGNED, "webhook-signature": signature}, BODY, SECRET, THEN)
