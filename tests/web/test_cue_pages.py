"""Cues on their pages and through the API: the doors with bad input, and what each shows."""

from __future__ import annotations

import re

import pytest

from tests.conftest import Running, flat, until

CHEER = {
    "title": "Cheer",
    "when": "event",
    "event": "gift",
    "do_1": "set",
    "signal_1": "script.cheers",
    "value_of_1": "{event.name}",
    "rests": "2 min",
}


def test_a_cue_is_fired_through_the_api_and_says_what_it_does(running: Running) -> None:
    running.do("instrument.new?kind=cue", CHEER)
    [cue] = running.client.get("/api/cues", headers=running.auth).json()
    assert (cue["name"], cue["values"]["state"]) == ("cheer", "ready")
    assert cue["sentence"] == ("When gift happens, set script.cheers to {event.name}, with a cooldown of 2 min.")
    first = running.client.post("/api/cues/CHEER/press", json={"person": "tuck"}, headers=running.auth)
    assert (first.status_code, first.json()) == (200, {"name": "cheer", "effect": "Running now."})
    until(lambda: running.signal("cheer.state").get("value") == "rests")
    again = running.client.post("/api/cues/cheer/press", headers=running.auth)
    assert again.json()["effect"] == "Not now: 120 s left."
    listed = running.client.get("/api/instruments", headers=running.auth).json()
    assert listed == []


@pytest.mark.parametrize(
    ("name", "body", "status", "words"),
    [
        ("nobody", {}, 404, "There are: cheer."),
        ("cheer", {"loud": 1}, 422, "Send nothing, or"),
        ("cheer", [1], 422, "Send nothing, or"),
        ("cheer", "x", 422, "Send nothing, or"),
    ],
)
def test_a_press_that_makes_no_sense_is_told(
    running: Running, name: str, body: object, status: int, words: str
) -> None:
    running.do("instrument.new?kind=cue", CHEER)
    answer = running.client.post(f"/api/cues/{name}/press", json=body, headers=running.auth)
    assert (answer.status_code, answer.headers["content-type"]) == (status, "application/problem+json")
    assert words in answer.json()["detail"]


def test_what_is_wrong_is_told_beside_its_field_and_nothing_is_kept(running: Running) -> None:
    answer = running.do("instrument.new?kind=cue", {**CHEER, "rests": "often", "value_of_1": "{"})
    assert answer.status_code == 422
    assert "“often” is not a length of time" in answer.text
    assert "No cues yet" in running.client.get("/cues/").text
    for path in ("/cues/nobody", "/cues/nobody/card", "/cues/nobody/history", "/instruments/new/cue"):
        assert running.client.get(path).status_code == 404
    running.do("instrument.new?kind=cue", CHEER)
    assert running.client.get("/instruments/cheer").status_code == 404
    assert running.press("/", "/cues/cheer/do/explode", {}).status_code == 404


def test_while_it_is_made_it_says_what_is_missing_and_what_it_would_have_done(running: Running) -> None:
    for amount in (3, 9, 9, 9):
        running.event(type="gift", data={"name": "tuck", "amount": amount})
    typed = {**CHEER, "field_1": "amount", "how_1": "at least", "value_1": "5", "may_wait": "1"}
    tried = flat(running.press("/", "/cues/try", typed).text)
    assert 'hx-post="/cues/would"' in tried
    assert "has no value yet" not in tried
    would = flat(running.press("/", "/cues/would", typed).text)
    assert "Would have run <b>2 times</b> in the last 12 hours; 1 refusal." in would
    assert len(re.findall(r'href="/log/\d+"', would)) == 2
    missing = flat(running.press("/", "/cues/try", {**typed, "event": "", "signal_1": ""}).text)
    assert "Still missing: event, value." in missing
    level = {**CHEER, "when": "crosses", "signal": "a.b", "level": "4"}
    assert "a.b has not been received yet. Check the name." in flat(running.press("/", "/cues/try", level).text)
    assert "The log doesn't store past values of a.b." in flat(running.press("/", "/cues/would", level).text)
    pressed = flat(running.press("/", "/cues/would", {**CHEER, "when": "press"}).text)
    assert "It runs only when pressed" in pressed


def test_a_field_that_never_came_and_a_level_of_a_text_are_doubted(running: Running) -> None:
    running.event(type="gift", data={"name": "tuck", "amount": 3})
    typed = {**CHEER, "field_1": "amont", "how_1": "at least", "value_1": "5"}
    tried = flat(running.press("/", "/cues/try", typed).text)
    assert "No gift so far has “amont”. The nearest is amount." in tried
    running.client.put("/api/signals/who", json={"value": "tuck"}, headers=running.auth)
    level = {**CHEER, "when": "crosses", "signal": "script.who", "level": "4"}
    assert "script.who is the text “tuck” now: a text reaches no level." in flat(
        running.press("/", "/cues/try", level).text
    )


