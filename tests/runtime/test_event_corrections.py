"""An event from outside is voided or edited: everything that follows from it follows, and all of it can be undone."""

from __future__ import annotations

import threading
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest

from tesoura.runtime.facade import Runtime
from tesoura.store import log as event_log
from tests.conftest import Running, flat, until
from tests.runtime.test_clips import act

RANKED = {"types": ["gift"], "amount": "amount", "by": "name", "stats": ["count", "sum", "largest", "latest", "top"]}


@pytest.fixture
def show(running: Running) -> Running:
    act(running, "session.start")
    for name, over in (("in_session", "session"), ("today", "today"), ("whole", "all")):
        act(running, "computed.new", kind="window", name=name, choices={**RANKED, "over": over})
    act(running, "computed.new", kind="window", name="last", choices={**RANKED, "over": "events", "length": "2"})
    act(running, "computed.new", kind="chain", name="rush", choices={"types": ["gift"], "within_s": "60"})
    running.do("instrument.new?kind=statistics", {"title": "Cup", "player": "mara_vane"})
    running.do(
        "instrument.new?kind=wheel",
        {"title": "Wheel", "landing": "none", "when_1": "gift", "spins_1": "1", "by_1": "name"},
    )
    return running


def gift(running: Running, name: str, amount: int) -> int:
    running.event(type="gift", data={"name": name, "amount": amount, "anonymous": False})
    return newest(running, "gift")


def newest(running: Running, kind: str) -> int:
    """Return the log position of the newest event of a type; instruments' own events may follow it."""
    found = running.store.read(lambda session: event_log.newest_valid(session, kind))
    assert found is not None
    return found.seq


def values(running: Running) -> dict[str, Any]:
    wanted = ("in_session.", "today.", "whole.", "last.", "rush.", "cup.", "gift.", "kill.")
    skip = ("per_minute", "played", "_at", "per_hour", "needed", "left_s")
    return {
        one.name: one.value
        for one in running.runtime.call(Runtime.signals)
        if one.name.startswith(wanted) and not any(part in one.name for part in skip)
    }


def test_a_voided_event_counts_nowhere_and_its_undo_brings_all_of_it_back(show: Running) -> None:
    gift(show, "teacup_ana", 5)
    before = values(show)
    wrong = gift(show, "bolt_uncle", 900)
    after = values(show)
    assert (after["whole.sum"], after["whole.top_1_name"], after["rush.length"]) == (905, "bolt_uncle", 2)
    foreseen = act_foresee(show, "log.void", event=wrong)
    assert "whole.sum: 905 → 5" in foreseen
    assert values(show) == after, "nothing is done by asking"
    act(show, "log.void", event=wrong)
    assert values(show) == before
    assert show.signal("gift.name")["value"] == "teacup_ana"
    assert show.signal("gift.count_this_session")["value"] == 1
    act(show, "desk.undo")
    assert values(show) == after
    act(show, "log.void", event=wrong)
    again = restarted(show)
    try:
        assert values(again) == before
    finally:
        again.stop()


def restarted(running: Running) -> Running:
    running.stop()
    return Running(running.folder)


def act_foresee(running: Running, action: str, **given: Any) -> str:
    from tesoura.actions.action import Call, Doing
    from tesoura.actions.registry import would

    told: str = running.runtime.call(lambda self: would(Doing(self, "desk"), Call(action, given)))
    return told


def test_names_flags_and_the_time_of_an_event_are_edited(show: Running) -> None:
    gift(show, "teacup_ana", 5)
    second = gift(show, "bolt_unkle", 7)
    act(show, "log.edit", event=second, fields={"name": "bolt_uncle", "anonymous": True, "amount": 9})
    told = values(show)
    assert (told["whole.top_1_name"], told["whole.top_1_amount"], told["whole.sum"]) == ("bolt_uncle", 9, 14)
    assert (show.signal("gift.name")["value"], show.signal("gift.anonymous")["value"]) == ("bolt_uncle", True)
    began = show.runtime.session_started_at
    assert began is not None
    act(show, "log.edit", event=second, time="2026-01-01T12:00:00+00:00")
    told = values(show)
    assert (told["in_session.sum"], told["whole.sum"], told["gift.count_this_session"]) == (5, 14, 1)
    for _ in range(2):
        act(show, "desk.undo")
    assert values(show)["whole.top_1_name"] == "bolt_unkle"
    assert values(show)["in_session.sum"] == 12


