"""Cues that run: set off by what happens, logged before they act, once over a crash."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from typing import Any

import pytest
from websockets.sync.client import connect

from tesoura.actions.action import Call, Doing
from tesoura.actions.registry import do
from tesoura.core.cues.starters import STARTERS, CueStarter
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.standins.members import MembersService
from tesoura.store import log as event_log
from tests.conftest import Running, flat, until


def new_cue(running: Running, **choices: Any) -> str:
    """Make a cue; its name."""
    call = Call("instrument.new", {"kind": "cue", "choices": {"title": "Cheer", **choices}})
    done = running.runtime.call(lambda self: do(Doing(self, "desk"), call))
    return str(done.result["instrument"])


def told(running: Running, *kinds: str) -> list[dict[str, Any]]:
    newest = running.store.read(lambda session: event_log.latest(session, 80))
    return [dict(one.event.data) for one in reversed(newest) if one.event.type.startswith(kinds)]


def scene(running: Running) -> Any:
    return running.signal("scene.present").get("value")


GIFT = {"when": "event", "event": "gift", "field_1": "amount", "how_1": "at least", "value_1": "5"}


def test_an_event_switches_the_scene_and_back_and_the_log_tells_why(running: Running) -> None:
    running.runtime.call(lambda self: self.set_scene("Play"))
    new_cue(running, **GIFT, do_1="scene", scene_1="Talk", for_1="1", rests="1 min")
    for amount in (4, 9, 9):
        running.event(type="gift", data={"name": "teacup_ana", "amount": amount})
    until(lambda: scene(running) == "Talk")
    until(lambda: scene(running) == "Play")
    decided = told(running, "tesoura.cue.cheer")
    assert [one["outcome"] for one in decided] == ["fires", "refused"]
    assert decided[1]["why"] == "not now: 60 s left"
    done = until(lambda: len(found := told(running, "tesoura.effect_ended")) == 2 and found)
    assert [(one["effect"], one["outcome"]) for one in done] == [("scene", "done"), ("scene_back", "done")]
    assert running.signal("cheer.fired")["value"] == 1


def test_a_scene_that_somebody_left_meanwhile_is_left_alone(running: Running) -> None:
    running.runtime.call(lambda self: self.set_scene("Play"))
    new_cue(running, **GIFT, do_1="scene", scene_1="Talk", for_1="1")
    running.event(type="gift", data={"amount": 5})
    until(lambda: scene(running) == "Talk")
    running.runtime.call(lambda self: self.set_scene("Break"))
    note = until(lambda: [one for one in told(running, "tesoura.effect_ended") if one["effect"] == "scene_back"])
    assert note[0]["note"] == "the scene is now Break and stays"
    assert scene(running) == "Break"


def test_a_level_is_crossed_with_its_way_back_and_a_formula_beside(running: Running) -> None:
    def say(**values: float) -> None:
        for name, value in values.items():
            running.client.put(f"/api/signals/{name}", json={"value": value}, headers=running.auth)

    say(streak=1, deaths=3)
    new_cue(
        running,
        when="crosses",
        signal="script.streak",
        level="4",
        back="2",
        if_formula="script.deaths < 3",
        do_1="set",
        signal_1="script.cheers",
        value_of_1="{event.value}",
    )
    say(streak=4)
    until(lambda: told(running, "tesoura.cue.cheer"))
    assert told(running, "tesoura.cue.cheer")[0]["why"] == "script.deaths < 3 is false"
    say(deaths=0, streak=5)
    say(streak=1)
    say(streak=6)
    until(lambda: running.signal("script.cheers").get("value") == 6)
    assert [one["outcome"] for one in told(running, "tesoura.cue.cheer")] == ["refused", "fires"]


def test_only_while_a_session_runs_and_what_is_off_stays_off_when_one_starts(running: Running) -> None:
    steps = {"do_1": "set", "value_of_1": "{event.amount}"}
    new_cue(running, **GIFT, **steps, signal_1="script.seen", if_session="yes", rests="10 min")
    off = new_cue(running, title="Off", **GIFT, **steps, signal_1="script.unseen")
    running.runtime.call(lambda self: self.instruments.command(off, "off", {}))
    running.event(type="gift", data={"amount": 5})
    until(lambda: told(running, "tesoura.cue.cheer"))
    assert told(running, "tesoura.cue.cheer")[0]["why"] == "no stream session runs"
    running.do("session.start", {})
    running.event(type="gift", data={"amount": 6})
    until(lambda: running.signal("script.seen").get("value") == 6)
    running.do("session.start", {})
    running.event(type="gift", data={"amount": 7})
    until(lambda: len(told(running, "tesoura.cue.cheer")) == 3)
    assert [one["outcome"] for one in told(running, "tesoura.cue.cheer")] == ["refused", "fires", "refused"]
    assert running.signal("off.state")["value"] == "off"
    assert running.signal("script.unseen").get("value") is None


def test_only_while_a_page_shows_the_overlay(running: Running) -> None:
    token = running.add_overlay("hello")
    new_cue(running, **GIFT, if_overlay="Overlay", do_1="set", signal_1="script.seen", value_of_1="{event.amount}")
    running.event(type="gift", data={"amount": 5})
    refused = until(lambda: told(running, "tesoura.cue.cheer"))
    assert refused[0]["why"] == "no page shows Overlay"
    with connect(f"{running.address.replace('http', 'ws')}/live/{token}"):
        until(lambda: running.signal("air.overlay").get("value") == 1)
        running.event(type="gift", data={"amount": 6})
        until(lambda: running.signal("script.seen").get("value") == 6)
    until(lambda: running.signal("air.overlay").get("value") == 0)


def test_cues_give_commands_and_press_each_other(running: Running) -> None:
    running.do("instrument.new?kind=countdown", {"title": "Break", "length": "5 min"})
    second = new_cue(
        running,
        title="Start the break",
        do_1="command",
        instrument_1="break_",
        command_1="start",
        with_1="length {3 + 4} min",
    )
    first = new_cue(running, do_1="press", cue_1=second)
    step = running.runtime.call(lambda self: self.instruments.command(first, "press", {"by": "desk"}))
    assert step.effect == "Running now."
    until(lambda: running.signal("break_.state").get("value") == "running")
    assert 410 < running.signal("break_.left_s")["value"] <= 420


def test_an_instruments_moment_sets_a_cue_off_and_a_trial_or_an_impostor_does_not(running: Running) -> None:
    running.do("instrument.new?kind=countdown", {"title": "Kettle", "length": "2 s", "end_s": "1"})
    page = running.client.get("/cues/new?when=moment").text
    assert '<option value="kettle.ended">Kettle ends</option>' in page
    new_cue(running, when="moment", moment="kettle.ended", do_1="set", signal_1="script.cheers", value_of_1="1")
    running.event(type="kettle.ended", data={})
    running.runtime.call(lambda self: self.instruments.command("kettle", "show_end", {}))
    until(lambda: [one for one in told(running, "kettle.ended") if one.get("trial")], 30)
    assert told(running, "tesoura.cue.") == []
    running.runtime.call(lambda self: self.instruments.command("kettle", "start", {}))
    until(lambda: running.signal("script.cheers").get("value") == 1)
    assert [one["words"] for one in told(running, "tesoura.cue.")] == ["kettle tells “ended”"]


def test_words_are_shown_for_a_moment_on_a_piece_that_is_on_air(running: Running) -> None:
    token = running.add_overlay("{gift.name}", appears="moment", moment_type="gift", name="Gift")
    target = running.runtime.call(lambda self: self.stage.moment_pieces())
    assert target == ["Overlay / Gift"]
    new_cue(
        running,
        when="event",
        event="follow",
        do_1="moment",
        piece_1=target[0],
        words_1="Hello {event.name}",
        shown_1="60",
    )
    running.event(type="follow", data={"name": "tuck"})
    until(lambda: "Hello tuck" in running.client.get(f"/o/{token}").text)
    new_cue(running, title="Gone", do_1="moment", piece_1="Nowhere / Text", words_1="Hello")
    running.client.post("/api/cues/gone/press", headers=running.auth)
    failed = until(lambda: [one for one in told(running, "tesoura.effect_ended") if one["outcome"] == "failed"])
    assert failed[0]["why"] == "Nowhere / Text is not on air, or its alert queue is full."


def test_a_feed_that_goes_down_and_comes_back_sets_cues_off(running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane")
    until(lambda: running.signal("reach.members").get("value"))
    for state in ("down", "back"):
        new_cue(
            running,
            title=f"Test connection{state}",
            when="feed",
            feed="reach",
            feed_state=state,
            do_1="set",
            signal_1=f"script.{state}",
            value_of_1="{event.feed}",
        )
    members.fail("500")
    until(lambda: running.signal("script.down").get("value") == "reach")
    assert running.signal("script.back").get("value") is None
    members.fail(None)
    running.runtime.call(lambda self: self.feeds.ask_now("reach"))
    until(lambda: running.signal("script.back").get("value") == "reach")
    assert [(one["state"], "500" in one.get("why", "")) for one in told(running, "tesoura.feed")] == [
        ("down", True),
        ("back", False),
    ]


@pytest.fixture
def lamp() -> Iterator[tuple[str, list[tuple[str, bytes]]]]:
    """A lamp on this machine, and what it was told."""
    heard: list[tuple[str, bytes]] = []

    class Lamp(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            body = self.rfile.read(int(self.headers["Content-Length"]))
            heard.append((self.headers["Content-Type"], body))
            self.send_response(500 if b"broken" in body else 204)
            self.end_headers()

        def log_message(self, *_: object) -> None:
            pass

    server = HTTPServer(("127.0.0.1", 0), Lamp)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.server_port}/lamp", heard
    server.shutdown()
    server.server_close()


def test_a_web_address_is_called_and_what_it_answers_is_told(
    running: Running, lamp: tuple[str, list[tuple[str, bytes]]]
) -> None:
    address, heard = lamp
    new_cue(running, **GIFT, do_1="call", address_1=address, body_1='{{"name": "{event.name}"}}')
    for count, name in enumerate(("tuck", "broken")):
        running.event(type="gift", data={"amount": 5, "name": name})
        until(lambda: len(heard) > count)  # noqa: B023 - waited for at once
    assert heard[0] == ("application/json", b'{"name": "tuck"}')
    ended = until(lambda: len(found := told(running, "tesoura.effect_ended")) == 2 and found)
    assert [(one["outcome"], one.get("note") or one.get("why")) for one in ended] == [
        ("done", "response: 204"),
        ("failed", "Response: 500."),
    ]


def test_over_a_crash_nothing_fires_twice_and_what_was_decided_stands(tmp_path: Path) -> None:
    first = Running(tmp_path / "data")
    new_cue(
        first, **GIFT, do_1="set", signal_1="script.cheers", value_of_1="{event.amount}", rests="10 min", may_wait="3"
    )
    for amount in (5, 6, 7):
        first.event(type="gift", data={"amount": amount})
    until(lambda: len(told(first, "tesoura.cue.cheer")) == 3)
    until(lambda: first.signal("script.cheers").get("value") == 5)
    before = {name: first.signal(f"cheer.{name}")["value"] for name in ("state", "fired", "waiting", "free_at")}
    first.kill()
    again = Running(tmp_path / "data")
    assert {name: again.signal(f"cheer.{name}")["value"] for name in before} == before
    assert before["waiting"] == 2
    assert [one["outcome"] for one in told(again, "tesoura.cue.cheer")] == ["fires", "waits", "waits"]
    again.event(type="gift", data={"amount": 8})
    until(lambda: again.signal("cheer.waiting").get("value") == 3)
    again.stop()


@pytest.mark.parametrize(
    ("choices", "field"),
    [
        ({"when": "event"}, "event"),
        ({"when": "chat"}, "word"),
        ({"when": "crosses", "level": "4"}, "signal"),
        ({"when": "crosses", "signal": "a.b", "level": "4", "back": "5"}, "back"),
        ({"when": "crosses", "signal": "a.b", "level": "many"}, "level"),
        ({"when": "times", "times": "25:00"}, "times"),
        ({"if_formula": "a.b <"}, "if_formula"),
        ({"do_1": "call", "address_1": "lamp"}, "address_1"),
        ({"do_1": "scene", "scene_1": ""}, "scene_1"),
        ({"do_1": "press"}, "cue_1"),
        ({"rests": "often"}, "rests"),
        ({"may_wait": "21"}, "may_wait"),
        ({"do_1": "set", "signal_1": "a.b", "value_of_1": "{"}, "value_of_1"),
    ],
)
def test_what_is_missing_or_wrong_is_told_by_its_field(choices: dict[str, Any], field: str) -> None:
    kind = KINDS["cue"]
    filled = fill(kind.fields, {"title": "Cheer", "do_1": "scene", "scene_1": "Talk", **choices})
    assert field in {**filled.wrong, **({} if filled.wrong else kind.check(filled.choices))}


def test_what_a_crash_left_undone_is_told_once_and_not_done(tmp_path: Path) -> None:
    first = Running(tmp_path / "data")
    steps = {
        "do_1": "set",
        "signal_1": "script.first",
        "value_of_1": "1",
        "do_2": "set",
        "after_2": "3600",
        "signal_2": "script.second",
        "value_of_2": "2",
    }
    new_cue(first, **GIFT, **steps)
    first.event(type="gift", data={"amount": 5})
    until(lambda: told(first, "tesoura.effect_ended"))
    first.kill()
    for _ in range(2):
        again = Running(tmp_path / "data")
        until(lambda: len(told(again, "tesoura.effect_ended")) == 2)  # noqa: B023 - waited for at once
        done, undone = told(again, "tesoura.effect_ended")
        assert (done["outcome"], undone["outcome"], undone["effect"]) == ("done", "not done", "the rest")
        assert again.signal("script.second").get("value") is None
        assert "the rest cheer: not done, Tesoura stopped before it could" in flat(again.client.get("/cues/cheer").text)
        again.kill()


@pytest.mark.parametrize("starter", STARTERS, ids=lambda one: one.choices["title"])
def test_every_starter_works_once_at_most_three_things_are_filled_in(starter: CueStarter) -> None:
    kind, filler = KINDS["cue"], {"address_1": "http://127.0.0.1:9/lamp"}
    asked = {name: filler.get(name, "shows.starts_at") for name in starter.asks}
    assert len(asked) <= 3
    filled = fill(kind.fields, {**starter.choices, **asked})
    assert {**filled.wrong, **kind.check(filled.choices)} == {}
    for name in asked:
        lacking = fill(kind.fields, {**starter.choices, **asked, name: ""})
        assert name in {**lacking.wrong, **({} if lacking.wrong else kind.check(lacking.choices))} or name == "to_scene"


def test_there_are_sixteen_starters() -> None:
    assert len({one.choices["title"] for one in STARTERS}) == 16
