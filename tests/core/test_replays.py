"""Replays: what deserves one, which seconds are shown and how fast, when it may be seen, how close."""

from __future__ import annotations

import itertools
import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tesoura.core.replays.closer import ZoomedView, moving_in, seen
from tesoura.core.replays.cutting import CutRule, ReplayCut, cut, in_clip
from tesoura.core.replays.occasions import Occasion, OccasionRule, Occasions
from tesoura.core.replays.pacing import ClipStretch, paced
from tesoura.core.replays.showing import GONE, TOO_MANY, WAITED_TOO_LONG, ReplayLine, ShowRule, Verdict, WaitingReplay

S = 1_000_000
FOUR = OccasionRule(kills=4, within=9 * S, after=3 * S)


def found(rule: OccasionRule, *kills: float, until: float = 1_000.0) -> list[tuple[int, ...]]:
    """The places in the log of the kills of each occasion, of kills at these seconds, numbered from 1."""
    it = Occasions(rule)
    for seq, at in enumerate(kills, 1):
        it = it.killed(seq, round(at * S))
    return [one.seqs for one in it.advance(round(until * S))[1]]


# What deserves one


def test_four_within_nine_seconds_deserve_one_and_three_do_not() -> None:
    assert found(FOUR, 10, 12, 15, 19) == [(1, 2, 3, 4)]
    assert found(FOUR, 10, 12, 15) == []
    # From the first to the fourth it is nine and a half; each is within nine of the one before.
    assert found(FOUR, 10, 12, 15, 19.5) == []
    assert found(FOUR, 10, 18, 19, 20, 21) == [(1, 2, 3, 4, 5)]


def test_kills_just_so_far_apart_belong_together_and_a_clip_that_goes_on_longer_is_waited_for() -> None:
    two = OccasionRule(2, 9 * S, 12 * S)
    assert found(two, 10, 19, 28) == [(1, 2, 3)]
    assert found(two, 10, 19.1) == []
    it = Occasions(two).killed(1, 10 * S).killed(2, 12 * S)
    assert (it.closes_at(), it.advance(24 * S - 1)[1]) == (24 * S, [])


def test_it_is_told_once_nothing_more_can_belong_to_it() -> None:
    it = Occasions(FOUR)
    for seq, at in enumerate((10, 11, 12, 13), 1):
        it = it.killed(seq, at * S)
    assert it.closes_at() == 22 * S
    same, told = it.advance(22 * S - 1)
    assert (same, told) == (it, [])
    # A fifth at 20 s belongs to it, and lets it wait until 29.
    later, told = it.killed(5, 20 * S).advance(22 * S)
    assert (told, later.closes_at()) == ([], 29 * S)
    closed, told = later.advance(29 * S)
    assert told == [Occasion((10 * S, 11 * S, 12 * S, 13 * S, 20 * S), (1, 2, 3, 4, 5))]
    assert closed.closes_at() is None


def test_kills_that_come_late_and_out_of_order_belong_where_they_were() -> None:
    assert found(FOUR, 19, 10, 15, 12) == [(2, 4, 3, 1)]


def test_a_kill_that_was_corrected_away_counts_no_more() -> None:
    it = Occasions(FOUR)
    for seq, at in enumerate((10, 11, 12, 13), 1):
        it = it.killed(seq, at * S)
    assert it.without(2).advance(100 * S)[1] == []


def test_more_kills_are_greater_and_of_as_many_the_quicker() -> None:
    slow, quick, five = (Occasion(tuple(at * S for at in times), (1,)) for times in ((0, 9), (0, 4), (0, 1, 2)))
    assert sorted((five, slow, quick), key=lambda one: one.rank) == [slow, quick, five]


# What of it


