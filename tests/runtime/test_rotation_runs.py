"""A rotation while Tesoura runs: over kill -9, and a campaign whose items change while it is shown."""

from __future__ import annotations

from typing import Any

from tests.conftest import Running, until
from tests.runtime.test_clips import act, told


def made(running: Running, **more: str) -> None:
    for sponsor in ("Cordel Tea", "Halfmoon"):
        act(running, "instrument.new", kind="campaign", choices={"title": sponsor, "sponsor": sponsor})
    act(running, "instrument.new", kind="rotation", choices={"title": "Turns", "hidden_s": "0", **more})


def seen(running: Running) -> str:
    standing = running.runtime.call(lambda self: self.instruments.standing("turns"))
    assert standing is not None
    return str(standing.values["sponsor"])


def shown(running: Running) -> list[str]:
    events: list[dict[str, Any]] = told(running, "turns.shown")
    return [str(one["slots"][0].get("sponsor", "")) for one in events]


def test_after_kill_9_it_goes_on_where_it_was_and_tells_nothing_twice(running: Running) -> None:
    made(running)
    until(lambda: shown(running) == ["Cordel Tea"])
    act(running, "instrument.command", instrument="turns", command="skip")
    until(lambda: shown(running)[-1] == "Halfmoon")
    act(running, "instrument.command", instrument="turns", command="hold")
    before, known = shown(running), len(told(running, "turns.knows"))
    running.kill()
    anew = Running(running.folder)
    try:
        until(lambda: seen(anew) == "Halfmoon")
        assert (shown(anew), len(told(anew, "turns.knows"))) == (before, known)
        act(anew, "instrument.command", instrument="turns", command="go_on")
        act(anew, "instrument.command", instrument="turns", command="skip")
        until(lambda: shown(anew) == [*before, "Cordel Tea"])
    finally:
        anew.stop()


def test_a_campaign_that_is_put_away_while_it_is_shown_makes_way_at_once(running: Running) -> None:
    made(running)
    until(lambda: shown(running) == ["Cordel Tea"])
    running.do("instrument.remove?instrument=cordel_tea")
    until(lambda: seen(running) == "Halfmoon")
    until(lambda: shown(running)[-1] == "Halfmoon")
    act(running, "instrument.new", kind="campaign", choices={"title": "Glue", "sponsor": "Gluepot"})
    act(running, "instrument.command", instrument="turns", command="this_now", item="gluepot")
    until(lambda: seen(running) == "Gluepot")
