"""The engine: what changes, how fresh it is, and what a restart goes on from."""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from tesoura.core.computed.definitions import build
from tesoura.core.language.numbers import NumberStyle
from tesoura.core.language.wording import compile_wording
from tesoura.core.signals.engine import Engine
from tesoura.core.signals.texts import Say, Shown
from tesoura.core.values import Event, Freshness, Reading, Signal

NOON = datetime(2026, 11, 26, 12, 0, tzinfo=UTC)


def at(seconds: float) -> datetime:
    return NOON + timedelta(seconds=seconds)


@pytest.fixture
def engine() -> Engine:
    made = Engine()
    made.add_feed("reach", period_s=5)
    made.add_signal("reach", "reach.members", "kite friends")
    return made


def came(engine: Engine, value: int, seconds: float) -> Any:
    return engine.feed_ok("reach", [Reading("reach.members", value, at(seconds))], {}, at(seconds))


def fresh(engine: Engine, seconds: float, name: str = "reach.members") -> Freshness:
    signal = engine.signal(name, at(seconds))
    assert signal is not None
    return signal.freshness


def happened(engine: Engine, kind: str, seconds: float, when: float | None = None, **data: object) -> Any:
    event = Event(f"{kind}{seconds}", "test", kind, at(seconds if when is None else when), data)
    return engine.apply_event(event, at(seconds))


def test_a_signal_is_never_then_live_then_late_then_live_again(engine: Engine) -> None:
    assert fresh(engine, 0) is Freshness.NEVER
    came(engine, 1284, 0)
    assert fresh(engine, 10.9) is Freshness.LIVE
    assert fresh(engine, 11) is Freshness.LATE
    came(engine, 1285, 12)
    assert fresh(engine, 12) is Freshness.LIVE


def test_the_engine_says_when_to_look_for_what_is_late(engine: Engine) -> None:
    assert engine.next_change() is None
    came(engine, 1284, 0)
    assert engine.next_change() == at(11)
    assert engine.tick(at(10)).signals == ()
    changes = engine.tick(at(11))
    assert (changes.signals, changes.feeds) == (("reach.members",), ("reach",))
    # Every five seconds it should have come: after five times that it is old.
    assert engine.next_change() == at(25)
    assert engine.tick(at(25)).signals == ("reach.members",)
    assert engine.next_change() is None


@pytest.mark.parametrize(
    ("when_old", "text", "marked"),
    [("keep", "1284", False), ("dim", "1284", True), ("hide", "", False), ("text", "soon again", False)],
)
def test_a_text_does_as_it_is_told_once_a_value_is_five_intervals_old(
    engine: Engine, when_old: str, text: str, marked: bool
) -> None:
    engine.compute(build("formula", "twice", {"formula": "reach.members * 2"}), at(0))
    engine.texts.show("1/a", Say(compile_wording("{reach.members}"), when_old=when_old, old_text="soon again"))
    engine.texts.show("1/b", Say(compile_wording("{own.twice}"), when_old="dim"))
    came(engine, 1284, 0)
    engine.tick(at(24.9))
    assert engine.texts.shown("1/a") == Shown("1284")
    engine.tick(at(25))
    shown = engine.texts.shown("1/a")
    assert shown is not None
    assert (shown.text, shown.old, shown.why) == (text, marked, "reach.members is old." if text != "1284" else None)
    assert engine.texts.shown("1/b") == Shown("2568", old=True), "what is computed from it is as old"
    assert came(engine, 1285, 26).texts["1/a"] == Shown("1285")
    assert engine.texts.shown("1/b") == Shown("2570")


def test_values_without_an_interval_and_those_kept_on_purpose_do_not_become_old(engine: Engine) -> None:
    engine.texts.show("1/a", Say(compile_wording("{reach.members}"), when_old="dim"))
    engine.texts.show("1/b", Say(compile_wording("{score.home}"), when_old="dim"))
    engine.set_value(Reading("score.home", 3, at(0)), "score", None, None, at(0))
    came(engine, 1284, 0)
    engine.pause_feed("reach", True, at(1))
    engine.tick(at(10_000))
    assert engine.texts.shown("1/a") == Shown("1284")
    assert engine.texts.shown("1/b") == Shown("3")
    engine.pause_feed("reach", False, at(10_001))
    assert engine.texts.shown("1/a") == Shown("1284", old=True)


