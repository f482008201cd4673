"""Sponsors: hand-worked rounds, cycles and promises; airtime against a count second by second."""

from __future__ import annotations

import random
from dataclasses import replace
from itertools import pairwise

import pytest

from tesoura.core.sponsors.airtime import AirtimeGap, PaintedSpan, airtime, both, merged, viewer_time, without
from tesoura.core.sponsors.plan import MINUTE, STEP, Promise, nearest_cycle, planned
from tesoura.core.sponsors.rotation import (
    BEHIND,
    ORDERED,
    ORDERS,
    SHUFFLED,
    Rotation,
    RotationItem,
    RotationRule,
    shares,
)

S = 1_000_000
TEA, BATTERIES, BICYCLES = (
    RotationItem("tea", "Cordel Tea", 9 * S),
    RotationItem("cells", "Halfmoon Batteries", 6 * S),
    RotationItem("bikes", "Northshed Bicycles", 5 * S),
)
THREE = (TEA, BATTERIES, BICYCLES)
ALL = frozenset(("tea", "cells", "bikes"))


def begun(*items: RotationItem, **rule: object) -> Rotation:
    given = items or THREE
    return Rotation.begun(RotationRule(**rule), given, 0, frozenset(one.id for one in given))  # type: ignore[arg-type]


def told(it: Rotation, until_s: float) -> list[tuple[float, int, str]]:
    """What changes until then: when, in seconds, in which slot, to which item."""
    return [(one.at / S, one.slot, one.item) for one in it.advance(round(until_s * S))[1]]


# The rotation


def test_nine_six_and_five_seconds_give_a_round_of_twenty() -> None:
    assert shares(THREE) == {"tea": 0.45, "cells": 0.30, "bikes": 0.25}
    assert told(begun(), 21) == [(0, 0, "tea"), (9, 0, "cells"), (15, 0, "bikes"), (20, 0, "tea")]


def test_it_is_hidden_for_22_minutes_shown_for_90_seconds_and_tells_when_it_appears_next() -> None:
    it = begun(hidden=22 * 60 * S, shown=90 * S)
    assert (it.next_appearance(), it.seen) == (1320 * S, ("",))
    assert it.advance(1000 * S)[0].next_appearance() == 1320 * S
    changes = told(it, 1411)
    # Four rounds are 80 s; the tea has its nine, the batteries the last one, and go on with five when it appears again.
    assert changes[0] == (1320, 0, "tea")
    assert changes[-3:] == [(1400, 0, "tea"), (1409, 0, "cells"), (1410, 0, "")]
    later = it.advance(1411 * S)[0]
    assert later.next_appearance() == 2730 * S
    assert told(later, 2736) == [(2730, 0, "cells"), (2735, 0, "bikes")]


def test_while_something_is_in_the_way_its_clock_stands_still() -> None:
    it = begun(hidden=60 * S, shown=20 * S).advance(64 * S)[0]
    assert it.seen == ("tea",)
    away = replace(it, free=False)
    assert (away.seen, away.next_change()) == (("",), None)
    back = replace(away.advance(100 * S)[0], free=True)
    # Four of its nine seconds are gone, and of the appearance sixteen are left.
    assert told(back, 120) == [(105, 0, "cells"), (111, 0, "bikes"), (116, 0, "")]


def test_what_may_be_seen_no_more_goes_at_once_and_nothing_able_leaves_nothing() -> None:
    it = replace(begun().advance(3 * S)[0], able=frozenset(("cells", "bikes")))
    assert told(it, 4) == [(3, 0, "cells")]
    none = replace(it, able=frozenset())
    assert told(none, 60) == [(3, 0, "")]
    assert told(replace(none.advance(60 * S)[0], able=ALL), 61) == [(60, 0, "cells")]


def test_rotations_of_nothing_of_one_and_of_no_time() -> None:
    nothing = Rotation.begun(RotationRule(), (), 0, frozenset())
    assert (nothing.advance(3600 * S)[1], nothing.next_change()) == ([], None)
    assert told(begun(TEA), 3600) == [(0, 0, "tea")]
    quick = begun(replace(TEA, seconds=0), replace(BATTERIES, seconds=0))
    assert [at for at, _, _ in told(quick, 4)] == [0, 1, 2, 3, 4]


def test_side_by_side_there_are_two_sponsors_never_one_twice() -> None:
    second = RotationItem("pot", "Cordel Tea", 4 * S)
    it = begun(TEA, second, BATTERIES, slots=2)
    # Beside the tea there is only the one other; when the tea's nine seconds are over its own other item follows.
    assert told(it, 10) == [(0, 0, "tea"), (0, 1, "cells"), (9, 0, "pot")]


