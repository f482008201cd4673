"""What follows from a stream of events is no fresher than the stream: windows, counts, instruments, formulas, texts."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from tesoura.core.computed.definitions import COMPUTED, build
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.core.instruments.runner import Setup
from tesoura.core.language.wording import compile_wording
from tesoura.core.signals.engine import Engine
from tesoura.core.signals.texts import Say
from tesoura.core.values import Event, Freshness, Reading, Signal

SEVEN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
LIVE, LATE, DOWN, HELD = Freshness.LIVE, Freshness.LATE, Freshness.DOWN, Freshness.HELD


def at(seconds: float) -> datetime:
    return SEVEN + timedelta(seconds=seconds)


def fresh(engine: Engine, name: str, seconds: float) -> Freshness:
    found = engine.signal(name, at(seconds))
    assert found is not None
    return found.freshness


def compute(engine: Engine, kind: str, name: str, **choices: object) -> None:
    engine.compute(build(kind, name, fill(COMPUTED[kind].fields, choices).choices), at(0))


def gift(engine: Engine, seconds: float, source: str = "feed:pier") -> None:
    event = Event(str(seconds), source, "gift", at(seconds), {"name": "tuck", "amount": 5})
    engine.apply_event(event, at(seconds), round(seconds * 10))


@pytest.fixture
def engine() -> Engine:
    made = Engine()
    made.add_feed("pier", None, lasting=True)
    made.feed_ok("pier", (), {}, at(0))
    made.add_feed("reach", 5)
    made.add_signal("reach", "reach.members")
    made.feed_ok("reach", [Reading("reach.members", 1284, at(0))], {}, at(0))
    compute(made, "window", "gifts", types=["gift"], amount="amount", over="all", stats=["count", "sum"])
    compute(made, "chain", "row", types=["gift"], within_s="60")
    compute(made, "formula", "both", formula="gifts.sum + reach.members")
    choices = fill(KINDS["statistics"].fields, {"title": "Game", "player": "mara_vane"}).choices
    made.compute(Setup("statistics", "game", choices), at(0))
    return made


def test_what_a_stream_brings_is_live_while_it_works_and_down_once_it_fails(engine: Engine) -> None:
    gift(engine, 1)
    named = ("gift.amount", "gift.count_this_session", "gifts.sum", "row.longest", "own.both")
    assert [fresh(engine, name, 2) for name in named] == [LIVE] * 5
    engine.texts.show("1/a", Say(compile_wording("{gifts.sum}"), "—", "keep", "instead", "no gifts now"))
    changes = engine.feed_failed("pier", "No answer.", at(3))
    assert [fresh(engine, name, 3) for name in named] == [DOWN] * 5
    assert changes.texts["1/a"].text == "no gifts now"
    changes = engine.feed_ok("pier", (), {}, at(4))
    assert [fresh(engine, name, 4) for name in named] == [LIVE] * 5
    assert changes.texts["1/a"].text == "5"


def test_a_stream_that_is_known_to_bring_a_type_makes_even_a_count_of_none_down(engine: Engine) -> None:
    engine.sources.brings("pier", ["gift"])
    engine.reconsider(at(1))
    assert fresh(engine, "gifts.count", 1) is LIVE
    engine.feed_failed("pier", "No answer.", at(2))
    assert fresh(engine, "gifts.count", 2) is DOWN


def test_an_instrument_is_no_fresher_than_the_stream_of_its_events(engine: Engine) -> None:
    kill = Event("k", "feed:pier", "kill", at(1), {"actor": "mara_vane"})
    engine.apply_event(kill, at(1), 1)
    assert fresh(engine, "game.match_kills", 1) is LIVE
    engine.feed_failed("pier", "No answer.", at(2))
    assert fresh(engine, "game.match_kills", 2) is DOWN
    engine.pause_feed("pier", True, at(3))
    assert fresh(engine, "game.match_kills", 3) is HELD


def test_events_of_programs_are_held_for_nobody_knows_how_these_fare(engine: Engine) -> None:
    gift(engine, 1, "script")
    engine.feed_failed("pier", "No answer.", at(2))
    assert fresh(engine, "gifts.sum", 2) is HELD
    # A formula over what is held and what is live is not live.
    engine.feed_ok("reach", [Reading("reach.members", 1284, at(2))], {}, at(2))
    assert fresh(engine, "own.both", 2) is HELD


def test_of_two_streams_the_one_that_fails_decides(engine: Engine) -> None:
    engine.add_feed("quay", None, lasting=True)
    engine.feed_ok("quay", (), {}, at(0))
    gift(engine, 1, "feed:pier")
    gift(engine, 2, "feed:quay")
    engine.feed_failed("quay", "No answer.", at(3))
    assert fresh(engine, "gifts.sum", 3) is DOWN
    engine.remove_feed("quay", at(4))
    engine.reconsider(at(4))
    assert fresh(engine, "gifts.sum", 4) is LIVE


def test_a_feed_that_is_asked_lets_what_it_brings_become_late_by_itself(engine: Engine) -> None:
    gift(engine, 1, "feed:reach")
    assert fresh(engine, "gifts.sum", 5) is LIVE
    changes = engine.tick(at(11))
    assert {"gifts.sum", "gift.amount", "own.both"} <= set(changes.signals)
    assert fresh(engine, "gifts.sum", 11) is LATE


def test_after_a_restart_counts_are_late_until_their_stream_speaks(engine: Engine) -> None:
    again = Engine()
    again.restore("gift", Signal("gift.amount", 5, "", at(1), LATE), event_type="gift")
    again.sources.brings("pier", ["gift"])
    again.add_feed("pier", None, lasting=True)
    again.reconsider(at(100))
    assert fresh(again, "gift.amount", 100) is LATE
    again.feed_ok("pier", (), {}, at(101))
    assert fresh(again, "gift.amount", 101) is LIVE
    kept = again.signal("gift.amount", at(101))
    assert kept is not None
    assert kept.observed_at == at(1)


def test_a_paused_value_in_a_formula_is_not_live(engine: Engine) -> None:
    engine.add_feed("lives", None, own=True)
    engine.add_signal("lives", "lives.value")
    engine.set_value(Reading("lives.value", 3, at(0)), "lives", None, None, at(0))
    compute(engine, "formula", "sum", formula="lives.value + reach.members")
    assert fresh(engine, "own.sum", 1) is HELD


def test_what_never_came_keeps_a_formula_with_a_stand_in_from_being_live(engine: Engine) -> None:
    engine.add_signal("reach", "reach.viewers")
    compute(engine, "formula", "sum", formula="coalesce(reach.viewers, 0) + reach.members")
    found = engine.signal("own.sum", at(1))
    assert found is not None
    assert (found.value, found.freshness) == (1284, HELD)