def test_a_value_keeps_its_age_over_a_restart(engine: Engine) -> None:
    again = Engine()
    again.add_feed("reach", period_s=5)
    again.texts.show("1/a", Say(compile_wording("{reach.members}"), when_old="dim"))
    again.restore("reach", Signal("reach.members", 1284, "", at(0), Freshness.LATE))
    again.reconsider(at(20))
    assert again.texts.preview(Say(compile_wording("{reach.members}"), when_old="dim")) == Shown("1284")
    again.tick(at(25))
    assert again.texts.shown("1/a") == Shown("1284", old=True)


def test_a_value_that_keeps_coming_is_never_called_late(engine: Engine) -> None:
    for second in range(0, 30, 5):
        came(engine, 1284 + second, second)
        assert engine.tick(at(second + 4)).signals == ()
    assert engine.tick(at(35)).signals == ()
    assert engine.next_change() == at(36)


def test_a_failure_takes_the_feed_and_its_signals_down_at_once_but_keeps_the_value(engine: Engine) -> None:
    came(engine, 1284, 0)
    changes = engine.feed_failed("reach", "No answer from counts.example in 5 s.", at(5))
    assert changes.signals == ("reach.members",)
    assert changes.feeds == ("reach",)
    signal = engine.signal("reach.members", at(5))
    assert signal is not None
    assert (signal.value, signal.freshness, signal.observed_at) == (1284, Freshness.DOWN, at(0))
    assert engine.feed_failed("reach", "Still none.", at(10)).feeds == ()
    state = engine.feed_state("reach", at(10))
    assert (state.freshness, state.failures, state.problem) == (Freshness.DOWN, 2, "Still none.")


def test_a_signal_that_could_not_be_picked_is_down_while_its_feed_lives(engine: Engine) -> None:
    came(engine, 1284, 0)
    engine.feed_ok("reach", [], {"reach.members": "At “x”: “mara” is text."}, at(5))
    assert fresh(engine, 5) is Freshness.DOWN
    assert engine.feed_state("reach", at(5)).freshness is Freshness.LIVE
    came(engine, 1285, 10)
    assert fresh(engine, 10) is Freshness.LIVE


def test_a_paused_feed_is_held(engine: Engine) -> None:
    came(engine, 1284, 0)
    engine.pause_feed("reach", True, at(1))
    assert fresh(engine, 500) is Freshness.HELD
    assert engine.feed_state("reach", at(500)).freshness is Freshness.HELD


def test_a_clock_set_back_does_not_make_an_old_value_live(engine: Engine) -> None:
    came(engine, 1284, 0)
    assert fresh(engine, -3600) is Freshness.LATE


def test_only_texts_that_read_what_changed_are_redrawn(engine: Engine) -> None:
    engine.add_signal("reach", "reach.viewers")
    first = engine.texts.show("1/a", Say(compile_wording("{reach.members:,} kite friends"), "—"))
    engine.texts.show("1/b", Say(compile_wording("{reach.viewers} watching"), "nobody yet"))
    assert first == Shown("—", missing="reach.members")
    changes = came(engine, 1284, 0)
    assert changes.texts == {"1/a": Shown("1,284 kite friends")}
    assert came(engine, 1284, 5).texts == {}
    assert engine.texts.shown("1/b") == Shown("nobody yet", missing="reach.viewers")


def test_zero_is_a_value_and_missing_is_not(engine: Engine) -> None:
    engine.texts.show("1/a", Say(compile_wording("{reach.members}"), "nothing yet"))
    assert came(engine, 0, 0).texts == {"1/a": Shown("0")}
    gone = engine.remove_signal("reach.members", at(1))
    assert gone.texts == {"1/a": Shown("nothing yet", missing="reach.members")}


@pytest.mark.parametrize(
    ("when_stale", "late", "down"),
    [("keep", "1284 friends", "1284 friends"), ("nothing_yet", "—", "—"), ("hide", "", "")],
)
def test_a_text_shows_a_stale_value_as_it_was_told_to(engine: Engine, when_stale: str, late: str, down: str) -> None:
    engine.texts.show("1/a", Say(compile_wording("{reach.members} friends"), "—", when_stale, when_stale))

    def says() -> str:
        shown = engine.texts.shown("1/a")
        assert shown
        return shown.text

    came(engine, 1284, 0)
    assert says() == "1284 friends"
    engine.tick(at(11))
    assert says() == late
    came(engine, 1284, 12)
    assert says() == "1284 friends"
    engine.feed_failed("reach", "No answer.", at(17))
    assert says() == down
    came(engine, 1285, 22)
    assert says() == "1285 friends"


