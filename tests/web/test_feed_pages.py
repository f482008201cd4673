"""Setting up every kind of feed from its page, events made of what comes, and what is sent to a private address."""

from __future__ import annotations

import os
import re
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest

from tesoura.errors import DataFolderError
from tesoura.links.registry import KINDS
from tesoura.runtime.facade import Runtime
from tesoura.standins.broker import Broker
from tesoura.standins.channel import CLIENT_ID, ChannelService
from tesoura.standins.members import MembersService
from tesoura.standins.sender import new_secret, send
from tesoura.standins.streams import StreamService
from tesoura.store import feeds as stored
from tesoura.store import log as event_log
from tesoura.store import readings, state
from tests.conftest import Running, flat, until


def events(running: Running, kind: str) -> list[Any]:
    found = running.store.read(lambda session: event_log.latest(session, 200))
    return [one.event for one in reversed(found) if one.event.type == kind]


def refused(running: Running, kind: str, **typed: str) -> str:
    answer = running.press("/", f"/feeds/new/{kind}", typed)
    assert answer.status_code == 422
    return answer.text.replace("&#39;", "'")


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_every_kind_has_its_form_its_help_and_says_what_is_wrong(running: Running, kind: str) -> None:
    form = running.client.get(f"/feeds/new/{kind}").text
    assert KINDS[kind].about in form.replace("&#39;", "'")
    assert running.client.get(f"/feeds/help/{kind}").text.count("<h2>") >= 1
    # Of MIDI the first device there is will do, and of players all: nothing given is not wrong.
    wrong = dict.fromkeys(KINDS[kind].fields, "x" * 501 if kind in ("midi", "mpris") else "")
    assert 'class="wrong"' in refused(running, kind, **wrong)
    assert f'href="/feeds/new/{kind}"' in running.client.get("/feeds/new").text


def test_a_kind_that_does_not_exist_is_not_there(running: Running) -> None:
    assert running.client.get("/feeds/new/telepathy").status_code == 404


def test_a_file_asks_once_for_its_folder(running: Running, tmp_path: Path) -> None:
    path = tmp_path / "match.json"
    path.write_text('{"kills": 14}')
    os.utime(path, (time.time() - 60, time.time() - 60))
    page = refused(running, "file", title="Match", path=str(path), form="auto", period_s="1")
    assert "This file is outside the folders Tesoura may read" in page
    folder = re.search(r'name="name_folder" value="([^"]+)"', page)
    assert folder
    typed = {"title": "Match", "path": str(path), "form": "auto", "period_s": "1", "name_folder": folder[1]}
    assert running.press("/", "/feeds/new/file", typed).headers["location"] == "/feeds/match"
    until(lambda: "kills" in running.client.get("/feeds/match/tree").text)
    assert str(tmp_path) in running.client.get("/preferences/").text
    running.do("folder.read", {"folder": str(tmp_path.resolve()), "read": "no"})
    until(lambda: "outside the folders" in running.client.get("/feeds/match/state").text)
    running.press("/", "/feeds/match/folder")
    until(lambda: "live" in running.client.get("/feeds/match/state").text)


def test_a_lists_new_entries_become_events_once_even_over_a_restart(running: Running, members: MembersService) -> None:
    members.follow("tuck")
    typed = {
        "title": "Reach",
        "address": f"{members.address}/channels/mara_vane/followers",
        "period_s": "1",
        "form": "json",
        "key_in": "none",
    }
    running.press("/", "/feeds/new/http", typed)
    until(lambda: "followers" in running.client.get("/feeds/reach/tree").text)
    rule = {"type": "follow", "items": "followers", "id_path": "id", "time_path": "at", "fields": "name = name"}
    tried = running.press("/", "/feeds/reach/rules/try", rule).text
    assert "would create 1" in tried
    assert "tuck" in tried
    running.do("feed.rule?feed=reach", rule)
    until(
        lambda: (
            running.store.read(lambda s: stored.by_name(s, "reach"))
            and running.runtime.call(lambda self: self.feeds._running["reach"].rules[0].primed)
        )
    )
    members.follow("teacup_ana")
    until(lambda: [one.data for one in events(running, "follow")] == [{"name": "teacup_ana"}])
    running.kill()
    members.follow("bolt_uncle")
    again = Running(running.folder)
    try:
        until(lambda: [one.data["name"] for one in events(again, "follow")] == ["teacup_ana", "bolt_uncle"])
        removed = again.do("feed.unrule?feed=reach&rule=1", follow_redirects=True).text
        assert "This feed creates no more events of type follow" in removed
    finally:
        again.stop()


