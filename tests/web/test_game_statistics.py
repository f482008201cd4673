"""Game statistics through the doors: events in, the rule, resets, the card, a restart."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Any

import pytest

from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.settings import wall_clock
from tesoura.standins.duelling import BY_HAND, Duelling
from tesoura.store import overlays as stored_overlays
from tests.conftest import Running, flat, until

NAMES = ("kills", "deaths", "kd", "minutes", "best_streak", "multis", "rating_change")
FORM = {"title": "Game", "player": "mara_vane"}


def make(running: Running, **more: Any) -> None:
    assert running.do("instrument.new?kind=statistics", {**FORM, **more}).status_code == 302


def do(running: Running, command: str, **given: Any) -> dict[str, Any]:
    return dict(running.client.post(f"/api/instruments/game/{command}", json=given, headers=running.auth).json())


def kill(running: Running, **more: Any) -> None:
    running.event(type="kill", data={"actor": "mara_vane", "target": "tuck", **more})


def told(running: Running, name: str) -> Any:
    return running.signal(f"game.{name}")["value"]


def test_kills_are_counted_as_they_come_and_from_the_log_when_the_rule_changes(running: Running) -> None:
    kill(running)
    make(running)
    assert told(running, "session_kills") == 1
    kill(running, tags=["gust bonus"])
    assert told(running, "session_kills") == 2
    answer = running.press("/", "/instruments/try/statistics?name=game", {**FORM, "without_tags": "gust bonus"})
    shown = flat(answer.text)
    assert '<tr class="differs"><th scope="row">Kills</th><td>2</td><td>1</td></tr>' in shown
    running.do("instrument.change?instrument=game", {**FORM, "without_tags": "gust bonus"})
    assert told(running, "session_kills") == 1
    page = running.client.get("/instruments/game").text
    assert "All kills but these: tagged gust bonus, friendly fire, warm-up." in page


def test_a_game_that_sends_no_deaths_counts_them_by_kills_once_that_is_accepted(running: Running) -> None:
    make(running)
    kill(running)
    offer = ", but no death event was received."
    assert offer not in flat(running.client.get("/instruments/game").text)
    running.event(type="kill", data={"actor": "tuck", "target": "mara_vane"})
    assert offer in flat(running.client.get("/instruments/game").text)
    assert told(running, "session_deaths") == 0
    assert running.press("/instruments/game", "/instruments/game/choose/deaths_by/kill").status_code == 302
    assert told(running, "session_deaths") == 1
    assert offer not in flat(running.client.get("/instruments/game").text)
    wrong = running.press("/instruments/game", "/instruments/game/choose/deaths_by/guess", follow_redirects=True)
    assert "guess" in flat(wrong.text), "it says what was wrong"
    assert told(running, "session_deaths") == 1


def test_a_reset_says_what_it_does_and_undo_brings_everything_back(running: Running) -> None:
    make(running)
    kill(running)
    kill(running)
    assert "this session: 2 kills, 0 deaths → 0 kills, 0 deaths" in running.client.get(
        "/instruments/game/effect/reset", params={"what": "session"}
    ).text.replace("This session", "this session")
    do(running, "reset", what="session")
    kill(running)
    assert told(running, "session_kills") == 1
    do(running, "undo")
    assert told(running, "session_kills") == 3


def test_a_correction_is_in_the_log_and_outlives_a_crash(tmp_path: Path) -> None:
    running = Running(tmp_path / "data")
    make(running)
    kill(running)
    assert do(running, "correct", what="kills", by="1")["effect"] == "kills this stream session: 1 → 2"
    assert "tesoura.command.game" in running.client.get("/log/").text
    running.kill()
    again = Running(tmp_path / "data")
    assert told(again, "session_kills") == 2
    kill(again)
    assert told(again, "session_streak") == 3
    again.stop()


def test_a_kill_that_the_log_corrected_is_counted_as_corrected(running: Running) -> None:
    make(running)
    running.event(type="damage", data={"actor": "mara_vane", "amount": 40})
    seq = running.runtime.persistence.applied
    running.runtime.call(lambda self: self.corrections.correct(seq, "amount", 90))
    assert until(lambda: told(running, "session_damage") == 90)


def test_a_wrong_field_is_said_and_nothing_is_made(running: Running) -> None:
    for field, typed, why in [
        ("vitals", "health lots", "Each with its full value, such as health 100, shield 50"),
        ("within_s", "0", "Give a number from 1 to 60"),
        ("last", "99", "Give a number from 1 to 30"),
        ("title", " ", "Enter a name."),
    ]:
        answer = running.do("instrument.new?kind=statistics", {**FORM, field: typed})
        assert answer.status_code == 422
        assert why in answer.text
    assert running.client.get("/api/instruments", headers=running.auth).json() == []


def _card_overlay(running: Running, *more: Any) -> tuple[int, str]:
    card = new_piece("match_card", "card", statistics="game", look="ink", x=300, y=200)
    overlay = Overlay(pieces=(card, *more))
    row = running.store.write(lambda session: stored_overlays.new_overlay(session, "Card", overlay, wall_clock()))
    running.publish(row.id)
    return row.id or 0, row.token


def says(running: Running, token: str) -> dict[str, str]:
    frame = running.runtime.call(lambda self: self.stage.frame(token))
    assert frame is not None
    return {name: str(said) for name, said in frame.values.items()}


def test_the_card_appears_when_a_match_ends_and_is_empty_otherwise(running: Running) -> None:
    make(running)
    _, token = _card_overlay(running)
    assert says(running, token)["card"] == ""
    running.event(type="match.start", data={"opponent": "tuck", "rating": 1_412})
    kill(running)
    running.event(type="match.end", data={"result": "won", "rating": 1_430})
    until(lambda: says(running, token)["card"] == "1")
    shown = says(running, token)
    assert (shown["card.result"], shown["card.opponent"]) == ("Won", "against tuck")
    assert (shown["card.rating"], shown["card.change"], shown["card.figure_1"]) == ("1,430", "+18", "1")


def test_the_mat_tries_the_card_with_made_up_matches_before_any_has_ended(running: Running) -> None:
    make(running)
    overlay_id, _ = _card_overlay(running)
    sight = running.client.get(f"/overlays/{overlay_id}/sights").json()["card"]
    assert (sight["live"]["result"], sight["made_up"]["result"], sight["made_up"]["change"]) == ("", "Won", "+18")
    assert sight["longest"]["opponent"] == "against Bartholomew von Quillfeather I"


def test_before_any_match_has_ended_the_panel_shows_the_card_with_made_up_ones(running: Running) -> None:
    make(running)
    panel = running.client.get("/instruments/game/panel").text
    assert re.search(r'do/show_card"[^>]*>.*?name="of" value="2"', panel, re.DOTALL)
    running.event(type="match.end", data={"result": "won"})
    panel = running.client.get("/instruments/game/panel").text
    assert re.search(r'do/show_card"[^>]*>.*?name="of" value="last"', panel, re.DOTALL)


def test_what_the_log_would_come_to_is_shown_before_it_is_made(running: Running) -> None:
    kill(running)
    shown = flat(running.press("/", "/instruments/try/statistics", FORM).text)
    assert '<th scope="row">Kills</th><td>—</td><td>1</td>' in shown


def test_the_overlays_list_says_that_a_card_is_empty_until_a_match_ends(running: Running) -> None:
    make(running)
    _card_overlay(running)
    desk = flat(running.client.get("/").text)
    assert "“Match-end card” is empty until a match ends." in desk
    assert "Show now with made-up matches" in desk


@pytest.mark.parametrize("of", ["1", "2", "30"])
def test_the_card_is_shown_now_with_made_up_matches(running: Running, of: str) -> None:
    make(running)
    _, token = _card_overlay(running)
    assert do(running, "show_card")["detail"] == "No match has ended yet. Show it with made-up ones."
    do(running, "show_card", of=of)
    until(lambda: says(running, token)["card"] == "1")
    shown = says(running, token)
    assert len(shown["card.opponent"]) == len("against ") + 30
    assert shown["card.row_won"].count("Z") + shown["card.row_lost"].count("M") // 2 + shown["card.row_drawn"].count(
        "M"
    ) == min(int(of), 12)


def test_the_fit_check_warns_when_something_is_above_the_card_or_the_overlay_is_smaller(running: Running) -> None:
    make(running)
    backing = new_piece("backing", "over", name="Frame", look="ink", x=200, y=100, width_px=900, height_px=500)
    overlay_id, _ = _card_overlay(running, backing)
    page = running.client.get(f"/overlays/{overlay_id}").text
    assert "“Frame” covers" in page
    running.edit(overlay_id, {"do": "size", "width_px": 640, "height_px": 400})
    state = running.client.get(f"/overlays/{overlay_id}/state").json()
    assert "Match-end card" in state["findings"]


# The game that plays


@pytest.fixture
def game(running: Running) -> Iterator[Duelling]:
    made = Duelling(running.address, running.key, plays=False)
    made.open()
    yield made
    made.stop()


def _said(game: Duelling, kind: str) -> bool:
    return game.said.startswith(kind)


def test_a_game_played_by_hand_is_counted(running: Running, game: Duelling) -> None:
    make(running, without_tags="gust bonus")
    for words in ("Start a match", "Cut a rival", "Cut with a gust bonus", "Lose the kite", "Win"):
        answer = running.client.post(f"{game.address}/do", data={"what": words})
        assert answer.status_code == 303
        until(partial(_said, game, BY_HAND[words][0]))
    until(lambda: told(running, "session_wins") == 1)
    assert [told(running, name) for name in ("ended_kills", "ended_deaths", "rating")] == [1, 1, 1_430]
    assert (
        "Automatic · Only react to buttons" in running.client.get(game.address).text
        or "Manual · Play automatically" in running.client.get(game.address).text
    )
    assert running.client.post(f"{game.address}/do", data={"what": "Fly"}).status_code == 400


def test_an_evening_with_a_crash_late_and_double_events_counts_each_kill_once(running: Running, game: Duelling) -> None:
    make(running)
    at, kills = datetime.now(UTC) - timedelta(hours=2), 0
    events: list[dict[str, Any]] = []
    for told_ in [one for _ in range(8) for one in game.duels.match()]:
        at += timedelta(seconds=told_.after_s)
        event = game.event(told_, at)
        kills += told_.type == "kill" and told_.data["actor"] == "mara_vane"
        # Some come late, some twice.
        events.insert(max(len(events) - 3, 0) if told_.late_s else len(events), event)
        events += [event] if told_.again_s else []
    for first in range(0, len(events), 400):
        running.client.post("/api/events", json=events[first : first + 400], headers=running.auth)
    assert told(running, "session_kills") == kills > 20
    assert told(running, "match_number") == 8
    # Counted again from the log, everything comes to the same.
    names = [f"{scope}_{name}" for scope in ("session", "last", "ended") for name in NAMES]
    live = [told(running, name) for name in names]
    running.do("instrument.change?instrument=game", {**FORM, "title": "Counted again"})
    assert [told(running, name) for name in names] == live


def test_two_matches_that_end_at_once_are_one_card_which_the_desk_names(running: Running) -> None:
    make(running)
    _card_overlay(running)
    for number in range(3):
        running.event(type="match.end", data={"match": f"m{number}", "result": "won"})
    shown = until(lambda: running.client.get("/log/moments").text if waits(running) else "")
    assert waits(running) == 1
    assert '<b dir="auto">Match-end card</b><span class="soft">on Card</span>' in flat(shown)


def waits(running: Running) -> int:
    return len(running.runtime.call(lambda self: self.stage.moments.waiting()))


def test_a_name_that_nothing_told_of_is_questioned_with_those_that_were(running: Running) -> None:
    running.event(type="kill", data={"actor": "mara_vane", "target": "otto_knot", "tags": ["gust bonus"]})
    given = {"title": "Game", "player": "mara_vain", "without_tags": "Gust Bonus, gust bonsu"}
    told = flat(running.press("/instruments/new/statistics", "/instruments/try/statistics", given).text)
    assert "Your name in the game: no recent event has “mara_vain”. Recent events have mara_vane." in told
    assert "no recent event has “gust bonsu”. Recent events have gust bonus." in told
    assert "“Gust Bonus”" not in told