def test_a_stale_text_says_which_value_is_stale(engine: Engine) -> None:
    came(engine, 1284, 0)
    engine.texts.show("1/a", Say(compile_wording("{reach.members}"), "—", "nothing_yet", "nothing_yet"))
    changes = engine.feed_failed("reach", "No answer.", at(5))
    assert changes.texts == {"1/a": Shown("—", problem="reach.members is down.")}


def test_after_a_restart_a_text_that_hides_stale_values_waits_for_a_new_one() -> None:
    engine = Engine()
    engine.restore("reach", Signal("reach.members", 1284, "", at(0), Freshness.LATE))
    engine.restore("script", Signal("script.lamp", "on", "", at(0), Freshness.HELD))
    engine.restore("lives", Signal("lives.value", 3, "", at(0), Freshness.HELD))
    engine.add_feed("reach", period_s=5)
    engine.add_feed("lives", None, own=True)
    engine.reconsider(at(1))
    assert engine.texts.show("1/a", Say(compile_wording("{reach.members}"), "—", "hide")).text == ""
    # A script told it, and may tell something else now; what is set by hand here stands as it did.
    assert engine.texts.show("1/b", Say(compile_wording("{script.lamp}"), "—", "hide")).text == ""
    assert engine.texts.show("1/c", Say(compile_wording("{lives.value}"), "—", "hide")).text == "3"
    assert came(engine, 1285, 2).texts == {"1/a": Shown("1285")}


def test_a_hidden_text_is_not_redrawn(engine: Engine) -> None:
    engine.texts.show("1/a", Say(compile_wording("{reach.members}"), ""))
    engine.texts.hide("1/a")
    assert came(engine, 5, 0).texts == {}
    assert engine.texts.shown("1/a") is None


def test_numbers_on_air_follow_a_change_of_locale(engine: Engine) -> None:
    came(engine, 1284, 0)
    engine.texts.show("1/a", Say(compile_wording("{reach.members:,}"), ""))
    changes = engine.restyle(NumberStyle(decimal=",", group="."))
    assert changes.texts == {"1/a": Shown("1.284")}


def test_an_event_fills_signals_of_its_type_and_is_counted(engine: Engine) -> None:
    happened(engine, "kill", 0, actor="mara_vane", target="tuck", tags=["gust bonus"], amount=2)
    happened(engine, "kill", 1, actor="mara_vane", target="pip_gale")
    values = {one.name: one.value for one in engine.signals(at(1)) if one.name.startswith("kill.")}
    assert values == {
        "kill.actor": "mara_vane",
        "kill.amount": 2,
        "kill.count_this_session": 2,
        "kill.target": "pip_gale",
    }
    assert fresh(engine, 9999, "kill.target") is Freshness.HELD


def test_an_event_out_of_order_is_counted_but_does_not_replace_what_came_after_it(engine: Engine) -> None:
    happened(engine, "kill", 10, target="tuck")
    happened(engine, "kill", 11, when=4, target="pip_gale")
    values = {one.name: one.value for one in engine.signals(at(12))}
    assert values["kill.target"] == "tuck"
    assert values["kill.count_this_session"] == 2


def test_an_event_from_the_future_is_observed_now(engine: Engine) -> None:
    happened(engine, "kill", 0, when=9999, target="tuck")
    happened(engine, "kill", 1, target="pip_gale")
    signal = engine.signal("kill.target", at(1))
    assert signal is not None
    assert (signal.value, signal.observed_at) == ("pip_gale", at(1))


def test_an_events_type_and_fields_become_names_a_formula_can_say(engine: Engine) -> None:
    event = Event("1", "test", "Match.End", at(0), {"Rating After": 1412, "class": "gold", "1st": "mara"})
    engine.apply_event(event, at(0))
    names = {one.name for one in engine.signals(at(0))}
    assert {"match_end.rating_after", "match_end.class_", "match_end.n1st"} <= names


def test_an_events_type_does_not_take_over_a_feeds_signals(engine: Engine) -> None:
    came(engine, 1284, 0)
    happened(engine, "reach", 1, members=7)
    assert engine.signal("reach.members", at(1)).value == 1284  # type: ignore[union-attr]
    assert engine.signal("reach_event.members", at(1)).value == 7  # type: ignore[union-attr]


