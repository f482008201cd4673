"""Cues: what sets them off, how often they may, and that the log read again tells the same."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, time, timedelta
from itertools import pairwise
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.cues.crossings import Becomes, Crosses, StaysStill
from tesoura.core.cues.cue import CRASHED, FIRES, NEW, REFUSED, WAITS, Cue, CuePlan, restored
from tesoura.core.cues.happenings import ChatWord, Condition, Happens, Pressed
from tesoura.core.cues.limits import DROP, QUEUE, REPLACE, Answer, Cause, Limits, Turns, turns_of
from tesoura.core.cues.looking_back import looked_back
from tesoura.core.cues.times import AtTimes, BeforeEntry, Repeats
from tesoura.core.cues.triggers import Seen, Trigger, seen_of
from tesoura.core.effects import SCENE, Effect
from tesoura.core.instruments.base import Fired
from tesoura.core.instruments.commands import Command
from tesoura.core.values import Scalar

NOON = datetime(2026, 11, 26, 12, 0, tzinfo=UTC)
LISBON = ZoneInfo("Europe/Lisbon")


def at(seconds: float) -> datetime:
    return NOON + timedelta(seconds=seconds)


def press(seconds: float, person: str = "") -> Cause:
    return Cause(f"{person}@{seconds}", at(seconds), "pressed", person)


# How often


def asked(limits: Limits, *presses: tuple[float, str]) -> list[str]:
    """What becomes of presses, in words: when each fires, that it waits, or why not."""
    turns, told = Turns(), list[str]()
    for seconds, person in presses:
        while (stepped := turns.step(limits, at(seconds)))[1] is not None:
            turns, answer = stepped
            assert answer
            told.append(f"{answer.cause.person} fires at {(answer.at - NOON).total_seconds():g}")
        turns, answer = turns.ask(press(seconds, person), limits)
        told.append(f"{person} fires" if answer.fires else f"{person} waits" if answer.waits else answer.why)
        if answer.instead_of:
            told.append(f"{answer.instead_of.person} lost its place")
    return told


def test_it_says_how_long_until_it_may_fire_again() -> None:
    assert asked(Limits(rests_s=240), (0, "ana"), (28, "tuck"), (239.2, "tuck"), (240, "tuck")) == [
        "ana fires",
        "not now: 212 s left",
        "not now: 1 s left",
        "tuck fires",
    ]


def test_one_person_waits_for_longer_than_all_others() -> None:
    assert asked(Limits(person_s=120), (0, "bolt_uncle"), (40, "Bolt_Uncle"), (41, "tuck"), (120, "bolt_uncle")) == [
        "bolt_uncle fires",
        "Bolt_Uncle set it off 40 s ago; 80 s left",
        "tuck fires",
        "bolt_uncle fires",
    ]


def test_the_next_waits_and_fires_at_the_very_instant_at_which_its_turn_comes() -> None:
    assert asked(Limits(rests_s=10, may_wait=1), (0, "ana"), (4, "tuck"), (5, "june"), (31, "june")) == [
        "ana fires",
        "tuck waits",
        "not now: 5 s left, and 1 wait already",
        "tuck fires at 10",
        "june fires",
    ]


def test_the_newest_may_take_the_place_of_the_one_that_waits_last() -> None:
    limits = Limits(rests_s=10, may_wait=2, busy=REPLACE)
    assert asked(limits, (0, "ana"), (1, "tuck"), (2, "june"), (3, "pip"), (25, "wren")) == [
        "ana fires",
        "tuck waits",
        "june waits",
        "pip waits",
        "june lost its place",
        "tuck fires at 10",
        "pip fires at 20",
        "wren waits",
    ]


def test_who_lost_a_place_may_try_again_and_nobody_waits_where_nobody_may() -> None:
    limits = Limits(rests_s=10, person_s=60, may_wait=1, busy=REPLACE)
    assert asked(limits, (0, "ana"), (1, "tuck"), (2, "june"), (3, "tuck")) == [
        "ana fires",
        "tuck waits",
        "june waits",
        "tuck lost its place",
        "tuck waits",
        "june lost its place",
    ]
    assert asked(Limits(rests_s=10, may_wait=5, busy=DROP), (0, "ana"), (1, "tuck"))[1] == "not now: 9 s left"
    assert asked(Limits(rests_s=10, may_wait=0), (0, "ana"), (1, "tuck"))[1] == "not now: 9 s left"


def test_what_comes_late_and_claims_an_earlier_time_finds_it_as_busy_as_it_is() -> None:
    assert asked(Limits(rests_s=10), (100, "ana"), (95, "tuck"), (40, "june"), (110, "pip")) == [
        "ana fires",
        "not now: 10 s left",
        "not now: 10 s left",
        "pip fires",
    ]


def test_a_clock_that_was_set_back_lets_nobody_wait_for_an_hour() -> None:
    limits = Limits(rests_s=10, person_s=60, may_wait=1)
    turns, _ = Turns().ask(press(3_600, "ana"), limits)
    turns, _ = turns.ask(press(3_601, "tuck"), limits)
    turns = turns.shifted(timedelta(hours=-1))
    assert turns.free_at(limits) == at(10)
    assert turns.step(limits, at(9))[1] is None
    assert turns.step(limits, at(11))[0].fired_at == at(10)
    assert turns.ask(press(5, "ana"), limits)[1].why == "ana set it off 5 s ago; 55 s left"


PRESSES = st.lists(st.tuples(st.integers(0, 12), st.sampled_from(["ana", "tuck", "june", ""])), max_size=40)
LIMITS = st.builds(
    Limits,
    st.integers(0, 30).map(float),
    st.integers(0, 40).map(float),
    st.integers(0, 3),
    st.sampled_from([QUEUE, REPLACE, DROP]),
)


@given(PRESSES, LIMITS)
def test_never_more_often_than_allowed_none_lost_and_in_order(gaps: list[tuple[int, str]], limits: Limits) -> None:
    turns, now, fates, fired, crowd = Turns(), 0, dict[str, str](), list[Answer](), 0

    def settle(answer: Answer) -> None:
        key = answer.cause.key
        if answer.fires:
            fired.append(answer)
        fates[key] = "fires" if answer.fires else "waits" if answer.waits else "refused"
        if answer.instead_of:
            fates[answer.instead_of.key] = "refused"

    for number, (gap, person) in enumerate(gaps):
        now += gap
        cause = replace(press(now, person), key=str(number))
        while (stepped := turns.step(limits, at(now)))[1]:
            turns = stepped[0]
            settle(stepped[1])
        turns, answer = turns.ask(cause, limits)
        settle(answer)
        crowd = max(crowd, len(turns.waiting))
    asked_at = {str(number): sum(gap for gap, _ in gaps[: number + 1]) for number in range(len(gaps))}
    times = [(one.at - NOON).total_seconds() for one in fired]
    assert all(after - before >= limits.rests_s for before, after in pairwise(times))
    assert crowd <= (0 if limits.busy == DROP else limits.may_wait)
    assert len(fates) == len(gaps)
    assert [one.key for one in turns.waiting] == [key for key, fate in fates.items() if fate == "waits"]
    order = [int(one.cause.key) for one in fired]
    assert order == sorted(order)
    for person in ("ana", "tuck", "june"):
        mine = [asked_at[key] for key, fate in fates.items() if fate != "refused" and gaps[int(key)][1] == person]
        assert all(after - before >= limits.person_s for before, after in pairwise(mine))
    assert turns_of(turns.saved()) == turns


# What sets it off


def event(kind: str, seconds: float = 0, seq: int = 7, **data: object) -> Occurrence:
    return Occurrence(micros(at(seconds)), seq, kind, data)


@pytest.mark.parametrize(
    ("condition", "data", "met"),
    [
        (Condition("weapon", "is", "Kite"), {"weapon": "kite "}, True),
        (Condition("weapon", "is not", "kite"), {"weapon": "reel"}, True),
        (Condition("weapon", "is not", "kite"), {}, True),
        (Condition("weapon", "is", "kite"), {}, False),
        (Condition("amount", "is", "5"), {"amount": 5.0}, True),
        (Condition("amount", "at least", "5"), {"amount": "12"}, True),
        (Condition("amount", "at least", "5"), {"amount": "many"}, False),
        (Condition("amount", "at least", "nan"), {"amount": 5}, False),
        (Condition("amount", "at most", "5"), {"amount": 5}, True),
        (Condition("amount", "at least", "1"), {"amount": True}, False),
        (Condition("gust", "is", "yes"), {"gust": True}, True),
        (Condition("text", "contains", "TEA"), {"text": "more tea, please"}, True),
        (Condition("tags", "contains", "long"), {"tags": ["Long", "gust"]}, True),
        (Condition("tags", "is not", "long"), {"tags": ["Long"]}, False),
        (Condition("who.name", "is", "tuck"), {"who": {"name": "Tuck"}}, True),
    ],
)
def test_what_an_events_data_must_be(condition: Condition, data: Mapping[str, object], met: bool) -> None:
    assert condition.met(data) is met


def test_an_event_of_its_type_sets_it_off_with_its_fields_and_by_whom() -> None:
    gift = Happens("gift", (Condition("amount", "at least", "5"),), "name", "a gift")
    cause = gift.of_event(event("gift", 3, name="teacup_ana", amount=9, more=[1]))
    assert cause == Cause("7", at(3), "a gift", "teacup_ana", 7, {"name": "teacup_ana", "amount": 9})
    assert gift.of_event(event("gift", amount=4)) is None
    assert gift.of_event(event("follow", amount=9)) is None
    assert gift.words() == "a gift with amount at least 5"


@pytest.mark.parametrize(
    ("word", "text", "rest"),
    [
        ("!spin", "!Spin", ""),
        ("!spin", "!spin  for   mara", "for mara"),
        ("!spin", "let us !spin", None),
        ("!spin", "!spinning", None),
        ("spin it", "spin it!", ""),
        ("spin", "", None),
        ("kite", "kite, kite and kite", "kite and kite"),
    ],
)
def test_a_word_that_stands_first_in_a_line_of_chat(word: str, text: str, rest: str | None) -> None:
    cause = ChatWord(word).of_event(event("chat.line", name="bolt_uncle", text=text))
    assert (cause.fields["rest"] if cause else None) == rest


def test_a_word_anywhere_and_only_by_those_who_may() -> None:
    asked = ChatWord("!song").of_event(event("chat.line", name="tuck", text="!song the kite one please"))
    assert asked is not None
    assert {name: asked.fields[name] for name in ("rest", "word_1", "word_3")} == {
        "rest": "the kite one please",
        "word_1": "the",
        "word_3": "one",
    }
    assert ChatWord("!song", chat="other").of_event(event("chat.line", name="tuck", text="!song")) is None
    anywhere = ChatWord("tea", where="anywhere")
    found = anywhere.of_event(event("chat.line", name="tuck", text="is there tea? or coffee"))
    assert found
    assert (found.person, found.words, found.fields["rest"]) == ("tuck", "tuck said “tea”", "or coffee")
    for who, roles, may in [
        ("anyone", [], True),
        ("subscribers", ["subscriber"], True),
        ("subscribers", ["vip"], False),
        ("moderators", ["moderator"], True),
        ("moderators", ["subscriber"], False),
        ("streamer", ["moderator"], False),
        ("streamer", ["streamer"], True),
        ("streamer", "streamer", False),
        ("moderators", None, False),
    ]:
        said = ChatWord("tea", who).of_event(event("chat.line", text="tea", roles=roles))
        assert (said is not None) is may, (who, roles)


def seen_through(trigger: Trigger, *steps: tuple[float, Scalar | None]) -> list[float]:
    """The seconds at which a value, told by the second, sets a trigger off; what it saw is stored in between."""
    seen, found = Seen(), list[float]()
    for seconds, value in steps:
        values = {} if value is None else {"match.streak": value}
        seen, cause = trigger.see(seen_of(seen.saved()), values, at(seconds))
        found += [(cause.at - NOON).total_seconds()] if cause else []
    return found


def test_a_level_is_crossed_once_and_again_only_after_the_way_back() -> None:
    up = Crosses("match.streak", 4, 2)
    steps = [(0, 1), (1, 4), (2, 5), (3, 3), (4, 4), (5, 2), (6, 4), (7, 1), (8, 9)]
    assert seen_through(up, *steps) == [1, 8]
    assert seen_through(Crosses("match.streak", 4, 4), *steps) == [1, 4, 6, 8]
    assert seen_through(Crosses("match.streak", 2, 4, up=False), (0, 9), (1, 2), (2, 3), (3, 2), (4, 5), (5, 0)) == [
        1,
        5,
    ]


def test_a_value_that_begins_beyond_its_level_or_is_no_number_crosses_nothing() -> None:
    assert seen_through(Crosses("match.streak", 4, 4), (0, 9), (1, 9), (2, None), (3, "many"), (4, True), (5, 10)) == []
    assert seen_through(Crosses("match.streak", 4, 4), (0, None), (1, 3), (2, "x"), (3, 4)) == [3]


def test_a_change_to_a_value_and_the_first_value_of_all_is_none() -> None:
    assert seen_through(
        Becomes("match.streak", "play"), (0, "Talk"), (1, "Play"), (2, "Play"), (3, "Break"), (4, None), (5, "PLAY")
    ) == [1, 5]
    assert seen_through(Becomes("match.streak"), (0, "Play"), (1, "Talk"), (2, "Talk"), (3, "Play")) == [1, 3]


def test_a_value_that_stands_still_tells_it_once_each_time() -> None:
    still = StaysStill("match.streak", 30)
    steps = [(0, 5), (10, 5), (29, 5), (31, 5), (90, 5), (91, 6), (100, 6), (125, 6), (126, 5)]
    assert seen_through(still, *steps) == [30, 121]
    seen, _ = still.see(Seen(), {"match.streak": 5}, at(0))
    assert still.next_change(seen, at(0)) == at(30)
    assert still.next_change(replace(seen, armed=False), at(31)) is None


def minutes(trigger: Trigger, start: datetime, hours: int) -> list[str]:
    """When a schedule comes, as local times, looked at once a minute."""
    seen, found = Seen(), list[str]()
    for minute in range(hours * 60 + 1):
        now = start + timedelta(minutes=minute)
        due = trigger.next_change(seen, now - timedelta(minutes=1)) if minute else None
        seen, cause = trigger.see(seen_of(seen.saved()), {}, now)
        if cause:
            assert due == cause.at
            found.append(f"{cause.at.astimezone(LISBON):%a %H:%M%z}")
    return found


EVERY_DAY = frozenset(range(7))


def test_a_time_of_day_comes_on_its_days() -> None:
    evening = AtTimes((time(19, 30), time(8, 0)), frozenset({3}), LISBON)
    assert minutes(evening, datetime(2026, 11, 25, 6, 0, tzinfo=UTC), 48) == ["Thu 08:00+0000", "Thu 19:30+0000"]
    assert evening.words() == "it is 19:30 and 08:00 on Thursday"


def test_in_the_hour_that_is_skipped_a_time_comes_with_the_jump_and_in_the_doubled_one_once() -> None:
    early = AtTimes((time(1, 30),), EVERY_DAY, LISBON)
    assert minutes(early, datetime(2026, 3, 28, 23, 0, tzinfo=UTC), 5) == ["Sun 02:00+0100"]
    assert minutes(early, datetime(2026, 10, 24, 22, 0, tzinfo=UTC), 6) == ["Sun 01:30+0100"]


def test_every_so_many_minutes_from_midnight() -> None:
    assert minutes(Repeats(25, LISBON), datetime(2026, 11, 25, 23, 5, tzinfo=UTC), 1) == [
        "Wed 23:20+0000",
        "Wed 23:45+0000",
        "Thu 00:00+0000",
    ]


def test_a_time_that_passed_while_nobody_looked_comes_no_more() -> None:
    evening = AtTimes((time(12, 0),), EVERY_DAY, LISBON)
    seen, _ = evening.see(Seen(), {}, at(-10))
    assert evening.see(seen, {}, at(89))[1] is not None
    late, cause = evening.see(seen, {}, at(91))
    assert cause is None
    assert evening.see(late, {}, at(92))[1] is None
    # The clock was set back over it: it came once.
    again, _ = evening.see(seen, {}, at(5))
    assert evening.see(replace(again), {}, at(-3_000))[1] is None


def test_so_long_before_an_entry_once_for_each() -> None:
    soon, start = BeforeEntry("cup.starts_at", 10), at(900).timestamp()
    seen, cause = soon.see(Seen(), {"cup.starts_at": start}, at(0))
    assert (cause, soon.next_change(seen, at(0))) == (None, at(300))
    seen, cause = soon.see(seen, {"cup.starts_at": start}, at(301))
    assert cause
    assert cause.at == at(300)
    assert soon.see(seen, {"cup.starts_at": start}, at(302))[1] is None
    moved = {"cup.starts_at": start + 600}
    seen, cause = soon.see(seen, moved, at(302))
    assert (cause, soon.next_change(seen, at(302))) == (None, at(900))
    assert soon.see(seen, {"cup.starts_at": "soon"}, at(900))[1] is None


# The cue


@dataclass(frozen=True)
class Unless:
    reads: tuple[str, ...] = ("match.deaths",)

    def unmet(self, values: Mapping[str, Scalar]) -> str | None:
        return "match.deaths is 3 or more" if values.get("match.deaths", 0) >= 3 else None  # type: ignore[operator]


@dataclass(frozen=True)
class ToTalk:
    reads: tuple[str, ...] = ()

    def effects(self, cause: Cause, values: Mapping[str, Scalar], at: datetime) -> Sequence[Effect]:
        return (Effect(SCENE, "Talk", {"who": cause.person}),)


def cue(trigger: Trigger = Pressed(), late: bool = False, **limits: Any) -> Cue:
    return Cue(CuePlan("cheer", "Cheer", trigger, Unless(), ToTalk(), Limits(**limits), late))


def logged(it: Cue, fired: Sequence[Fired]) -> Cue:
    """The cue once the log has told it what it decided."""
    for one in fired:
        it = it.on_event(Occurrence(micros(one.at), 0, one.type, one.data, "instrument:cheer"))
    return it


def outcomes(fired: Sequence[Fired]) -> list[tuple[str, str]]:
    return [(str(one.data["outcome"]), str(one.data.get("why", ""))) for one in fired]


GIFT = Happens("gift", (), "name", "a gift")


def test_it_fires_once_with_its_effects_and_the_log_clears_what_was_decided() -> None:
    it = cue(GIFT, rests_s=60).on_event(event("gift", 1, 7, name="tuck")).see({}, at(1))
    assert it.fires(at(1)) == (
        Fired("7:fires", "tesoura.cue.cheer", at(1), it.outbox[0].data, (Effect(SCENE, "Talk", {"who": "tuck"}),), 7),
    )
    assert it.read(at(2))["state"] == "rests"
    it = logged(it, it.fires(at(1)))
    assert it.fires(at(2)) == ()
    assert it.read(at(2)) == {
        "state": "rests",
        "fired": 1,
        "waiting": 0,
        "free_at": at(61).timestamp(),
        "last": "a gift",
    }
    assert it.next_change(at(2)) == at(61)
    assert it.read(at(61))["state"] == "ready"


def test_a_condition_that_is_not_met_is_told_and_takes_no_turn() -> None:
    it = cue(GIFT, rests_s=60).on_event(event("gift", 1, 7)).see({"match.deaths": 3}, at(1))
    assert outcomes(it.fires(at(1))) == [(REFUSED, "match.deaths is 3 or more")]
    it = it.on_event(event("gift", 2, 8)).see({"match.deaths": 2}, at(2))
    assert outcomes(it.fires(at(2)))[1:] == [(FIRES, "")]


def test_who_waits_fires_by_time_alone_at_its_very_turn() -> None:
    it = cue(GIFT, rests_s=10, may_wait=1)
    for seq, second in ((7, 0), (8, 1), (9, 2)):
        it = it.on_event(event("gift", second, seq)).see({}, at(second))
    assert outcomes(it.fires(at(2))) == [(FIRES, ""), (WAITS, ""), (REFUSED, "not now: 8 s left, and 1 wait already")]
    it = logged(it, it.fires(at(2)))
    assert it.next_change(at(2)) == at(10)
    it = it.see({}, at(10.4))
    assert [(one.id, one.at) for one in it.fires(at(10.4))] == [("8:fires", at(10))]


def test_switched_off_it_hears_nothing_and_can_still_be_pressed() -> None:
    it = cue(GIFT).handle(Command("off"), at(0)).after
    assert isinstance(it, Cue)
    assert it.on_event(event("gift", 1)).see({}, at(1)).fires(at(1)) == ()
    step = it.handle(Command("press", {"by": "key pad"}, 12), at(2))
    assert (step.effect, step.given) == ("Running now.", {"by": "key pad"})
    assert isinstance(step.after, Cue)
    pressed = step.after.see({}, at(2))
    assert [one.id for one in pressed.fires(at(2))] == ["press 12:fires"]
    assert (it.read(at(2))["state"], it.next_change(at(2))) == ("off", None)
    on = it.handle(Command("on"), at(3))
    assert (on.undo, it.handle(Command("off"), at(3)).undo) == (("off", {}), None)


def test_a_press_says_beforehand_what_it_would_do() -> None:
    it = cue(rests_s=240)
    it = it._ask(press(0)).see({}, at(0))
    assert it.handle(Command("press"), at(28)).effect == "Not now: 212 s left."


def test_of_a_crowd_of_refusals_the_first_few_stand_in_the_log() -> None:
    it = cue(GIFT, rests_s=60)
    for seq in range(100):
        it = it.on_event(event("gift", 1, seq))
    told = it.see({}, at(1)).fires(at(1))
    assert [one.data["outcome"] for one in told] == [FIRES, *[REFUSED] * 5]
    assert [one.data.get("more") for one in told] == [None] * 5 + [94]


def test_what_a_crash_left_undone_is_told_and_done_only_where_that_was_chosen() -> None:
    for late, told in ((False, [(REFUSED, "Tesoura stopped before it could")]), (True, [(FIRES, "")])):
        it = cue(GIFT, late=late, rests_s=60).on_event(event("gift", 1, 7)).see({}, at(1))
        again = restored(it.plan, it.saved())
        assert again.before == CRASHED
        assert outcomes(again.see({}, at(5)).fires(at(5))) == told
        # The log knew of it already: nothing is left undone.
        known = logged(restored(it.plan, it.saved()), it.fires(at(1))).see({}, at(5))
        assert known.fires(at(5)) == ()
        assert known.turns == it.turns


def test_what_is_done_late_by_choice_is_done_whenever_that_is() -> None:
    it = cue(GIFT, late=True).on_event(event("gift", 1, 7)).see({}, at(1))
    again = restored(it.plan, it.saved()).see({}, at(4_000))
    assert [(one.at, one.data["outcome"]) for one in again.fires(at(4_000))] == [(at(4_000), FIRES)]


def test_a_clock_that_is_set_shifts_what_it_remembers() -> None:
    it = cue(GIFT, rests_s=60).on_event(event("gift", 3_600, 7)).see({}, at(3_600))
    it = logged(it, it.fires(at(3_600))).on_event(event("tesoura.clock_set", 0, 9, by_s=-3_600.0))
    assert it.read(at(59))["state"] == "rests"
    assert it.read(at(60))["state"] == "ready"
    assert it.turns == it.logged


def test_a_new_cue_has_no_past_and_what_comes_too_late_is_told() -> None:
    new = replace(cue(GIFT), before=NEW).on_event(event("gift", 1, 7)).see({}, at(2))
    assert new.fires(at(2)) == ()
    assert outcomes(new.on_event(event("gift", 3, 8)).see({}, at(3)).fires(at(3))) == [(FIRES, "")]
    assert outcomes(cue(GIFT).on_event(event("gift", 1, 7)).see({}, at(122)).fires(at(122))) == [(REFUSED, "too late")]


@given(PRESSES, LIMITS, st.integers(0, 40))
def test_the_log_read_again_tells_the_same(gaps: list[tuple[int, str]], limits: Limits, stored_at: int) -> None:
    live = Cue(CuePlan("cheer", "Cheer", GIFT, Unless(), ToTalk(), limits))
    now, log, saved, behind = 0, list[Occurrence](), live.saved(), 0
    for seq, (gap, person) in enumerate(gaps):
        now += gap
        happened = event("gift", now, seq, name=person)
        log.append(happened)
        live = live.on_event(happened).see({}, at(now))
        told = [Occurrence(micros(one.at), 0, one.type, one.data) for one in live.fires(at(now))]
        log += told
        for one in told:
            live = live.on_event(one)
        if seq == stored_at:
            saved, behind = live.saved(), len(log)
    again = restored(live.plan, saved)
    for one in log[behind:]:
        again = again.on_event(one)
    again = again.see({}, at(now))
    assert again.fires(at(now)) == ()
    assert (again.turns, again.logged, again.count, again.last) == (live.turns, live.logged, live.count, live.last)


def test_looking_back_tells_what_it_would_have_done_and_counts_all() -> None:
    made = cue(GIFT, rests_s=10, may_wait=1).plan
    events = [event("gift", second, seq, name="tuck") for seq, second in enumerate((0, 1, 2, 3, 30))]
    found = looked_back(made, events)
    assert (found.fires, found.refused) == (3, 2)
    assert [(one.at - NOON).total_seconds() for one in found.latest] == [0, 10, 30]
    waiting = looked_back(made, events[:3])
    assert [(one.at - NOON).total_seconds() for one in waiting.latest] == [0, 10]
    assert looked_back(made, []).fires == 0