@pytest.mark.parametrize("seed", range(60))
def test_whatever_is_done_no_sponsor_is_in_both_slots_and_no_item_that_may_not(seed: int) -> None:
    chance = random.Random(seed)
    items = [
        RotationItem(f"i{at}", f"s{chance.randrange(4)}", chance.randrange(0, 9) * S, chance.choice((0, 1, 2.5)))
        for at in range(chance.randrange(1, 9))
    ]
    names = [one.id for one in items]
    rule = RotationRule(chance.choice(ORDERS), chance.choice((0, 30)) * S, chance.randrange(5, 40) * S, 2, str(seed))
    it, now = Rotation.begun(rule, items, 0, frozenset(names)), 0
    sponsors = {one.id: one.sponsor for one in items} | {"": ""}
    for _ in range(120):
        before = it.given
        now += chance.randrange(0, 12 * S)
        was_able, since = it.able, it.at
        it, changes = it.advance(now)
        assert all(since <= one.at <= now and one.item in {*was_able, ""} for one in changes)
        assert sum(it.given.values()) - sum(before.values()) <= 2 * (now - since)
        pair = [sponsors[one] for one in it.seen if one]
        assert len(pair) == len(set(pair))
        match chance.randrange(6):
            case 0:
                it = it.skipped(chance.randrange(2))
            case 1 if it.able:
                it = it.shown_now(chance.choice(sorted(it.able)), chance.randrange(2))
            case 2:
                it = replace(it, able=frozenset(chance.sample(names, chance.randrange(len(names) + 1))))
            case 3:
                it = replace(it, free=chance.random() < 0.7, held=chance.random() < 0.2)


def test_shuffled_each_comes_once_a_round_and_none_twice_in_a_row() -> None:
    items = [RotationItem(f"i{at}", f"s{at}", S) for at in range(7)]
    came = [item for _, _, item in told(begun(*items, order=SHUFFLED, seed="a"), 699)]
    rounds = [came[at : at + 7] for at in range(0, 700, 7)]
    assert all(len(set(one)) == 7 for one in rounds)
    assert all(one != other for one, other in pairwise(came))
    assert len({tuple(one) for one in rounds}) > 90
    assert came == [item for _, _, item in told(begun(*items, order=SHUFFLED, seed="a"), 699)]


def test_who_is_behind_what_was_promised_comes_next() -> None:
    items = (replace(TEA, promised=30), replace(BATTERIES, promised=20), replace(BICYCLES, promised=10))
    given = begun(*items, order=BEHIND).advance(6000 * S)[0].given
    assert {name: round(time / 6000 / S, 2) for name, time in given.items()} == {
        "Cordel Tea": 0.50,
        "Halfmoon Batteries": 0.33,
        "Northshed Bicycles": 0.17,
    }


def test_held_skipped_and_this_one_now() -> None:
    held = replace(begun().advance(S)[0], held=True)
    assert told(held, 1000) == []
    assert told(replace(held.advance(1000 * S)[0], held=False), 1009) == [(1008, 0, "cells")]
    assert told(begun().advance(S)[0].skipped(), 8) == [(7, 0, "bikes")]
    hidden = begun(hidden=600 * S, shown=30 * S).shown_now("bikes")
    assert (hidden.seen, told(hidden, 31)) == (
        ("bikes",),
        [(5, 0, "tea"), (14, 0, "cells"), (20, 0, "bikes"), (25, 0, "tea"), (30, 0, "")],
    )


def test_over_eight_hours_each_has_its_share_to_the_second() -> None:
    it = begun(hidden=22 * 60 * S, shown=90 * S).advance(8 * 3600 * S)[0]
    # 20 appearances of 90 s, and of the 21st nothing yet: 28,800 s are 20 cycles of 1,410 s and 600 s hidden.
    assert it.given == {"Cordel Tea": 810 * S, "Halfmoon Batteries": 540 * S, "Northshed Bicycles": 450 * S}


# The plan