def test_a_key_in_an_address_stands_in_no_sentence_and_no_log(running: Running) -> None:
    address = "http://127.0.0.1:9/lamp?token=paper4711kite"
    body = '{{"password": "lantern-mile-77"}}'
    running.do("instrument.new?kind=cue", {"title": "Lamp", "do_1": "call", "address_1": address, "body_1": body})
    running.client.post("/api/cues/lamp/press", headers=running.auth)
    ended = until(
        lambda: "tesoura.effect_ended" in (text := running.client.get("/log/?type=tesoura.effect_ended").text) and text
    )
    assert "call http://127.0.0.1:9/lamp?token=••••••••" in flat(running.client.get("/cues/lamp").text)
    page = running.client.get("/cues/lamp/setup").text
    assert page.count("paper4711kite") == 1
    assert re.search(r'is-private"\s+id="f-address_1"', page)
    assert "paper4711kite" not in ended
    for kind in ("tesoura.effect", "tesoura.cue.lamp", "tesoura.action"):
        told = running.client.get(f"/log/?type={kind}").text
        assert "paper4711kite" not in told
        assert "lantern-mile-77" not in told


def test_a_cue_is_put_away_and_brought_back_and_goes_on_as_it_stood(running: Running) -> None:
    running.do("instrument.new?kind=cue", CHEER)
    running.event(type="gift", data={"name": "tuck"})
    until(lambda: running.signal("cheer.fired").get("value") == 1)
    running.do("instrument.remove?instrument=cheer", {})
    assert "Cheer" in running.client.get("/cues/").text
    running.do("instrument.restore?instrument=cheer", {})
    until(lambda: running.signal("cheer.state").get("value") == "rests")
    assert running.signal("cheer.fired")["value"] == 1


def test_cues_that_would_press_each_other_in_a_circle_are_refused_with_the_way(running: Running) -> None:
    running.do("instrument.new?kind=cue", {**CHEER, "title": "One"})
    for title, other in (("Two", "one"), ("Three", "two")):
        running.do("instrument.new?kind=cue", {"title": title, "do_1": "press", "cue_1": other})
    circle = {"title": "One", "do_1": "scene", "scene_1": "Talk", "do_2": "press", "cue_2": "three"}
    answer = running.do("instrument.change?instrument=one", circle)
    assert answer.status_code == 422
    assert "It would run itself: one → three → two → one. Remove one of them." in answer.text
    assert (
        "It would run itself: one → one."
        in running.do("instrument.change?instrument=one", {**circle, "cue_2": "one"}).text
    )


@pytest.mark.parametrize(
    ("given", "words"),
    [
        ({"event": ""}, "Choose an event type, such as gift"),
        ({"when": "chat", "word": " "}, "such as !spin"),
        ({"signal_1": "cheers"}, "or a new one such as script.cheers"),
        ({"signal_1": " "}, "Choose a value"),
        ({"do_1": "scene", "scene_1": ""}, "Add scenes under Preferences"),
        ({"when": "feed"}, "Choose the feed"),
    ],
)
def test_what_is_missing_says_what_to_do(running: Running, given: dict[str, str], words: str) -> None:
    answer = running.do("instrument.new?kind=cue", {**CHEER, **given})
    assert answer.status_code == 422
    assert words in answer.text


def test_what_a_press_led_to_stays_in_sight_when_the_card_is_drawn_again(running: Running) -> None:
    running.do("instrument.new?kind=cue", {**CHEER, "rests": "1 h"})
    running.press("/", "/cues/cheer/do/press", {}, headers={"HX-Request": "true"})
    assert "Running now." in flat(running.client.get("/cues/cheer/card").text)
    refused = running.press("/", "/cues/cheer/do/press", {}, headers={"HX-Request": "true"})
    assert "left." in flat(refused.text)
    assert "Not now" in flat(running.client.get("/cues/cheer/card").text)


def test_a_cue_is_switched_off_and_on_from_its_card(running: Running) -> None:
    running.do("instrument.new?kind=cue", CHEER)
    for command, state in (("off", "off"), ("on", "ready"), ("clear", "ready")):
        assert running.press("/", f"/cues/cheer/do/{command}", {}, headers={"HX-Request": "true"}).status_code == 200
        assert running.signal("cheer.state")["value"] == state
