"""The outside API: what it takes, what it refuses, and that every error teaches."""

from __future__ import annotations

from typing import Any

import pytest

from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event
from tests.conftest import Running, until

KILL = {"type": "kill", "data": {"actor": "mara_vane", "target": "tuck"}}


def problem(answer: Any, status: int) -> str:
    assert answer.status_code == status
    assert answer.headers["content-type"] == "application/problem+json"
    body = answer.json()
    assert body["status"] == status
    return f"{body['title']}. {body['detail']}"


def test_an_event_is_accepted_counted_and_becomes_signals(running: Running) -> None:
    answer = running.event(**KILL)
    assert (answer.status_code, answer.json()) == (202, {"accepted": 1, "duplicates": 0})
    assert running.signal("kill.target")["value"] == "tuck"
    assert running.signal("kill.count_this_session")["value"] == 1


def test_a_repeat_is_harmless(running: Running) -> None:
    event = {**KILL, "source": "game", "id": "1"}
    running.event(**event)
    again = running.client.post("/api/events", json=[event, {**event, "id": "2"}], headers=running.auth)
    assert again.json() == {"accepted": 1, "duplicates": 1}
    assert running.signal("kill.count_this_session")["value"] == 2


def test_cloud_events_are_understood(running: Running) -> None:
    event = {
        "specversion": "1.0",
        "id": "7",
        "source": "/game",
        "type": "match.end",
        "data": {"result": "won"},
        "ext": "x",
    }
    assert running.event(**event).status_code == 202
    assert running.signal("match_end.result")["value"] == "won"


@pytest.mark.parametrize(
    ("header", "words"),
    [
        ({}, "Send a key"),
        ({"Authorization": "Bearer nope"}, "Invalid key"),
        ({"Authorization": "Basic eA=="}, "Send a key"),
    ],
)
def test_without_a_key_that_works_nobody_gets_in(running: Running, header: dict[str, str], words: str) -> None:
    answer = running.client.post("/api/events", json=KILL, headers=header)
    assert words in problem(answer, 401)
    assert "tesoura key new NAME" in answer.json()["detail"]
    assert answer.headers["www-authenticate"] == "Bearer"


@pytest.mark.parametrize(
    ("body", "status", "words"),
    [
        ('{"type": "kill"', 400, "not JSON: syntax error at line 1, column 16"),
        ("", 400, "The body is not JSON"),
        ('{"type": "kill", "data": {"n": NaN}}', 400, "NaN is not a number"),
        ("7", 422, "must be an object with a type"),
        ("{}", 422, "type is missing"),
        (
            '{"type": "kill", "time": "yesterday"}',
            422,
            "time is not a date with a time; write it as 2026-11-24T19:02:00Z",
        ),
        ('{"type": "kill", "time": []}', 422, "time is not a date with a time; write it as 2026-11-24T19:02:00Z"),
        ('{"type": ""}', 422, "type is empty"),
        ('{"type": "kill", "victim": "tuck"}', 422, "victim is unknown"),
        ('{"type": "kill", "time": "2026-11-24T19:02:00"}', 422, "time has no zone"),
        ('{"type": "kill", "time": "yesterday"}', 422, "time"),
        ('{"type": "kill", "time": "9999-12-31T23:59:59Z"}', 422, "outside the years 1971 to 2999"),
        ('[{"type": "kill"}, {"kind": "kill"}]', 422, "[1].type is missing"),
        ('{"specversion": "1.0", "type": "kill"}', 422, "id is missing"),
        ('{"specversion": "0.3", "id": "1", "source": "x", "type": "kill"}', 422, "specversion"),
        ('{"type": "kill", "data": {"x": "' + "x" * 70_000 + '"}}', 422, "more than 64 kB"),
        ("[" * 200_000, 400, "The body is not JSON"),
    ],
)
def test_what_cannot_be_taken_says_why_and_nothing_is_taken(
    running: Running, body: str, status: int, words: str
) -> None:
    answer = running.client.post("/api/events", content=body, headers=running.auth)
    assert words in problem(answer, status)
    assert running.client.get("/api/signals", headers=running.auth).json() == []