@pytest.mark.parametrize(
    ("rule", "words"),
    [
        ({"type": ""}, "Give an event type, such as follow"),
        ({"type": "tesoura.x"}, "reserved"),
        ({"type": "x", "items": "a..b"}, "Not a valid JMESPath:"),
    ],
)
def test_rules_that_cannot_be_made(running: Running, members: MembersService, rule: dict[str, str], words: str) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane")
    until(lambda: running.signal("reach.members").get("value") == 1284)
    answer = running.do("feed.rule?feed=reach", rule)
    assert answer.status_code == 422
    assert words in answer.text


def private_address(running: Running, name: str) -> str:
    found = re.search(r'data-covered="(http[^"]+)"', running.client.get(f"/feeds/{name}").text)
    assert found
    return found[1].replace("&amp;", "&")


def test_signed_messages_are_taken_once_and_not_when_they_are_old(running: Running) -> None:
    secret = new_secret()
    made = running.press("/", "/feeds/new/webhook", {"title": "Gifts", "signed": "yes", "secret": secret})
    assert made.headers["location"] == "/feeds/gifts"
    address = private_address(running, "gifts")
    assert send(address, secret, {"id": "g1", "name": "Ana", "amount": 5}, "msg_1").status_code == 202
    rule = {"type": "gift", "id_path": "id", "fields": "name = name\namount"}
    running.do("feed.rule?feed=gifts", rule)
    running.do("feed.pick?feed=gifts", {"path": "amount", "field": "amount", "unit": "spools"})
    second = {"id": "g2", "name": "Bolt", "amount": 2}
    assert send(address, secret, second, "msg_2").json() == {"taken": True}
    assert [one.data for one in events(running, "gift")] == [{"name": "Bolt", "amount": 2}]
    assert running.signal("gifts.amount")["value"] == 2
    again = send(address, secret, second, "msg_2")
    assert (again.status_code, again.json()["detail"]) == (
        409,
        "This message was already received. Nothing was changed.",
    )
    assert send(address, secret, second, "msg_3").status_code == 202
    assert len(events(running, "gift")) == 1
    old = send(address, secret, second, "msg_4", timestamp=int(time.time()) - 400)
    assert old.status_code == 401
    assert "minutes old" in old.json()["detail"]
    assert send(address, new_secret(), second).status_code == 401
    assert "The last message was refused" in running.client.get("/feeds/gifts/state").text
    assert secret not in running.client.get("/feeds/gifts").text
    running.do("feed.new_address?feed=gifts")
    assert send(address, secret, second).status_code == 404
    assert send(private_address(running, "gifts"), secret, second, "msg_9").status_code == 202


def test_a_message_that_is_no_json_says_so(running: Running) -> None:
    running.press("/", "/feeds/new/webhook", {"title": "Plain", "signed": "no"})
    address = private_address(running, "plain")
    answer = running.client.post(address, content=b"hello")
    assert (answer.status_code, answer.headers["content-type"]) == (400, "application/problem+json")
    assert running.client.post(address, content=b'{"n": 1}').status_code == 202
    for method, status in (("POST", 404), ("GET", 405)):
        answer = running.client.request(method, "/in/nothing", content=b"{}")
        assert (answer.status_code, answer.headers["content-type"]) == (status, "application/problem+json")
    running.do("feed.pause?feed=plain", {"paused": "yes"})
    assert running.client.post(address, content=b'{"n": 2}').status_code == 503


def test_a_streams_messages_become_signals_and_events_and_a_break_repeats_none(running: Running) -> None:
    service = StreamService()
    service.start()
    try:
        typed = {"title": "Stream", "address": f"{service.address}/events", "key_in": "none", "silence_s": "30"}
        page = running.press("/", "/feeds/new/sse", typed, follow_redirects=True).text
        assert "Connected" in page
        running.do("feed.rule?feed=stream", {"type": "gift", "items": "data", "id_path": "id"})
        until(lambda: service.listeners == 1)
        service.tell("gift", {"id": "a", "name": "Ana"})
        service.tell("gift", {"id": "b", "name": "Bolt"})
        until(lambda: len(events(running, "gift")) == 2)
        service.drop()
        service.tell("gift", {"id": "c", "name": "tuck"})
        until(lambda: [one.data["name"] for one in events(running, "gift")] == ["Ana", "Bolt", "tuck"])
        assert service.resumed_from[-1] == "2"
    finally:
        service.stop()


