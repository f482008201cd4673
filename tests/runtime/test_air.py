"""The air cleared and brought back, moments that wait meanwhile, and the last act taken back."""

from __future__ import annotations

import re
from functools import partial
from typing import Any

import pytest

from tesoura.actions.action import Call, Doing, Done
from tesoura.actions.registry import do
from tesoura.errors import Gone
from tests.conftest import Running, flat, until
from tests.runtime.test_showing import said


def act(running: Running, name: str, **given: Any) -> Done:
    return running.runtime.call(lambda self: do(Doing(self, "desk"), Call(name, given)))


def showing(running: Running) -> list[str]:
    return [one.text for one in running.runtime.call(lambda self: self.stage.moments.showing())]


def test_all_overlays_are_hidden_at_once_and_come_back_with_what_they_say_by_then(running: Running) -> None:
    one, two = running.add_overlay("{script.who}", name="Who"), running.add_overlay("always", name="Bar")
    running.client.put("/api/signals/who", json={"value": "tuck"}, headers=running.auth)
    until(lambda: said(running, one) == {"Who": "tuck"})
    assert act(running, "air.clear").words == "Everything is hidden from viewers."
    assert (said(running, one), said(running, two)) == ({"Who": ""}, {"Bar": ""})
    running.client.put("/api/signals/who", json={"value": "teacup_ana"}, headers=running.auth)
    until(lambda: running.signal("script.who")["value"] == "teacup_ana")
    assert said(running, one) == {"Who": ""}
    act(running, "air.clear", cleared="no")
    assert (said(running, one), said(running, two)) == ({"Who": "teacup_ana"}, {"Bar": "always"})


def test_moments_wait_while_the_air_is_cleared_and_none_is_lost(running: Running) -> None:
    running.add_overlay("{gift.name}", name="Gift", appears="moment", moment_type="gift", moment_s=1)
    act(running, "air.clear")
    running.event(type="gift", data={"name": "tuck"})
    until(lambda: running.runtime.call(lambda self: self.stage.moments.waiting()))
    assert showing(running) == []
    act(running, "air.clear", cleared="no")
    assert until(lambda: showing(running)) == ["tuck"]


def test_a_moment_that_is_over_when_the_air_comes_back_is_not_seen_again(running: Running) -> None:
    token = running.add_overlay("{gift.name}", name="Gift", appears="moment", moment_type="gift", moment_s=1)
    running.event(type="gift", data={"name": "tuck"})
    until(lambda: showing(running))
    act(running, "air.clear")
    assert said(running, token) == {"Gift": ""}
    moments = running.runtime.call(lambda self: self.stage.moments)
    until(lambda: (at := moments.next_change()) is not None and running.settings.clock() > at)
    act(running, "air.clear", cleared="no")
    assert (showing(running), said(running, token)) == ([], {"Gift": ""})


def test_a_cleared_air_stays_cleared_over_a_crash_and_for_what_is_put_on_air_meanwhile(running: Running) -> None:
    token = running.add_overlay("one", name="Card")
    act(running, "air.clear")
    running.kill()
    again = Running(running.folder)
    try:
        assert said(again, token) == {"Card": ""}
        assert "Everything is hidden from viewers" in flat(again.client.get("/").text)
        other = again.add_overlay("two", name="Bar")
        assert said(again, other) == {"Bar": ""}
        act(again, "air.clear", cleared="no")
        assert (said(again, token), said(again, other)) == ({"Card": "one"}, {"Bar": "two"})
    finally:
        again.stop()


def test_the_last_acts_are_taken_back_one_after_the_other(running: Running) -> None:
    act(running, "scene.set", scene="Play")
    act(running, "scene.set", scene="Talk")
    act(running, "session.start")
    assert act(running, "desk.undo").words.startswith("Undone: Session started at ")
    assert running.runtime.call(lambda self: self.session_started_at) is None
    assert act(running, "desk.undo").words == "Undone: The scene is Talk."
    assert running.signal("scene.present")["value"] == "Play"
    act(running, "desk.undo")
    with pytest.raises(Gone, match="Nothing to undo"):
        act(running, "desk.undo")


