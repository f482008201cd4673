"""Whether viewers see a piece, for those who ask: replays keep out of its way."""

from __future__ import annotations

from typing import Any

from websockets.sync.client import connect

from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.signals.assignments import seen_signal
from tesoura.settings import wall_clock
from tesoura.store import log as event_log
from tesoura.store import overlays as stored
from tests.conftest import Running, until
from tests.runtime.test_clips import act, replays


def is_seen(running: Running, name: str = "seen.overlay_who") -> Any:
    return running.signal(name).get("value")


def there(running: Running) -> Any:
    return running.signal("again.there").get("value")


def command(running: Running, name: str) -> str:
    return str(act(running, "instrument.command", instrument="again", command=name).words)


def test_a_replay_makes_way_for_a_piece_that_is_seen_and_waits_until_it_is_not(running: Running) -> None:
    token = running.add_overlay("{script.who}", name="Who", nothing_yet="")
    replays(running, never_with="Overlay / Who", source="")
    until(lambda: is_seen(running) is False)
    running.client.put("/api/signals/who", json={"value": "tuck"}, headers=running.auth)
    command(running, "try_it")
    until(lambda: there(running) is True)
    with connect(f"{running.address.replace('http', 'ws')}/live/{token}"):
        until(lambda: is_seen(running) is True)
        until(lambda: there(running) is False)
        assert command(running, "try_it").endswith("is shown as soon as possible: Overlay / Who is on screen")
        # Nobody sees a piece while the air is cleared, or once it says nothing.
        act(running, "air.clear")
        until(lambda: is_seen(running) is False and there(running) is True)
        act(running, "air.clear", cleared="no")
        until(lambda: is_seen(running) is True and there(running) is False)
        running.client.put("/api/signals/who", json={"value": ""}, headers=running.auth)
        until(lambda: is_seen(running) is False)
        running.client.put("/api/signals/who", json={"value": "mara_vane"}, headers=running.auth)
        until(lambda: is_seen(running) is True)
    # Nor when no page shows its overlay.
    until(lambda: is_seen(running) is False)


def test_a_piece_is_not_seen_in_a_scene_in_which_it_is_not_shown(running: Running) -> None:
    piece = new_piece("text", "who", name="Who", wording="always").changed({"shown": "no"}, "Talk")
    overlay = Overlay(pieces=(piece,))
    row = running.store.write(lambda session: stored.new_overlay(session, "Overlay", overlay, wall_clock()))
    running.publish(row.id)
    replays(running, never_with="overlay / who", source="")
    with connect(f"{running.address.replace('http', 'ws')}/live/{row.token}"):
        until(lambda: is_seen(running) is True)
        act(running, "scene.set", scene="Talk")
        until(lambda: is_seen(running) is False)
        act(running, "scene.set", scene="Play")
        until(lambda: is_seen(running) is True)


def test_a_replay_that_no_page_shows_is_not_said_to_be_seen(running: Running) -> None:
    replays(running, source="")
    command(running, "try_it")
    until(lambda: there(running) is True)
    assert "not on any page:" in (panel := running.client.get("/instruments/again/panel").text)
    assert "on screen:" not in panel
    piece = new_piece("replay", "r", replays="again", x=200, y=120)
    row = running.store.write(
        lambda session: stored.new_overlay(session, "Overlay", Overlay(pieces=(piece,)), wall_clock())
    )
    # As it is laid it fits, and goes on air without a question.
    running.press("/", f"/overlays/{row.id}/publish")
    with connect(f"{running.address.replace('http', 'ws')}/live/{row.token}"):
        until(lambda: "on screen:" in running.client.get("/instruments/again/panel").text)


def test_it_is_told_of_pieces_that_are_asked_for_and_of_no_others(running: Running) -> None:
    token = running.add_overlay("always", name="Who")
    with connect(f"{running.address.replace('http', 'ws')}/live/{token}"):
        until(lambda: running.signal("air.overlay").get("value") == 1)
        replays(running, never_with="Overlay / Gone", source="")
        until(lambda: is_seen(running, "seen.overlay_gone") is False)
    newest = running.store.read(lambda session: event_log.latest(session, 50))
    assert {one.event.data["signal"] for one in newest if one.event.type == "tesoura.seen"} == {"seen.overlay_gone"}
    assert running.runtime.call(lambda self: self.sightings.pieces("replay")) == ["Overlay / Who"]


def test_the_signal_of_each_name_is_its_own() -> None:
    assert seen_signal("Cup evening /  Wheel, plate") == "seen.cup_evening_wheel_plate"
    # Names of other scripts, and long ones, are told apart too.
    names = ("Cup / 風", "Cup / 茶", "Cup / " + "kite " * 20, "Cup / " + "kite " * 21)
    assert len({seen_signal(one) for one in names}) == 4
    assert seen_signal("cup / 風") == seen_signal("Cup / 風")
    assert all(len(seen_signal(one).partition(".")[2]) <= 47 for one in names)