def test_signing_in_leads_there_and_back(running: Running) -> None:
    service = ChannelService()
    service.start()
    try:
        typed = {"title": "Channel", "address": service.address, "client_id": CLIENT_ID, "period_s": "2"}
        made = running.press("/", "/feeds/new/channel", typed)
        assert made.status_code == 307
        there = running.press("/", made.headers["location"])
        assert there.headers["location"].startswith(f"{service.address}/sign-in?")
        back = running.client.post(there.headers["location"], content="answer=allow").headers["location"]
        assert back.startswith(f"{running.address}/feeds/signed-in?code=")
        assert "You are signed in" in running.client.get(back, follow_redirects=True).text
        until(lambda: running.signal("channel.members").get("value") == 1284)
        until(lambda: service.listeners == 1)
        service.happen("gift", "teacup_ana", 5, "for the kettle")
        until(lambda: [one.data["amount"] for one in events(running, "gift")] == [5])
        assert "was already used" in running.client.get(back, follow_redirects=True).text
        service.revoke()
        until(lambda: "Sign in again" in running.client.get("/feeds/channel/state").text)
        again = running.press("/", "/feeds/channel/sign-in")
        no = running.client.post(again.headers["location"], content="answer=no").headers["location"]
        assert "grant permission, so there is no data" in running.client.get(no, follow_redirects=True).text
    finally:
        service.stop()


def test_a_name_is_looked_up_before_a_feed_is_made(running: Running, members: MembersService) -> None:
    typed = {
        "address": f"{members.address}/channels/{{id}}",
        "look_up": f"{members.address}/channels?name={{name}}",
        "key_in": "none",
        "named": "MARA",
    }
    found = running.press("/", "/feeds/look-up/http", typed).text
    assert 'data-value="mara_vane"' in found
    assert (
        "The service found nothing for “" in running.press("/", "/feeds/look-up/http", {**typed, "named": "zzz"}).text
    )
    assert "Type a name" in running.press("/", "/feeds/look-up/http", {**typed, "named": ""}).text
    wrong = running.press("/", "/feeds/look-up/http", {**typed, "look_up": "http://a.example/"}).text
    assert "Write {name} where the name goes" in wrong


# By hand

COUNT = {"title": "Losses", "what": "number", "start": "3", "step": "1", "low": "0", "high": "5", "unit": "lines"}


def test_a_number_set_by_hand_keeps_its_bounds_and_its_value(running: Running) -> None:
    running.press("/", "/feeds/new/hand", {**COUNT, "key_up": "+", "key_down": "-"})
    assert running.signal("losses.value")["value"] == 3
    for _ in range(4):
        control = running.press("/", "/hand/losses", {"step": "1"}).text
    assert running.signal("losses.value")["value"] == 5
    assert "disabled" in control
    answer = running.client.put("/api/hand/losses", json={"value": 9}, headers=running.auth)
    assert (answer.status_code, answer.json()["detail"]) == (422, "9 is out of range: 0 to 5.")
    assert running.client.put("/api/hand/losses", json={"step": -2}, headers=running.auth).json()["value"] == 3
    assert running.client.put("/api/hand/nobody", json={"step": 1}, headers=running.auth).status_code == 404
    bodies: list[Any] = [{"step": "x"}, {"step": 0}, {"value": "many"}, {"x": 1}, []]
    for body in bodies:
        assert running.client.put("/api/hand/losses", json=body, headers=running.auth).status_code == 422
    assert [one.data["value"] for one in events(running, "tesoura.set_by_hand")][-1] == 3
    running.kill()
    again = Running(running.folder)
    try:
        assert (again.signal("losses.value")["value"], again.signal("losses.value")["freshness"]) == (3, "held")
    finally:
        again.stop()