def test_statistics_matches_and_owed_spins_follow(show: Running) -> None:
    show.event(type="match.start", data={"match": "m1"})
    for target in ("tuck", "otto_knot"):
        show.event(type="kill", data={"actor": "mara_vane", "target": target, "match": "m1"})
    seq = newest(show, "kill")
    kills = [one for one in show.store.read(lambda session: event_log.latest(session, 20)) if one.event.type == "kill"]
    assert values(show)["cup.session_kills"] == 2
    act(show, "log.void", event=kills[0].seq)
    assert (values(show)["cup.session_kills"], values(show)["cup.match_kills"]) == (1, 1)
    assert show.signal("kill.target")["value"] == "tuck"
    owing = gift(show, "teacup_ana", 5)
    until(lambda: show.signal("wheel.owed")["value"] == 1)
    act(show, "log.void", event=owing)
    assert show.signal("wheel.owed")["value"] == 0
    act(show, "log.restore", event=owing)
    assert show.signal("wheel.owed")["value"] == 1
    assert seq


def test_what_tesoura_itself_told_is_not_corrected_and_bad_input_says_what_would_be_right(show: Running) -> None:
    seq = gift(show, "teacup_ana", 5)
    for given, words in (
        ({"event": 1}, "Only events from outside can be corrected."),
        ({"event": 10_000}, "There is no such event in the log."),
        (
            {"event": seq, "fields": {"nobody": 1}},
            "This event has no field nobody. Its fields: name, amount, anonymous.",
        ),
        ({"event": seq, "time": "2999-01-01T00:00:00+00:00"}, "It can't have happened in the future."),
        ({"event": seq}, "No change."),
    ):
        with pytest.raises(Exception, match=words):
            act(show, "log.edit", **given)


def test_on_its_page_an_event_is_corrected_voided_and_restored(show: Running, tmp_path: Path) -> None:
    gift(show, "teacup_ana", 5)
    seq = gift(show, "bolt_unkle", 7)
    page = f"/log/{seq}"
    typed = {"field-name": "bolt_uncle", "field-amount": "7", "field-anonymous": "no"}
    assert "whole.top_1_name: bolt_unkle → bolt_uncle" in flat(show.press(page, f"{page}/preview", typed).text)
    assert "not a number" in show.press(page, f"{page}/preview", {**typed, "field-amount": "many"}).text
    show.press(page, f"{page}/edit", typed)
    assert values(show)["whole.top_1_name"] == "bolt_uncle"
    assert "whole.sum: 12 → 5" in flat(show.press(page, f"{page}/preview", {"what": "void"}).text)
    show.do(f"log.void?event={seq}")
    shown = flat(show.client.get(page).text)
    assert ("Voided: it counts nowhere." in shown, "Restore event" in shown) == (True, True)
    assert values(show)["whole.sum"] == 5
    show.do(f"log.restore?event={seq}")
    assert values(show)["whole.sum"] == 12


def test_what_comes_while_the_log_is_counted_is_counted_once(running: Running, monkeypatch: pytest.MonkeyPatch) -> None:
    act(running, "session.start")
    wrong = gift(running, "bolt_uncle", 900)
    sessions = running.runtime.sessions
    read, reading, came = sessions.read, threading.Event(), threading.Event()

    def slowly(until_seq: int) -> dict[str, tuple[int, datetime]]:
        # One gift is in the log before it's read, but not applied yet; another comes before what was read is used.
        running.event(type="gift", data={"name": "seven_socks", "amount": 1, "anonymous": False})
        found = read(until_seq)
        reading.set()
        assert came.wait(10)
        return found

    monkeypatch.setattr(sessions, "read", slowly)
    voiding = threading.Thread(target=lambda: act(running, "log.void", event=wrong))
    voiding.start()
    assert reading.wait(10)
    gift(running, "teacup_ana", 5)
    came.set()
    voiding.join(10)
    assert running.signal("gift.count_this_session")["value"] == 2