def test_an_evening_is_planned_and_what_cannot_be_kept_is_told() -> None:
    rule = RotationRule(ORDERED, 22 * 60 * S, 90 * S)
    promises = [
        Promise("Cordel Tea", 3 * MINUTE, 2),
        Promise("Halfmoon Batteries", 5 * MINUTE),
        Promise("Gluepot & Daughters", MINUTE),
    ]
    plan = planned(rule, THREE, promises, 0, 2 * 3600 * S)
    # Five appearances of 90 s are 22 rounds of 20 s, and 10 s more.
    told = {one.sponsor: (one.time // S, one.missing) for one in plan.expected}
    assert told == {
        "Cordel Tea": (22 * 9 + 9, ""),
        "Halfmoon Batteries": (22 * 6 + 1, "2.8 of 5 minutes missing"),
        "Northshed Bicycles": (22 * 5, ""),
        "Gluepot & Daughters": (0, "1.0 of 1 minutes missing"),
    }
    assert plan.spans[0].begin == 1320 * S
    assert sum(one.end - one.begin for one in plan.spans) == 450 * S


@pytest.mark.parametrize("minutes", [3, 5, 9, 30])
def test_the_nearest_cycle_keeps_the_promise_and_a_longer_pause_does_not(minutes: int) -> None:
    rule = RotationRule(ORDERED, 22 * 60 * S, 90 * S)
    promises = [Promise("Halfmoon Batteries", minutes * MINUTE)]
    found = nearest_cycle(rule, THREE, promises, 0, 2 * 3600 * S)
    assert found is not None

    def missing(hidden: int) -> str:
        expected = planned(replace(rule, hidden=hidden), THREE, promises, 0, 2 * 3600 * S).expected
        return next(one.missing for one in expected if one.sponsor == "Halfmoon Batteries")

    assert missing(found.hidden) == ""
    assert missing(found.hidden + STEP) != ""


def test_a_promise_that_nothing_keeps_has_no_cycle_and_one_that_is_kept_needs_none() -> None:
    rule = RotationRule(ORDERED, 600 * S, 60 * S)
    assert nearest_cycle(rule, THREE, [Promise("Cordel Tea", 61 * MINUTE)], 0, 3600 * S) is None
    assert nearest_cycle(rule, THREE, [Promise("Cordel Tea", MINUTE)], 0, 3600 * S) == rule
    # Alone and always there it appears once; with pauses it appears as often as it was promised.
    often = nearest_cycle(rule, (TEA,), [Promise("Cordel Tea", 0, 10)], 0, 3600 * S)
    assert often is not None
    # Ten in an hour are one every 360 s: 300 hidden, 60 shown.
    assert often.hidden == 300 * S


# Airtime


def test_what_two_pages_show_counts_once_and_never_more_than_was_sent() -> None:
    painted = [PaintedSpan("a", "tea", 0, 30), PaintedSpan("b", "tea", 20, 50), PaintedSpan("b", "cells", 50, 90)]
    found = airtime("tea", [(10, 40)], painted, [(0, 100)])
    assert (found.seen, found.length, found.gaps) == (((10, 40),), 30, ())


def test_what_was_sent_and_not_seen_says_why() -> None:
    painted = [
        PaintedSpan("a", "tea", 0, 10),
        PaintedSpan("a", "tea", 10, 20, above=False),
        PaintedSpan("a", "tea", 20, 30, area=0.49),
        PaintedSpan("b", "tea", 25, 35, opacity=0.11),
        PaintedSpan("a", "tea", 35, 40, visible=False),
        PaintedSpan("a", "tea", 40, 50, opacity=0.1),
        PaintedSpan("a", "tea", 50, 60, loaded=False),
    ]
    found = airtime("tea", [(0, 90)], painted, [(0, 70)])
    assert found.seen == ((0, 10), (25, 35))
    assert found.gaps == (
        AirtimeGap(10, 20, "another piece lay over it"),
        AirtimeGap(20, 25, "less than half of it was on the canvas"),
        AirtimeGap(35, 40, "the page was not visible to the streaming software"),
        AirtimeGap(40, 50, "it was hardly opaque"),
        AirtimeGap(50, 60, "it had not loaded"),
        AirtimeGap(60, 70, "no page said that it painted it"),
        AirtimeGap(70, 90, "no page showed the overlay"),
    )


@pytest.mark.parametrize("seed", range(80))
def test_airtime_is_what_a_count_second_by_second_says(seed: int) -> None:
    chance = random.Random(seed)

    def spans(most: int) -> list[tuple[int, int]]:
        begins = [chance.randrange(0, 100) for _ in range(chance.randrange(most))]
        return [(one, one + chance.randrange(0, 30)) for one in begins]

    sent, pages = spans(8), spans(5)
    painted = [
        PaintedSpan(
            chance.choice("ab"),
            chance.choice(("tea", "cells")),
            begin,
            end,
            chance.random() < 0.8,
            chance.random() < 0.8,
            chance.random() < 0.8,
            chance.random() * 2,
            chance.random(),
        )
        for begin, end in spans(20)
    ]
    found = airtime("tea", sent, painted, pages)
    asked = {at for begin, end in sent for at in range(begin, end)}
    counts = {
        at
        for one in painted
        for at in range(one.begin, one.end)
        if one.item == "tea" and one.loaded and one.visible and one.above and one.area >= 0.5 and one.opacity > 0.1
    }
    seen = {at for begin, end in found.seen for at in range(begin, end)}
    assert seen == asked & counts
    assert sorted(at for one in found.gaps for at in range(one.begin, one.end)) == sorted(asked - seen)
    away = {at for one in found.gaps if one.why == "no page showed the overlay" for at in range(one.begin, one.end)}
    assert away == asked - seen - {at for begin, end in pages for at in range(begin, end)}


def test_spans_are_merged_shared_and_taken_from_each_other() -> None:
    assert merged([(5, 9), (1, 3), (3, 4), (7, 7), (8, 12)]) == [(1, 4), (5, 12)]
    assert both([(1, 4), (5, 12)], [(3, 6), (11, 20)]) == [(3, 4), (5, 6), (11, 12)]
    assert without([(1, 4), (5, 12)], [(3, 6), (8, 9)]) == [(1, 3), (6, 8), (9, 12)]


def test_minutes_times_viewers_count_from_the_first_count_on() -> None:
    minute = 60 * S
    counts = [(minute, 100.0), (3 * minute, 200.0)]
    assert viewer_time([(0, 2 * minute), (3 * minute, 4 * minute)], counts) == 100 + 200
    assert viewer_time([(0, minute)], []) is None