def test_a_new_session_counts_from_zero_and_taking_it_back_restores_the_count(engine: Engine) -> None:
    engine.texts.show("1/a", Say(compile_wording("{kill.count_this_session} cuts"), "no cuts"))
    happened(engine, "kill", 0)
    assert engine.count_events({}, at(5), at(5)).texts == {"1/a": Shown("0 cuts")}
    assert engine.count_events({"kill": (1, at(0))}, None, at(6)).texts == {"1/a": Shown("1 cuts")}


def test_an_event_from_before_the_session_is_not_counted_in_it(engine: Engine) -> None:
    engine.count_events({}, at(100), at(100))
    happened(engine, "kill", 101, when=99, target="tuck")
    assert engine.signal("kill.count_this_session", at(101)).value == 0  # type: ignore[union-attr]
    happened(engine, "kill", 102, when=100, target="pip_gale")
    assert engine.signal("kill.count_this_session", at(102)).value == 1  # type: ignore[union-attr]


def test_a_value_picked_from_an_old_payload_is_as_old_as_that(engine: Engine) -> None:
    came(engine, 1284, 0)
    engine.feed_failed("reach", "No answer.", at(5))
    engine.add_signal("reach", "reach.viewers")
    engine.picked_again([Reading("reach.viewers", 40, at(0))], {}, at(60))
    assert fresh(engine, 60, "reach.viewers") is Freshness.DOWN
    signal = engine.signal("reach.viewers", at(60))
    assert signal is not None
    assert (signal.value, signal.observed_at) == (40, at(0))


def test_one_type_of_event_cannot_make_signals_without_end(engine: Engine) -> None:
    for number in range(300):
        happened(engine, "kill", number, **{f"field{number}": number})
    assert len(engine.signals(at(300))) == 201
    assert engine.signal("kill.count_this_session", at(300)).value == 300  # type: ignore[union-attr]


def test_a_script_sets_a_signal_that_is_held_or_late_after_its_time(engine: Engine) -> None:
    engine.set_value(Reading("script.lamp", "on", at(0)), "script", "", None, at(0))
    engine.set_value(Reading("script.heat", 21.5, at(0)), "script", "°C", 30, at(0))
    assert fresh(engine, 99_999, "script.lamp") is Freshness.HELD
    assert fresh(engine, 29, "script.heat") is Freshness.LIVE
    assert engine.tick(at(30)).signals == ("script.heat",)
    assert fresh(engine, 30, "script.heat") is Freshness.LATE


def test_after_a_restart_the_last_value_is_late_until_a_new_one_comes() -> None:
    engine = Engine()
    saved = Signal("reach.members", 1284, "kite friends", at(0), Freshness.LIVE, trail=((at(0).timestamp(), 1284.0),))
    engine.restore("reach", saved)
    engine.add_feed("reach", period_s=5)
    assert fresh(engine, 1) is Freshness.LATE
    assert engine.feed_state("reach", at(1)).freshness is Freshness.LATE
    came(engine, 1285, 2)
    assert fresh(engine, 2) is Freshness.LIVE
    assert engine.signal("reach.members", at(2)).trail[-1][1] == 1285.0  # type: ignore[union-attr]


def test_only_what_changed_is_saved(engine: Engine) -> None:
    came(engine, 1284, 0)
    happened(engine, "kill", 1)
    saved = {signal.name: (feed, kind) for signal, feed, _, kind in engine.unsaved(at(2), trails=False)}
    assert saved == {"reach.members": ("reach", None), "kill.count_this_session": ("kill", "kill")}
    assert engine.unsaved(at(3), trails=False) == []


def test_trails_are_saved_less_often_and_none_is_forgotten(engine: Engine) -> None:
    came(engine, 1284, 0)
    assert engine.unsaved(at(1), trails=False)[0][0].trail == ()
    [(signal, *_)] = engine.unsaved(at(2), trails=True)
    assert signal.trail == ((at(0).timestamp(), 1284.0),)
    assert engine.unsaved(at(3), trails=True) == []


def test_removing_a_feed_takes_its_signals_with_it(engine: Engine) -> None:
    came(engine, 1284, 0)
    assert engine.remove_feed("reach", at(1)).signals == ("reach.members",)
    assert engine.signals(at(1)) == []
    assert came(engine, 1, 2).signals == ()
    assert engine.tick(at(60)).signals == ()