def test_a_text_and_a_switch_by_hand(running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Topic", "what": "text", "start": "Kettle's on"})
    running.press("/", "/hand/topic", {"value": "<b>Cup</b> evening"})
    assert running.signal("topic.value")["value"] == "<b>Cup</b> evening"
    assert "&lt;b&gt;Cup" in running.client.get("/hand/topic").text
    running.press("/", "/feeds/new/hand", {"title": "Live", "what": "flag", "start": "no"})
    assert "No · Switch to yes" in running.client.get("/").text
    running.press("/", "/hand/live", {"step": "1"})
    assert running.signal("live.value")["value"] is True


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ({"start": "many"}, "not a number"),
        ({"low": "6"}, "less than"),
        ({"start": "9"}, "is out of range:"),
        ({"key_up": "g"}, "” is used by Tesoura's pages"),
        ({"key_up": "ab"}, "Give one letter"),
        ({"step": ""}, "needs a number"),
    ],
)
def test_values_by_hand_that_cannot_be(running: Running, typed: dict[str, str], words: str) -> None:
    assert words in refused(running, "hand", **{**COUNT, **typed})


def test_a_feed_of_a_kind_that_is_gone_harms_nothing(running: Running) -> None:
    from tesoura.settings import wall_clock

    running.store.write(lambda session: stored.add_feed(session, "old", "Old", "telegraph", {}, wall_clock()))
    running.runtime.call(Runtime.refresh_feed, "old")
    running.stop()
    again = Running(running.folder)
    assert again.client.get("/feeds/").status_code == 200
    again.stop()


def _webhook(running: Running) -> tuple[str, str]:
    secret = new_secret()
    running.press("/", "/feeds/new/webhook", {"title": "Gifts", "signed": "yes", "secret": secret})
    address = private_address(running, "gifts")
    send(address, secret, {"name": "Ana", "amount": 5}, "msg_0")
    running.do("feed.rule?feed=gifts", {"type": "gift", "fields": "name = name\namount"})
    return address, secret


def test_eight_equal_messages_at_once_make_one_event(running: Running) -> None:
    address, secret = _webhook(running)
    before = len(events(running, "gift"))
    with ThreadPoolExecutor(8) as threads:
        told = list(threads.map(lambda _: send(address, secret, {"name": "Bolt", "amount": 2}, "msg_1"), range(8)))
    assert sorted(one.status_code for one in told) == [202, *[409] * 7]
    assert len(events(running, "gift")) == before + 1


def test_a_message_that_could_not_be_written_is_taken_when_it_is_sent_again(
    running: Running, monkeypatch: pytest.MonkeyPatch
) -> None:
    address, secret = _webhook(running)

    def full(*_: object) -> None:
        raise DataFolderError("The disk is full.")

    with monkeypatch.context() as patched:
        patched.setattr("tesoura.store.rules.keep_seen", full)
        assert send(address, secret, {"name": "Bolt", "amount": 2}, "msg_1").status_code >= 500
    assert events(running, "gift") == []
    assert send(address, secret, {"name": "Bolt", "amount": 2}, "msg_1").status_code == 202
    assert [one.data["name"] for one in events(running, "gift")] == ["Bolt"]


def crashed(running: Running, after: Callable[[], object]) -> Running:
    """Tesoura started again after a crash that came right behind something, before anything was saved by itself."""

    async def nothing(trails: bool) -> None:
        return None

    running.runtime.persistence.save = nothing  # type: ignore[method-assign]
    after()
    running.kill()
    return Running(running.folder)


def test_a_value_that_was_acknowledged_is_there_after_a_crash(running: Running) -> None:
    address, secret = _webhook(running)
    running.do("feed.pick?feed=gifts", {"path": "amount", "field": "amount", "unit": "spools"})
    told = list[int]()

    def sent() -> None:
        told.append(send(address, secret, {"name": "Bolt", "amount": 41}, "msg_1").status_code)

    again = crashed(running, sent)
    try:
        address = re.sub(r":\d+/", f":{again.port}/", address)
        told.append(send(address, secret, {"name": "Bolt", "amount": 41}, "msg_1").status_code)
        assert told == [202, 409]
        signal = again.signal("gifts.amount")
        assert (signal["value"], signal["unit"], signal["freshness"]) == (41, "spools", "late")
        assert [one.data["amount"] for one in events(again, "gift")] == [41]
        kept = again.store.read(lambda session: readings.latest(session, "gifts.amount", 5))
        assert [one.value for one in kept] == [41]
    finally:
        again.stop()


