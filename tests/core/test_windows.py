"""Windows, rankings, chains, goals and changes, with figures worked out by hand."""

from __future__ import annotations

import json
import random
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tesoura.core.computed.almanac import Almanac, Span
from tesoura.core.computed.chain import Chain, ChainState
from tesoura.core.computed.definitions import build
from tesoura.core.computed.derived import Change, ChangeState, Goal, GoalState
from tesoura.core.computed.graph import find_cycle
from tesoura.core.computed.occurrence import Occurrence, micros, occurrence
from tesoura.core.computed.window import WindowState
from tesoura.core.computed.window_definition import STATS, Window
from tesoura.core.language.wording import compile_wording
from tesoura.core.signals.engine import Engine, LogEntry
from tesoura.core.signals.texts import Say, Shown
from tesoura.core.values import Event, Freshness, Reading

SEVEN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
LISBON = ZoneInfo("Europe/Lisbon")
BERLIN = ZoneInfo("Europe/Berlin")


def minutes(count: float) -> datetime:
    return SEVEN + timedelta(minutes=count)


def gift(seq: int, at: datetime, name: object = "teacup_ana", spools: object = 1, **more: Any) -> Occurrence:
    data = {"name": name, "spools": spools, **more}
    return occurrence(Event(str(seq), "test", "gift", at, data), seq, at)


def window(over: str = "session", length: int = 0, **more: Any) -> Window:
    chosen = {"types": ["gift"], "over": over, "length": length, "stats": list(STATS), "amount": "spools", "by": "name"}
    return build("window", "gifts", {**chosen, **more})  # type: ignore[return-value]


def state(definition: Window, now: datetime = SEVEN, **almanac: Any) -> WindowState:
    return WindowState(definition, Almanac(**{"session_began": SEVEN, **almanac}), now)


def told(of: WindowState, now: datetime) -> dict[str, Any]:
    of.settle(now)
    return {name.partition(".")[2]: value for name, value in of.read(now, {}).items()}


def test_a_window_tells_how_many_how_much_and_who() -> None:
    gifts = state(window())
    for seq, (name, spools) in enumerate([("teacup_ana", 5), ("bolt_uncle", 2), ("teacup_ana", 1), ("tuck", 4)], 1):
        gifts.take(gift(seq, minutes(seq), name, spools), minutes(seq))
    now = told(gifts, minutes(6))
    assert (now["count"], now["sum"], now["mean"], now["per_minute"]) == (4, 12, 3.0, 2.0)
    assert (now["first_name"], now["first_amount"]) == ("teacup_ana", 5)
    assert (now["latest_name"], now["latest_amount"]) == ("tuck", 4)
    assert (now["largest_name"], now["largest_amount"]) == ("teacup_ana", 5)
    assert (now["fastest_name"], now["fastest_amount"]) == ("teacup_ana", 1)
    assert [now[f"top_{n}_name"] for n in (1, 2, 3)] == ["teacup_ana", "tuck", "bolt_uncle"]
    assert [now[f"top_{n}_amount"] for n in (1, 2, 3)] == [6, 4, 2]
    assert (now["leaders"], now["names"]) == ("teacup_ana\ntuck\nbolt_uncle", 3)


def test_before_the_first_event_a_count_is_0_and_a_name_is_missing() -> None:
    now = told(state(window()), SEVEN)
    assert (now["count"], now["sum"], now["per_minute"], now["names"]) == (0, 0, 0, 0)
    assert {now[name] for name in ("mean", "latest_name", "largest_amount", "top_1_name", "leaders")} == {None}


def test_of_two_that_are_equal_the_one_who_got_there_earlier_is_before() -> None:
    gifts = state(window(top=2))
    for seq, (name, spools) in enumerate([("bolt_uncle", 1), ("teacup_ana", 3), ("bolt_uncle", 2)], 1):
        gifts.take(gift(seq, minutes(seq), name, spools), minutes(seq))
    now = told(gifts, minutes(4))
    assert [now["top_1_name"], now["top_2_name"]] == ["teacup_ana", "bolt_uncle"]