@pytest.mark.parametrize(
    ("rule", "parts", "left_out"),
    [
        (CutRule(2 * S, 1 * S), ((8, 11), (18, 23), (38, 41)), 0),
        (CutRule(2 * S, 1 * S, gaps_out=False), ((8, 41),), 0),
        # Eleven seconds in all: with ten at most the first kill goes.
        (CutRule(2 * S, 1 * S, most=10 * S), ((18, 23), (38, 41)), 1),
        (CutRule(2 * S, 1 * S, gaps_out=False, most=25 * S), ((18, 41),), 1),
        (CutRule(2 * S, 1 * S, most=3 * S), ((38, 41),), 3),
    ],
)
def test_parts_stand_around_the_kills(rule: CutRule, parts: tuple[tuple[int, int], ...], left_out: int) -> None:
    # Kills at 10, 20, 22 and 40 s: the second and third stand so near that they are one part.
    told = cut([10 * S, 40 * S, 20 * S, 22 * S], rule)
    assert told == ReplayCut(tuple((begin * S, end * S) for begin, end in parts), left_out)


def test_a_bound_shorter_than_one_kill_keeps_what_is_just_around_the_last() -> None:
    # Of three seconds two stand before the kill: of a second and a half, one.
    told = cut([10 * S, 20 * S], CutRule(2 * S, 1 * S, most=1_500_000))
    assert told == ReplayCut(((19 * S, 20_500_000),), 1)
    assert cut([], CutRule(1, 1)) == ReplayCut(())


def test_parts_are_found_in_a_clip_by_when_it_ended() -> None:
    # Twenty seconds that ended at 100 began at 80.
    assert in_clip((85 * S, 90 * S), 100 * S, 20 * S) == (5 * S, 10 * S)
    assert in_clip((70 * S, 90 * S), 100 * S, 20 * S) == (0, 10 * S)
    assert in_clip((60 * S, 70 * S), 100 * S, 20 * S) is None
    # A picture that is 1.4 s late shows it so much later in the clip.
    assert in_clip((85 * S, 90 * S), 100 * S, 20 * S, 1_400_000) == (6_400_000, 11_400_000)


@settings(max_examples=200, deadline=None)
@given(st.lists(st.integers(0, 600), min_size=1, max_size=12), st.integers(1, 90), st.booleans())
def test_what_is_shown_is_within_its_bound_in_order_and_holds_the_last_kill(
    kills: list[int], most: int, gaps_out: bool
) -> None:
    rule = CutRule(4 * S, 2 * S, gaps_out, most * S)
    told = cut([at * S for at in kills], rule)
    assert told.length <= rule.most
    assert all(end > begin for begin, end in told.parts)
    assert all(one[1] < other[0] for one, other in itertools.pairwise(told.parts))
    assert told.parts[-1][0] <= max(kills) * S <= told.parts[-1][1]


# How fast


def test_it_is_slower_around_the_kill_and_takes_longer_by_that() -> None:
    # Ten seconds with a kill at five: four at full speed, two at half of it, four at full speed.
    pace = paced([(0, 10 * S)], [5 * S], 100, 50, 1 * S)
    assert pace.stretches == (
        ClipStretch(0, 0, 4 * S, 100),
        ClipStretch(4 * S, 4 * S, 6 * S, 50),
        ClipStretch(8 * S, 6 * S, 10 * S, 100),
    )
    assert pace.length == 12 * S
    assert [pace.clip_at(at * S) for at in (0, 3, 5, 8, 11)] == [0, 3 * S, 4_500_000, 6 * S, 9 * S]
    assert pace.clip_at(12 * S) is pace.clip_at(-1) is None


def test_parts_follow_each_other_without_what_is_between() -> None:
    pace = paced([(2 * S, 4 * S), (10 * S, 12 * S)], [3 * S, 11 * S], 50, 50, 1 * S)
    assert (pace.length, pace.clip_at(3_900_000), pace.clip_at(4 * S)) == (8 * S, 3_950_000, 10 * S)


def test_kills_near_each_other_are_slow_once() -> None:
    pace = paced([(0, 10 * S)], [4 * S, 5 * S], 100, 25, 1 * S)
    assert [(one.begin, one.end, one.speed_pct) for one in pace.stretches] == [
        (0, 3 * S, 100),
        (3 * S, 5 * S, 25),
        (5 * S, 6 * S, 25),
        (6 * S, 10 * S, 100),
    ]


# When


def waiting(id: int, kills: int, since: float, length: float = 5.0) -> WaitingReplay:
    return WaitingReplay(id, (kills,), round(since * S), round(length * S))


RULE = ShowRule(gap=10 * S, longest_wait=30 * S, most_waiting=2)