def test_an_older_value_is_not_saved_over_one_that_was_acknowledged(running: Running) -> None:
    address, secret = _webhook(running)
    running.do("feed.pick?feed=gifts", {"path": "amount", "field": "amount", "unit": "spools"})
    keeping = state.save

    def between(session: Any, saved: Any, seq: Any, trails: bool) -> None:
        keeping(session, saved, seq, trails)
        if seq is None:
            # Right behind the write, and before the engine knows of it, everything is saved as it stands there.
            running.runtime.call(lambda self: self.start_beside(self.persistence.save(trails=True), "saving"))

    state.save = between
    try:
        assert send(address, secret, {"name": "Bolt", "amount": 41}, "msg_1").status_code == 202
    finally:
        state.save = keeping
    again = crashed(running, lambda: None)
    try:
        assert again.signal("gifts.amount")["value"] == 41
    finally:
        again.stop()


def test_a_connected_feed_without_a_message_is_live_and_says_that_it_has_no_data(running: Running) -> None:
    service = StreamService()
    service.start()
    try:
        running.press(
            "/",
            "/feeds/new/sse",
            {"title": "Stream", "address": f"{service.address}/events", "key_in": "none", "silence_s": "30"},
        )
        until(lambda: service.listeners == 1 and "connected" in running.client.get("/feeds/stream/state").text)
        page = flat(running.client.get("/feeds/stream").text)
        assert "No data since Tesoura started" in page
    finally:
        service.stop()


def test_after_a_restart_a_feed_whose_service_is_gone_says_that_it_has_no_data(
    running: Running, members: MembersService
) -> None:
    running.press(
        "/",
        "/feeds/new/http",
        {
            "title": "Members",
            "address": f"{members.address}/channels/mara_vane/followers",
            "period_s": "1",
            "form": "json",
            "key_in": "none",
        },
    )
    until(lambda: "tree-name" in running.client.get("/feeds/members/tree").text)
    members.stop()
    running.stop()
    again = Running(running.folder)
    try:
        page = flat(again.client.get("/feeds/members").text)
        assert "No data since Tesoura started" in page
        assert "No answer" in page
    finally:
        again.stop()


def test_a_broker_is_told_that_a_message_was_received_once_it_is_on_disk(running: Running) -> None:
    broker = Broker()
    broker.start()
    try:
        running.press(
            "/",
            "/feeds/new/mqtt",
            {"title": "Cup", "host": "127.0.0.1", "port": str(broker.port), "topic": "cup/#", "user": "", "tls": "no"},
        )
        until(lambda: broker.subscribers == 1)
        broker.publish("cup/score", "1")
        until(lambda: running.client.get("/feeds/cup").text.count("cup/score"))
        running.do("feed.pick?feed=cup", {"path": "last.payload", "field": "score", "unit": ""})
        until(lambda: broker.subscribers == 1)

        def told() -> None:
            broker.publish("cup/score", "7", acknowledged=True)
            until(lambda: running.signal("cup.score")["value"] == 7 and not broker.unacknowledged)

        again = crashed(running, told)
        assert again.signal("cup.score")["value"] == 7
        again.stop()
    finally:
        broker.stop()


def test_a_feed_whose_secret_was_sealed_with_another_key_says_so(running: Running) -> None:
    address, secret = _webhook(running)
    running.stop()
    (running.folder / "secret.key").unlink()
    again = Running(running.folder)
    try:
        address = re.sub(r":\d+/", f":{again.port}/", address)
        answer = send(address, secret, {"name": "Bolt", "amount": 2}, "msg_1")
        assert (answer.status_code, "key file was replaced" in answer.json()["detail"]) == (503, True)
        assert "Gifts: its key can’t be read" in again.client.get("/").text.replace("&#39;", "’")
    finally:
        again.stop()


def test_feeds_stay_in_their_order_when_one_is_changed(running: Running) -> None:
    for title in ("Lives", "Mood", "Round"):
        running.press("/", "/feeds/new/hand", {"title": title, "what": "number", "start": "1"})
    running.do("feed.pause?feed=lives", {"paused": "yes"})
    assert [one.name for one in running.runtime.call(lambda self: self.feeds.reports())] == ["lives", "mood", "round"]