def test_names_are_one_whatever_their_case_and_are_shown_as_last_written() -> None:
    gifts = state(window(rank_by="count"))
    for seq, name in enumerate(["Teacup_Ana", "TEACUP_ANA", "teacup_ana", "Straße", "STRASSE"], 1):
        gifts.take(gift(seq, minutes(seq), name), minutes(seq))
    now = told(gifts, minutes(6))
    assert [(now[f"top_{n}_name"], now[f"top_{n}_amount"]) for n in (1, 2)] == [("teacup_ana", 3), ("STRASSE", 2)]


@pytest.mark.parametrize(("ranked", "first"), [("yes", "A friend"), ("no", "tuck")])
def test_somebody_without_a_name_counts_and_may_stand_in_the_ranking(ranked: str, first: str) -> None:
    gifts = state(window(anonymous_as="A friend", rank_anonymous=ranked))
    for seq, (name, spools) in enumerate([(None, 9), ("", 1), ("tuck", 3)], 1):
        gifts.take(gift(seq, minutes(seq), name, spools), minutes(seq))
    now = told(gifts, minutes(4))
    assert (now["sum"], now["top_1_name"]) == (13, first)


def test_a_rule_beside_the_number_leaves_events_out() -> None:
    kept = state(window(only_if="event.spools >= 2 and not has(event.tags, 'gust bonus')"))
    kept.take(gift(1, minutes(1), spools=1, tags=[]), minutes(1))
    kept.take(gift(2, minutes(2), spools=5, tags=["gust bonus"]), minutes(2))
    kept.take(gift(3, minutes(3), spools=5, tags=["high swoop"]), minutes(3))
    kept.take(gift(4, minutes(4), spools="many", tags=[]), minutes(4))
    assert told(kept, minutes(5))["sum"] == 5
    assert kept.why_not(gift(5, minutes(5), spools=1, tags=[]), minutes(5)) == "excluded by the rule"
    assert kept.why_not(gift(6, minutes(5), spools="many", tags=[]), minutes(5)) == "it has no amount"


def test_the_last_minutes_let_go_of_what_is_older() -> None:
    rolling = state(window("minutes", 10))
    for seq, (at, spools) in enumerate([(0, 8), (4, 2), (9, 5)], 1):
        rolling.take(gift(seq, minutes(at), f"viewer_{seq}", spools), minutes(at))
    assert told(rolling, minutes(10))["sum"] == 15
    assert rolling.next_change(minutes(10)) == minutes(10) + timedelta(microseconds=1)
    now = told(rolling, minutes(10.1))
    assert (now["sum"], now["largest_amount"], now["first_amount"], now["top_1_name"]) == (7, 5, 2, "viewer_3")
    assert now["per_minute"] == 0.7
    assert told(rolling, minutes(30))["count"] == 0


def test_the_last_events_are_the_last_by_time_even_when_one_comes_late() -> None:
    last = state(window("events", 2))
    for seq, at in ((1, 1), (2, 5), (3, 3), (4, 2)):
        last.take(gift(seq, minutes(at), spools=seq), minutes(6))
    now = told(last, minutes(6))
    assert (now["sum"], now["first_amount"], now["latest_amount"]) == (5, 3, 2)


def test_a_day_is_the_users_and_ends_at_their_midnight() -> None:
    late = datetime(2026, 11, 26, 22, 30, tzinfo=UTC)
    today = state(window("today", stats=["sum"]), late, zone=BERLIN)
    today.take(gift(1, late, spools=3), late)
    assert told(today, datetime(2026, 11, 26, 22, 59, 59, tzinfo=UTC))["sum"] == 3
    assert today.next_change(late) == datetime(2026, 11, 26, 23, 0, tzinfo=UTC)
    assert told(today, datetime(2026, 11, 26, 23, 0, tzinfo=UTC))["sum"] == 0