def test_any_of_the_last_fifty_is_taken_back_and_what_came_later_is_named(running: Running) -> None:
    running.do("instrument.new?kind=statistics", {"title": "Game", "player": "mara_vane"})
    running.do("instrument.new?kind=countdown", {"title": "Tea", "counts": "duration", "length": "5 min"})
    do = partial(act, running, "instrument.command")
    do(instrument="game", command="correct", what="kills", by="1")
    do(instrument="tea", command="start")
    do(instrument="game", command="correct", what="deaths", by="1")
    do(instrument="tea", command="pause")
    page = flat(running.client.get("/desk/undo").text)
    numbers = [int(one) for one in re.findall(r'action="/do/desk.undo\?number=(\d+)"', page)]
    assert len(numbers) == len(set(numbers)) == 6
    kill, start = numbers[3], numbers[2]
    effect = flat(running.client.get(f"/desk/undo/{kill}/effect").text)
    assert "1 kill, 1 death → 0 kills, 1 death" in effect
    assert "May affect the later change “Deaths this stream session: 0 → 1”." in effect
    # A countdown goes back step by step.
    assert "Undo the later action first: “Stays at" in flat(running.client.get(f"/desk/undo/{start}/effect").text)
    with pytest.raises(Gone, match="Undo the later action first"):
        act(running, "desk.undo", number=start)
    running.do(f"desk.undo?number={kill}")
    assert (running.signal("game.session_kills")["value"], running.signal("game.session_deaths")["value"]) == (0, 1)
    again = running.do(f"desk.undo?number={kill}", follow_redirects=True)
    assert "This is already undone." in again.text
    for _ in range(60):
        act(running, "scene.set", scene="Play")
        act(running, "scene.set", scene="Talk")
    assert len(running.runtime.undo_line.all()) == 50


def forget_last(running: Running) -> None:
    line = running.runtime.undo_line
    last = line.last()
    assert last is not None
    line.drop(last)


def test_what_cannot_be_taken_back_any_more_says_so_and_the_one_before_can(running: Running) -> None:
    running.add_overlay("one", name="Card", appears="told")
    act(running, "scene.set", scene="Play")
    act(running, "piece.show", piece="Overlay / Card")
    running.do("overlay.remove?overlay=1", {})
    assert act(running, "desk.undo").words.startswith("Undone:")
    running.do("overlay.remove?overlay=1", {})
    forget_last(running)
    page = running.press("/", "/desk/undo", {})
    assert (page.status_code, "is not on air" in page.text) == (422, True)
    assert "Undone: The scene is Play." in flat(running.press("/", "/desk/undo", {}).text)


def test_held_moments_wait_and_the_one_that_shows_ends(running: Running) -> None:
    token = running.add_overlay("{gift.name}", name="Gift", appears="moment", moment_type="gift", moment_s=1)
    running.event(type="gift", data={"name": "tuck"})
    until(lambda: showing(running) == ["tuck"])
    assert act(running, "moments.hold").words == "Alerts are paused."
    running.event(type="gift", data={"name": "teacup_ana"})
    until(lambda: showing(running) == [] and said(running, token) == {"Gift": ""})
    page = flat(running.client.get("/log/moments").text)
    assert "▮▮ Alerts are paused" in page
    assert "Replay last alert: tuck" in page
    assert [one.text for one in running.runtime.call(lambda self: self.stage.moments.waiting())] == ["teacup_ana"]
    act(running, "moments.hold", held="no")
    until(lambda: showing(running) == ["teacup_ana"])


def test_what_is_pressed_beside_moments_leads_back_to_where_it_was_pressed(running: Running) -> None:
    for path in ("/", "/log/"):
        back = running.do("moments.hold", {"held": "yes"}, headers={"Referer": f"{running.address}{path}"})
        assert back.headers["location"] == path
    elsewhere = running.do("moments.hold", {"held": "no"}, headers={"Referer": "http://example.org//evil.example/"})
    assert elsewhere.headers["location"] == "/"
