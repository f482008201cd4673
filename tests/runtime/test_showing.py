"""Pieces shown and hidden by somebody: what viewers have, for how long, and over a restart."""

from __future__ import annotations

from typing import Any

import pytest

from tesoura.errors import Gone
from tests.conftest import Running, flat, until
from tests.runtime.test_cues import GIFT, new_cue, told

CARD = {"name": "Card", "appears": "told"}


def said(running: Running, token: str) -> dict[str, Any]:
    """What an overlay's pieces say, by the pieces' names."""
    frame = running.runtime.call(lambda self: self.stage.frame(token))
    assert frame is not None
    return {piece.name: frame.values[piece.id] for piece in frame.overlay.pieces}


def settle(running: Running, piece: str, shown: bool) -> None:
    running.runtime.call(lambda self: self.showing.settle(piece, shown, "desk"))


def test_a_piece_that_waits_is_seen_once_it_is_shown_with_what_it_says_by_then(running: Running) -> None:
    token = running.add_overlay("{script.who}", **CARD)
    running.client.put("/api/signals/who", json={"value": "teacup_ana"}, headers=running.auth)
    assert said(running, token) == {"Card": ""}
    settle(running, "overlay / CARD", True)
    assert said(running, token) == {"Card": "teacup_ana"}
    running.client.put("/api/signals/who", json={"value": "tuck"}, headers=running.auth)
    until(lambda: said(running, token) == {"Card": "tuck"})
    settle(running, "Overlay / Card", False)
    assert said(running, token) == {"Card": ""}
    assert [(one["piece"], one["shown"]) for one in told(running, "tesoura.shown")] == [
        ("Overlay / Card", True),
        ("Overlay / Card", False),
    ]


def test_viewers_pages_are_rendered_as_it_stands(running: Running) -> None:
    token = running.add_overlay("a secret until later", **CARD)
    assert "a secret until later" not in running.client.get(f"/o/{token}").text
    settle(running, "Overlay / Card", True)
    assert "a secret until later" in running.client.get(f"/o/{token}").text


def test_what_was_told_stands_over_a_crash_and_what_was_for_a_time_does_not(running: Running) -> None:
    token = running.add_overlay("one", **CARD)
    other = running.add_overlay("two", name="Bar", appears="told")
    settle(running, "Overlay / Card", True)
    new_cue(running, **GIFT, do_1="show", part_1="Overlay / Bar", lasts_1="600")
    running.event(type="gift", data={"amount": 5})
    until(lambda: said(running, other) == {"Bar": "two"})
    running.kill()
    again = Running(running.folder)
    try:
        assert said(again, token) == {"Card": "one"}
        assert said(again, other) == {"Bar": ""}
    finally:
        again.stop()


def test_two_cues_that_show_the_same_piece_do_not_take_it_from_each_other(running: Running) -> None:
    token = running.add_overlay("thank you", **CARD)
    shows = {"do_1": "show", "part_1": "Overlay / Card"}
    new_cue(running, title="Short", **GIFT, **shows, lasts_1="1")
    new_cue(running, title="Long", when="event", event="follow", **shows, lasts_1="2")
    running.event(type="gift", data={"amount": 5})
    running.event(type="follow", data={"name": "tuck"})
    notes = until(
        lambda: (
            len(found := [one for one in told(running, "tesoura.effect_ended") if one["effect"] == "as_before"]) == 2
            and found
        )
    )
    assert [one.get("note") for one in notes] == ["another rule controls it", None]
    assert said(running, token) == {"Card": ""}


def test_one_piece_stands_in_anothers_place_for_a_time(running: Running) -> None:
    song = running.add_overlay("Paper Weather", name="Song")
    gift = running.add_overlay("Gift event", name="Gift", appears="told")
    new_cue(running, **GIFT, do_1="swap", part_1="Overlay / Gift", instead_1="Overlay / Song", lasts_1="1")
    running.event(type="gift", data={"amount": 5})
    until(lambda: (said(running, gift), said(running, song)) == ({"Gift": "Gift event"}, {"Song": ""}))
    until(lambda: (said(running, gift), said(running, song)) == ({"Gift": ""}, {"Song": "Paper Weather"}))


def test_a_piece_that_was_deleted_or_shows_moments_is_told_and_nothing_else_happens(running: Running) -> None:
    running.add_overlay("a gift", name="Flash", appears="moment", moment_type="gift")
    with pytest.raises(Gone, match="appears and disappears with them"):
        settle(running, "Overlay / Flash", True)
    new_cue(running, **GIFT, do_1="hide", part_1="Overlay / Nobody")
    running.event(type="gift", data={"amount": 5})
    ended = until(lambda: told(running, "tesoura.effect_ended"))
    assert (ended[0]["outcome"], ended[0]["why"]) == (
        "failed",
        "Overlay / Nobody is not on air. It may have been renamed or deleted.",
    )


def test_the_desk_says_what_viewers_do_not_see_and_shows_it(running: Running) -> None:
    token = running.add_overlay("thank you", **CARD)
    assert "“Card” is waiting to be shown." in flat(running.client.get("/").text)
    running.do("piece.show", {"piece": "Overlay / Card"})
    assert said(running, token) == {"Card": "thank you"}
    running.do("piece.show", {"piece": "Overlay / Card", "shown": "no"})
    assert "“Card” is hidden until shown." in flat(running.client.get("/").text)
    gone = running.do("piece.show", {"piece": "Nobody"}, follow_redirects=True)
    assert "Nobody is not on air" in gone.text


def test_a_new_version_on_air_keeps_what_was_told(running: Running) -> None:
    token = running.add_overlay("one", **CARD)
    settle(running, "Overlay / Card", True)
    frame = running.runtime.call(lambda self: self.stage.frame(token))
    assert frame is not None
    running.edit(1, {"do": "change", "pieces": [frame.overlay.pieces[0].id], "set": {"wording": "another"}})
    running.publish(1)
    until(lambda: said(running, token) == {"Card": "another"})


def test_a_program_shows_a_piece_and_learns_what_it_would_do(running: Running) -> None:
    running.add_overlay("one", **CARD)
    given = {"piece": "Overlay / Card", "shown": "yes"}
    effect = running.client.post("/api/actions/piece.show/effect", json=given, headers=running.auth)
    assert effect.json()["effect"] == "hidden → shown"
    done = running.client.post("/api/actions/piece.show", json=given, headers=running.auth)
    assert done.status_code == 200
    gone = running.client.post("/api/actions/piece.show", json={"piece": "x"}, headers=running.auth)
    assert "not on air" in gone.text