def test_the_days_on_which_clocks_change_have_23_and_25_hours() -> None:
    spring, autumn = datetime(2026, 3, 29, 12, tzinfo=UTC), datetime(2026, 10, 25, 12, tzinfo=UTC)
    lengths = []
    for day in (spring, autumn):
        start, end = Span("today").bounds(day, Almanac(LISBON))
        assert end
        lengths.append((end - start) // 3_600_000_000)
    assert lengths == [23, 25]


@pytest.mark.parametrize(("first", "begins"), [(0, 23), (6, 22), (3, 26)])
def test_a_week_begins_on_the_chosen_weekday(first: int, begins: int) -> None:
    start, _ = Span("week").bounds(SEVEN, Almanac(UTC, first))
    assert start == micros(datetime(2026, 11, begins, tzinfo=UTC))


def test_a_session_is_not_a_day() -> None:
    session, today = state(window()), state(window("today"), session_began=SEVEN)
    for one in (session, today):
        one.take(gift(1, minutes(-30), spools=7), minutes(1))
        one.take(gift(2, minutes(2), spools=1), minutes(2))
    assert (told(session, minutes(3))["sum"], told(today, minutes(3))["sum"]) == (1, 8)
    assert session.why_not(gift(1, minutes(-30)), minutes(3)) == "it was not in this stream session"


def test_a_clock_set_back_over_midnight_asks_for_the_log() -> None:
    after = datetime(2026, 11, 27, 0, 30, tzinfo=UTC)
    today = state(window("today"), after)
    today.settle(after - timedelta(hours=1))
    assert today.stale


def test_an_event_from_the_future_happened_when_it_came() -> None:
    one = occurrence(Event("1", "test", "gift", minutes(90), {}), 1, minutes(2))
    assert one.at == micros(minutes(2))


def test_a_corrected_amount_takes_the_place_of_the_first() -> None:
    gifts = state(window(stats=["count", "sum", "top", "latest"]))
    gifts.take(gift(1, minutes(1), "tuck", 50), minutes(1))
    gifts.take(gift(2, minutes(2), "teacup_ana", 8), minutes(2))
    assert gifts.correct(gift(1, minutes(1), "tuck", 50), gift(1, minutes(1), "tuck", 5))
    now = told(gifts, minutes(3))
    assert (now["count"], now["sum"], now["top_1_name"], now["top_2_amount"]) == (2, 13, "teacup_ana", 5)
    largest = state(window(stats=["largest"]))
    largest.take(gift(1, minutes(1), "tuck", 50), minutes(1))
    assert not largest.correct(gift(1, minutes(1), "tuck", 50), gift(1, minutes(1), "tuck", 5))


def test_of_names_that_nothing_moved_the_first_to_come_is_before_however_they_arrive() -> None:
    came = [gift(1, minutes(0), "Ana", 0), gift(2, minutes(1), "Ana", 0), gift(3, minutes(0), "Bolt", 0)]
    for order in ((0, 1, 2), (1, 0, 2), (2, 1, 0), (1, 2, 0)):
        gifts = state(window(stats=["top"]))
        for at in order:
            gifts.take(came[at], minutes(2))
        again = state(window(stats=["top"]))
        again.restore(json.loads(json.dumps(gifts.saved())))
        for one in (gifts, again):
            assert [told(one, minutes(3))[f"top_{place}_name"] for place in (1, 2)] == ["Ana", "Bolt"], order


def test_of_names_that_nothing_moved_the_first_that_is_still_counted_is_before() -> None:
    last_three = state(window("events", 3, stats=["top"]))
    for seq, name in enumerate(["Ana", "Bolt", "Ana", "Ana"], 1):
        last_three.take(gift(seq, minutes(0), name, 0), minutes(2))
    assert told(last_three, minutes(3))["top_1_name"] == "Bolt"
    last_three.take(gift(5, minutes(0), "Bolt", 0), minutes(2))
    assert told(last_three, minutes(3))["top_1_name"] == "Ana"
    moved = state(window("events", 3, stats=["top"]))
    for seq, (name, spools) in enumerate([("Ana", 5), ("Ana", -5), ("Bolt", 0), ("Ana", 0), ("Bolt", 0)], 1):
        moved.take(gift(seq, minutes(0), name, spools), minutes(2))
    # Ana's 5 and -5 have left: what is left of both moved nothing, and Bolt's came first.
    assert [told(moved, minutes(3))[f"top_{place}_name"] for place in (1, 2)] == ["Bolt", "Ana"]


# Laws

GIFTS = st.lists(
    st.tuples(st.integers(-40, 40), st.sampled_from(["Ana", "ana", "Bolt", "tuck", ""]), st.integers(-3, 9)),
    max_size=40,
)


@settings(max_examples=120, deadline=None)
@given(GIFTS, st.randoms(use_true_random=False), st.sampled_from(["session", "today", "all", "minutes", "events"]))
def test_the_order_in_which_events_come_does_not_matter(
    given_gifts: list[tuple[int, str, int]], chance: random.Random, over: str
) -> None:
    definition = window(over, 15 if over == "minutes" else 6)
    events = [gift(seq, minutes(at), name, spools) for seq, (at, name, spools) in enumerate(given_gifts, 1)]
    shuffled = events[:]
    chance.shuffle(shuffled)
    seen = []
    for order in (events, shuffled):
        one = state(definition)
        for event in order:
            one.take(event, minutes(41))
        seen.append(told(one, minutes(45)))
    assert seen[0] == seen[1]


@settings(max_examples=80, deadline=None)
@given(GIFTS, st.sampled_from(["session", "month", "all"]), st.integers(0, 40))
def test_a_window_that_was_stored_goes_on_as_if_never_stopped(
    given_gifts: list[tuple[int, str, int]], over: str, stop: int
) -> None:
    events = [gift(seq, minutes(at), name, spools) for seq, (at, name, spools) in enumerate(given_gifts, 1)]
    whole, first, second = (state(window(over)) for _ in range(3))
    for event in events:
        whole.take(event, minutes(41))
    for event in events[:stop]:
        first.take(event, minutes(41))
    saved = first.saved()
    assert saved is not None
    second.restore(saved)
    for event in events[stop:]:
        second.take(event, minutes(41))
    assert told(second, minutes(45)) == told(whole, minutes(45))


# Chains


def chain(within_s: float = 10) -> ChainState:
    definition = build("chain", "rush", {"types": ["kill"], "within_s": within_s, "by": "actor"})
    return ChainState(definition, Almanac(session_began=SEVEN), SEVEN)  # type: ignore[arg-type]


def kill(seq: int, second: float, actor: str = "mara_vane") -> Occurrence:
    at = SEVEN + timedelta(seconds=second)
    return occurrence(Event(str(seq), "game", "kill", at, {"actor": actor}), seq, at)


def linked(of: ChainState, second: float) -> dict[str, Any]:
    values = of.read(SEVEN + timedelta(seconds=second), {})
    return {name.partition(".")[2]: value for name, value in values.items()}


def test_a_chain_grows_tells_who_and_breaks() -> None:
    rush = chain()
    for seq, (second, actor) in enumerate([(0, "mara_vane"), (8, "tuck"), (17.5, "Mara_Vane")], 1):
        rush.take(kill(seq, second, actor), SEVEN)
    now = linked(rush, 18)
    assert (now["length"], now["left_s"], now["who"]) == (3, 10, "Mara_Vane\ntuck")
    assert rush.next_change(SEVEN + timedelta(seconds=18)) == SEVEN + timedelta(seconds=18.5)
    assert linked(rush, 19)["left_s"] == 9
    broken = linked(rush, 27.5)
    assert (broken["length"], broken["left_s"], broken["who"], broken["last"], broken["longest"]) == (0, 0, None, 3, 3)


def test_a_late_event_joins_two_chains_into_one() -> None:
    rush = chain()
    for seq, second in enumerate([0, 5, 20, 25], 1):
        rush.take(kill(seq, second), SEVEN)
    assert (linked(rush, 26)["length"], linked(rush, 26)["longest"]) == (2, 2)
    rush.take(kill(5, 12), SEVEN)
    assert (linked(rush, 26)["length"], linked(rush, 26)["longest"]) == (5, 5)


@settings(max_examples=120, deadline=None)
@given(st.lists(st.integers(0, 120), max_size=30), st.randoms(use_true_random=False))
def test_chains_do_not_depend_on_the_order_of_arrival(seconds: list[int], chance: random.Random) -> None:
    events = [kill(seq, second) for seq, second in enumerate(seconds, 1)]
    ordered, shuffled = chain(), chain()
    for event in sorted(events):
        ordered.take(event, SEVEN)
    chance.shuffle(events)
    for event in events:
        shuffled.take(event, SEVEN)
    assert linked(ordered, 121) == linked(shuffled, 121)


# Goals and changes


def test_a_goal_tells_how_far_and_how_fast() -> None:
    goal = Goal("friends", "reach.members", 1000, 2000, SEVEN, SEVEN + timedelta(hours=10))
    values = GoalState(goal, Almanac(), SEVEN).read(SEVEN + timedelta(hours=2), {"reach.members": 1200})
    told_now = {name.partition(".")[2]: value for name, value in values.items()}
    assert (told_now["pct"], told_now["left"], told_now["done"], told_now["reached"]) == (20.0, 800, 200, False)
    assert (told_now["needed_per_hour"], told_now["needed_per_day"]) == (100.0, 2400.0)
    assert told_now["expected_at"] == (SEVEN + timedelta(hours=10)).timestamp()


@pytest.mark.parametrize(("value", "pct", "left"), [(2500, 100.0, 0), (900, 0.0, 1100), (None, None, None)])
def test_a_goal_at_its_edges(value: int | None, pct: float | None, left: int | None) -> None:
    goal = GoalState(Goal("friends", "reach.members", 1000, 2000, SEVEN), Almanac(), SEVEN)
    values = goal.read(minutes(60), {} if value is None else {"reach.members": value})
    assert (values["friends.pct"], values["friends.left"]) == (pct, left)
    assert values["friends.expected_at"] is None


def test_a_goal_without_a_beginning_has_no_forecast() -> None:
    goal = Goal("friends", "reach.members", 1000, 2000, None)
    assert build("goal", "friends", {"signal": "reach.members", "start": 1000, "target": 2000}) == goal
    values = GoalState(goal, Almanac(), SEVEN).read(minutes(60), {"reach.members": 1200})
    assert (values["friends.pct"], values["friends.left"], values["friends.expected_at"]) == (20.0, 800, None)


def test_a_goal_may_go_down() -> None:
    goal = GoalState(Goal("weight", "own.lines", 10, 4, SEVEN), Almanac(), SEVEN)
    values = goal.read(minutes(60), {"own.lines": 7})
    assert (values["weight.pct"], values["weight.left"], values["weight.reached"]) == (50.0, 3, False)


def test_a_change_over_minutes_and_since_the_session_began() -> None:
    almanac = Almanac(session_began=minutes(5))
    rolling = ChangeState(Change("growth", "reach.members", 10), almanac, SEVEN)
    session = ChangeState(Change("growth", "reach.members"), almanac, SEVEN)
    for at, members in ((0, 1000), (4, 1010), (8, 1030), (14, 1060)):
        for one in (rolling, session):
            values = one.read(minutes(at), {"reach.members": members})
    assert values["growth.change"] == 50
    assert values["growth.per_minute"] == 50 / 9
    assert rolling.read(minutes(14), {"reach.members": 1060})["growth.change"] == 50
    assert rolling.read(minutes(15), {"reach.members": 1060})["growth.change"] == 50
    assert rolling.read(minutes(18), {"reach.members": 1060})["growth.change"] == 30


# In the engine


def engine_with(*definitions: Any) -> Engine:
    engine = Engine()
    engine.add_feed("reach", 5)
    engine.add_signal("reach", "reach.members")
    for definition in definitions:
        engine.compute(definition, SEVEN)
    return engine


def test_formulas_follow_one_another_in_order_and_texts_follow_them() -> None:
    engine = engine_with(
        build("formula", "half", {"formula": "own.double / 4"}),
        build("formula", "double", {"formula": "reach.members * 2", "unit": "friends"}),
    )
    engine.texts.show("1/a", Say(compile_wording("{own.half:.0f}"), "—"))
    changes = engine.feed_ok("reach", [Reading("reach.members", 1000, SEVEN)], {}, SEVEN)
    assert changes.texts["1/a"].text == "500"
    half = engine.signal("own.half", SEVEN)
    assert half
    assert (half.value, half.freshness) == (500.0, Freshness.LIVE)


def test_what_is_computed_is_no_fresher_than_what_it_was_computed_from() -> None:
    engine = engine_with(build("formula", "double", {"formula": "reach.members * 2"}))
    engine.feed_ok("reach", [Reading("reach.members", 5, SEVEN)], {}, SEVEN)
    engine.tick(SEVEN + timedelta(seconds=11))
    late = engine.signal("own.double", SEVEN + timedelta(seconds=11))
    assert late
    assert (late.freshness, late.observed_at) == (Freshness.LATE, SEVEN)
    engine.feed_failed("reach", "gone", SEVEN + timedelta(seconds=12))
    down = engine.signal("own.double", SEVEN + timedelta(seconds=12))
    assert down
    assert down.freshness is Freshness.DOWN


def test_a_text_can_tell_the_age_of_a_late_value() -> None:
    engine = engine_with()
    engine.texts.show("1/a", Say(compile_wording("{reach.members} friends"), "—", "with_age"))
    engine.feed_ok("reach", [Reading("reach.members", 5, SEVEN)], {}, SEVEN)
    assert engine.tick(SEVEN + timedelta(seconds=11)).texts["1/a"].text == "5 friends · 10 s ago"
    assert engine.next_change() == SEVEN + timedelta(seconds=21)
    assert engine.tick(minutes(3)).texts["1/a"].text == "5 friends · 3 min ago"
    back = engine.feed_ok("reach", [Reading("reach.members", 6, minutes(3))], {}, minutes(3))
    assert back.texts["1/a"].text == "6 friends"


def test_a_formula_without_a_result_says_why() -> None:
    engine = engine_with(build("formula", "share", {"formula": "1 / reach.members"}))
    engine.feed_ok("reach", [Reading("reach.members", 0, SEVEN)], {}, SEVEN)
    share = engine.signal("own.share", SEVEN)
    assert share
    assert share.value is None
    assert share.problem == "Column 5: division by zero."


def test_a_cycle_is_found_with_its_path() -> None:
    definitions = [
        build("formula", "a", {"formula": "own.b + 1"}),
        build("formula", "b", {"formula": "own.c + reach.members"}),
        build("formula", "c", {"formula": "own.a * 2"}),
    ]
    assert find_cycle(definitions, Almanac(), SEVEN) == ["own.a", "own.b", "own.c", "own.a"]
    assert find_cycle(definitions[:2], Almanac(), SEVEN) is None


def test_events_change_windows_and_what_reads_them_in_one_step() -> None:
    engine = engine_with(
        window("today", stats=["sum"]),
        build("formula", "left", {"formula": "10 - gifts.sum"}),
        Chain("rush", ("gift",), 10),
    )
    engine.texts.show("1/a", Say(compile_wording("{own.left} to go, {rush.length} in a row"), "—"))
    events = [LogEntry(n, Event(str(n), "test", "gift", SEVEN, {"spools": 2}), SEVEN) for n in (1, 2)]
    assert engine.apply_events(events, SEVEN).texts["1/a"].text == "6 to go, 2 in a row"
    assert engine.tick(SEVEN + timedelta(seconds=10)).texts["1/a"].text == "6 to go, 0 in a row"
    midnight = datetime(2026, 11, 27, tzinfo=UTC)
    assert engine.tick(midnight).texts["1/a"].text == "10 to go, 0 in a row"
    assert engine.stop_computing("gifts", midnight).texts["1/a"] == Shown("—", "own.left")