def test_too_much_at_once(running: Running) -> None:
    answer = running.client.post("/api/events", content=b"x" * 2_000_000, headers=running.auth)
    assert "At most 1 MB" in problem(answer, 413)
    many = running.client.post("/api/events", json=[KILL] * 1001, headers=running.auth)
    assert "at most 1,000" in problem(many, 400)


def test_a_script_sets_its_own_signals(running: Running) -> None:
    put = running.client.put("/api/signals/lamp", json={"value": 3, "unit": "lamps"}, headers=running.auth)
    assert put.status_code == 200
    assert put.json() == {
        **running.signal("script.lamp"),
        "name": "script.lamp",
        "value": 3,
        "unit": "lamps",
        "freshness": "held",
    }
    running.client.put("/api/signals/script.lamp", json={"value": "off", "fresh_for_s": 60}, headers=running.auth)
    assert (running.signal("script.lamp")["value"], running.signal("script.lamp")["freshness"]) == ("off", "live")


@pytest.mark.parametrize(
    ("name", "body", "status", "words"),
    [
        ("reach.members", {"value": 1}, 409, "script.reach_members"),
        ("script.Ab-c", {"value": 1}, 422, "not a signal's name"),
        ("lamp", {"value": None}, 422, "value"),
        ("lamp", {"value": [1]}, 422, "value"),
        ("lamp", {"value": 1, "colour": "red"}, 422, "colour is unknown"),
        ("lamp", {"value": 10**40}, 422, "30 digits"),
        ("lamp", {"value": 1, "fresh_for_s": -1}, 422, "fresh_for_s"),
    ],
)
def test_what_a_script_cannot_set(running: Running, name: str, body: dict[str, Any], status: int, words: str) -> None:
    assert words in problem(running.client.put(f"/api/signals/{name}", json=body, headers=running.auth), status)


def test_a_misspelled_signal_is_answered_with_the_nearest(running: Running) -> None:
    running.event(**KILL)
    answer = running.client.get("/api/signals/kill.targt", headers=running.auth)
    assert "Did you mean kill.target?" in problem(answer, 404)


def test_addresses_and_verbs_that_are_not_there(running: Running) -> None:
    assert "openapi.json" in problem(running.client.get("/api/nothing", headers=running.auth), 404)
    assert "doesn't accept DELETE" in problem(running.client.delete("/api/events", headers=running.auth), 405)


def test_health_tells_the_version_and_the_feeds_without_secrets(running: Running, members: Any) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane?private=1")
    until(lambda: running.client.get("/healthz").json()["feeds"] == {"reach": "live"})
    assert "private" not in running.client.get("/healthz").text


def test_the_description_is_of_what_is_there(running: Running) -> None:
    described = running.client.get("/api/openapi.json").json()
    assert described["openapi"] == "3.1.0"
    assert described["components"]["schemas"]["PlainEvent"]["additionalProperties"] is False
    for path in described["paths"]:
        answer = running.client.get(path.replace("{name}", "x"), headers=running.auth)
        assert answer.status_code in (200, 404, 405)


def test_values_that_no_signal_can_hold_stay_in_the_log_alone(running: Running) -> None:
    body = '{"type": "kill", "data": {"huge": 1' + "0" * 400 + ', "n": 1, "deep": ' + "[" * 200 + "]" * 200 + "}}"
    assert running.client.post("/api/events", content=body, headers=running.auth).status_code == 202
    assert running.signal("kill.n")["value"] == 1
    assert "value" not in running.signal("kill.huge")
    assert running.client.get("/").status_code == 200