def test_it_is_held_until_it_hides_nothing_and_no_longer_than_is_wished() -> None:
    line, _ = ReplayLine(RULE).added(waiting(1, 4, 100))
    assert line.next_change() == 130 * S
    held, told = line.advance(129 * S)
    assert (held, told) == (line, [])
    assert line.freed(True, 110 * S).advance(110 * S)[1] == [Verdict(1, True, 110 * S)]
    assert line.advance(200 * S)[1] == [Verdict(1, False, 130 * S, WAITED_TOO_LONG)]


def test_a_greater_one_goes_before_a_smaller_and_the_next_waits_for_the_gap() -> None:
    line, _ = ReplayLine(RULE).freed(False, 0).added(waiting(1, 3, 100))
    line, _ = line.added(waiting(2, 5, 101))
    line, told = line.freed(True, 102 * S).advance(102 * S)
    assert told == [Verdict(2, True, 102 * S)]
    # It is over at 107; ten seconds later the other one begins.
    assert line.next_change() == 117 * S
    assert line.advance(117 * S)[1] == [Verdict(1, True, 117 * S)]


def test_where_too_many_wait_the_least_of_them_does_not_and_is_told() -> None:
    line, _ = ReplayLine(RULE).added(waiting(1, 4, 100))
    line, _ = line.added(waiting(2, 3, 101))
    line, told = line.added(waiting(3, 5, 102))
    assert told == [Verdict(2, False, 102 * S, TOO_MANY)]
    assert line.added(waiting(4, 1, 103))[1] == [Verdict(4, False, 103 * S, TOO_MANY)]
    assert line.without(1, 104 * S)[1] == [Verdict(1, False, 104 * S, GONE)]
    assert line.without(9, 104 * S)[1] == []


@settings(max_examples=300, deadline=None)
@given(st.integers(0, 10**9))
def test_never_two_are_closer_than_the_gap_and_nothing_waits_for_ever(seed: int) -> None:
    chance = random.Random(seed)
    rule = ShowRule(chance.randrange(0, 20) * S, chance.randrange(1, 40) * S, chance.randrange(1, 6))
    line, at, verdicts, since = ReplayLine(rule), 0, list[Verdict](), dict[object, WaitingReplay]()
    for number in range(chance.randrange(1, 40)):
        at += chance.randrange(0, 15) * S
        line, told = line.advance(at)
        verdicts += told
        if chance.random() < 0.5:
            line = line.freed(chance.random() < 0.6, at)
        else:
            one = WaitingReplay(number, (chance.randrange(1, 6),), at, chance.randrange(1, 12) * S)
            since[number] = one
            line, told = line.added(one)
            verdicts += told
    line, told = line.advance(at + 10_000 * S)
    verdicts += told
    assert line.waiting == ()
    assert sorted(one.id for one in verdicts) == sorted(since)  # type: ignore[type-var]
    begun = [one for one in verdicts if one.begins]
    for before, after in itertools.pairwise(begun):
        assert after.at >= before.at + since[before.id].length + rule.gap
    assert all(one.at <= since[one.id].since + rule.longest_wait for one in verdicts)
    assert [one.at for one in verdicts] == sorted(one.at for one in verdicts)


# How close


def test_closer_shows_a_part_that_never_leaves_the_picture() -> None:
    assert seen(1, 0.2, 0.9) == ZoomedView(0, 0, 1)
    assert seen(2, 0.5, 0.5) == ZoomedView(0.25, 0.25, 0.5)
    # In a corner the point cannot lie in the middle.
    assert seen(4, 0.05, 1.0) == ZoomedView(0, 0.75, 0.25)
    assert seen(9, 0.5, 0.5) == seen(4, 0.5, 0.5)


def test_it_moves_in_gently() -> None:
    assert moving_in(3, 0.5, 0.5, 0) == seen(1, 0.5, 0.5)
    assert moving_in(3, 0.5, 0.5, 1) == seen(3, 0.5, 0.5)
    # Half of the way in is twice as close; a tenth of the time brings 2.8 % of the way.
    assert moving_in(3, 0.5, 0.5, 0.5).size == pytest.approx(0.5)
    assert 1 / moving_in(2, 0.5, 0.5, 0.1).size == pytest.approx(1.028)