def test_a_fault_with_one_event_keeps_neither_the_next_nor_a_start_away(
    running: Running, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    right = Engine._arrive

    def faulty(self: Engine, event: Event, *more: Any) -> None:
        if event.data.get("n") == 1:
            raise ZeroDivisionError
        right(self, event, *more)

    monkeypatch.setattr(Engine, "_arrive", faulty)
    for number in (1, 2):
        assert running.event(type="kill", data={"n": number}).status_code == 202
    assert running.signal("kill.n")["value"] == 2
    assert "Event 1 of the log failed" in caplog.text
    running.kill()
    again = Running(running.folder)
    try:
        assert again.signal("kill.n")["value"] == 2
        assert again.signal("kill.count_this_session")["value"] == 2
    finally:
        again.stop()


def test_accepted_events_survive_a_restart(running: Running, tmp_path: Any) -> None:
    for number in range(5):
        running.event(**KILL, id=str(number), source="game")
    running.stop()
    again = Running(running.folder)
    try:
        assert again.signal("kill.count_this_session")["value"] == 5
        assert again.event(**KILL, id="4", source="game").json() == {"accepted": 0, "duplicates": 1}
    finally:
        again.stop()


def test_commands_are_described_by_their_fields_and_strange_ones_are_named(running: Running) -> None:
    given = {"title": "Tea", "counts": "duration", "length": "5 min"}
    running.do("instrument.new?kind=countdown", given)
    [told] = running.client.get("/api/instruments", headers=running.auth).json()
    add = next(one for one in told["described"] if one["name"] == "add")
    assert add == {
        "name": "add",
        "title": "Add or remove time",
        "about": "While running; a minus sign removes time.",
        "parameters": {
            "type": "object",
            "properties": {"by": {"description": "By", "examples": ["3 min"]}},
            "additionalProperties": False,
        },
    }
    for door, of in (
        ("instruments/tea/add", {}),
        ("actions/instrument.command", {"instrument": "tea", "command": "add"}),
    ):
        answer = running.client.post(f"/api/{door}", json={**of, "bye": "3 min"}, headers=running.auth)
        assert (answer.status_code, answer.json()["detail"]) == (422, "“add” doesn't take “bye”. It takes by.")
        answer = running.client.post(f"/api/{door}", json={**of, "by": ["3 min"]}, headers=running.auth)
        assert (answer.status_code, answer.json()["detail"]) == (422, "by: Give a text, not a list.")


@pytest.mark.parametrize(
    ("name", "body", "words"),
    [
        ("my.song", {"value": 1}, "There is no feed my. Scripts set their own signals: PUT /api/signals/script.my"),
        ("script.my.song", {"value": 1}, "and one dot: script.my_song"),
        ("lamp", {"value": [1]}, "value must be a number, a text, or true or false."),
        ("lamp", {"value": 1, "unti": "x"}, "unti is unknown; a signal accepts value, unit and fresh_for_s."),
        ("lamp", [1], 'must be an object with a value, such as {"value": 3}.'),
        ("lamp", {"value": 1, "fresh_for_s": "soon"}, "fresh_for_s must be a number."),
    ],
)
def test_errors_say_what_to_do_in_our_own_words(running: Running, name: str, body: object, words: str) -> None:
    answer = running.client.put(f"/api/signals/{name}", json=body, headers=running.auth)
    assert answer.status_code in (400, 409, 422)
    assert words in answer.json()["detail"]


def test_a_body_that_is_no_json_is_told_where_and_in_our_own_words(running: Running) -> None:
    answer = running.client.post("/api/events", content=b'{"type": kill}', headers=running.auth)
    assert "syntax error at line 1, column 10" in answer.json()["detail"]


def test_a_scene_that_nobody_knows_is_set_and_questioned(running: Running) -> None:
    running.do("choose.scenes", {"scenes": "Play, Talk"})
    done = running.client.post("/api/actions/scene.set", json={"scene": "Tlak"}, headers=running.auth).json()
    assert done["done"] == "The scene is Tlak. Check the name. Known scenes: Play, Talk."
    done = running.client.post("/api/actions/scene.set", json={"scene": "talk"}, headers=running.auth).json()
    assert done["done"] == "The scene is talk."
