"""The wheel: draws that are decided before anything turns, spins owed and spent, what waits, what is told."""

from __future__ import annotations

import json
import random
from datetime import UTC, datetime, timedelta
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.forms.form import fill
from tesoura.core.instruments.base import Fired
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.runner import Runner, Setup
from tesoura.core.instruments.wheel import KIND
from tesoura.core.instruments.wheel.commands import Wheel
from tesoura.core.instruments.wheel.counts import SpinCounts
from tesoura.core.instruments.wheel.fields import readable_on
from tesoura.core.instruments.wheel.piece import PIECE
from tesoura.core.overlays.fit.colours import contrast, rgb
from tesoura.core.wheel.draw import SpinRecord, drawn, problem_of
from tesoura.core.wheel.expected import Expected, expected_of
from tesoura.core.wheel.turning import edges_of, place_within, turned, under_pointer
from tesoura.errors import CommandRefused, Invalid, InvalidField, InvalidPiece

DEEDS = (*["spin"] * 3, "owe", "try_it", "put_away", "drop_waiting", "gift", "wait", "goes")
T0 = datetime(2026, 11, 26, 20, 0, tzinfo=UTC)
KETTLE = ("the cold kettle", "0.3")
TEA = (("one lap backwards", "1"), ("sing the score", "1"), ("swap kites with the rival", "1"), KETTLE)


class Tea:
    """The wheel of tea, and the time of day. Commands come as they do from the log, one second after another."""

    def __init__(self, fields: tuple[tuple[str, str], ...] = TEA, seed: int = 7, **choices: Any) -> None:
        filled = fill(KIND.fields, {"title": "Wheel of tea", **choices})
        assert filled.wrong == {}
        self.setup, self.chance = Setup("wheel", "tea", filled.choices), random.Random(seed)
        self.runner, self.now, self.seq, self.said = Runner(self.setup, Almanac(), T0), T0, 0, ""
        self.log: list[Any] = []
        for words, weight in fields:
            self.do("add_item", words=words, weight=weight)
        self.do("seal").wait(0)

    @property
    def it(self) -> Wheel:
        """The wheel as it stands."""
        return self.runner.instrument  # type: ignore[return-value]

    def do(self, command: str, after_s: float = 1.0, **given: Any) -> Tea:
        """A command: tried, then heard from the log."""
        self.now += timedelta(seconds=after_s)
        known = KIND.command(command)
        secret = self.chance.randbytes(32).hex() if known is not None and known.seals else ""
        step = self.runner.attempt(Command(command, given, secret=secret), self.now)
        self.said = step.effect
        return self.hear("tesoura.command.tea", {"command": command, **step.given, "secret": secret}, 0)

    def hear(self, kind: str, data: dict[str, Any], after_s: float = 1.0, source: str = "") -> Tea:
        """An event comes."""
        self.now += timedelta(seconds=after_s)
        self.seq += 1
        event = Occurrence(micros(self.now), self.seq, kind, data, source)
        self.log.append(event)
        self.runner.take(event, self.now)
        return self

    def wait(self, seconds: float) -> list[Fired]:
        """Time passes; what the wheel tells comes into the log, as often as there is something. All that was told."""
        until, told = self.now + timedelta(seconds=seconds), []
        while True:
            for one in self.runner.fires(self.now):
                told.append(one)
                self.hear(one.type, dict(one.data), 0, "instrument:tea")
            change = self.runner.next_change(self.now)
            if change is None or change > until:
                break
            self.now = change
        self.now = until
        return told

    def tells(self, *names: str) -> tuple[Any, ...]:
        """The values of these signals."""
        told = self.it.read(self.now)
        return tuple(told[name] for name in names)


def test_what_comes_is_decided_before_anything_turns_and_told_when_it_has_landed() -> None:
    tea = Tea()
    (sealed,) = tea.tells("hash")
    tea.do("spin")
    assert tea.said == "spinning"
    spin = tea.it.spin
    assert spin is not None
    assert (spin.number, spin.hash) == (1, sealed)
    # It turns, and nothing tells what will come; the next secret is sealed already, and is another.
    assert tea.tells("state", "there", "field", "text") == ("turning", True, "", "")
    assert tea.tells("hash") != (sealed,)
    told = tea.wait(8.4)
    assert [one.type for one in told] == ["tea.begun", "tea.landed", "tea.sealed"]
    words = spin.field.words
    assert (*tea.tells("state", "field", "text"), told[1].data["field"]) == ("landed", words, words, words)
    tea.wait(8)
    assert tea.tells("state", "there", "spins") == ("still", False, 1)


def test_anybody_can_check_a_spin_with_what_is_told_of_it() -> None:
    tea = Tea()
    for _ in range(12):
        (sealed,) = tea.tells("hash")
        told = tea.do("spin", 20).wait(20)[-2].data
        record = SpinRecord(sealed, told["opened"], told["number"], tuple(told["weights"]), told["came"] - 1)
        assert problem_of(record) is None
        assert told["fields"][told["came"] - 1] == told["field"]


def test_what_the_command_in_the_log_says_came_is_what_comes() -> None:
    tea = Tea().do("spin")
    command, landed = tea.log[-1].data, tea.wait(20)[-2].data
    assert (command["came"], command["number"], command["weights"]) == (landed["came"], 1, landed["weights"])


def test_trying_a_spin_tells_nothing_of_what_would_come() -> None:
    tea = Tea()
    step = tea.runner.attempt(Command("spin"), tea.now)
    assert (step.effect, set(step.given)) == ("spinning", {"who"})


def test_a_spin_to_try_never_counts_and_says_so() -> None:
    tea = Tea(chat="chat").do("try_it")
    assert tea.tells("trial", "note") == (True, "test, not counted")
    assert tea.wait(20) == []
    assert tea.tells("number", "spins", "trial", "field") == (0, 0, False, "")
    tea.do("try_it")
    with pytest.raises(CommandRefused, match="Already spinning"):
        tea.do("try_it")


# Spins owed


def test_spins_are_earned_by_rules_and_spent_by_who_has_them() -> None:
    tea = Tea(when_1="subscription", when_2="gift", amount_2="amount", each_2="50", chat="chat", word="!spin")
    tea.hear("subscription", {"name": "teacup_ana"}).wait(1)
    tea.hear("gift", {"name": "bolt_uncle", "amount": 120}).wait(1)
    assert list(tea.it.owed.listed()) == [("teacup_ana", 1), ("bolt_uncle", 2)]
    # Twenty rest; thirty more make the next fifty.
    tea.hear("gift", {"name": "Bolt_Uncle", "amount": "30"}).wait(1)
    assert tea.it.owed.of("bolt_uncle") == 3
    told = tea.hear("chat.line", {"name": "gull_on_a_post", "text": "!spin please"}).wait(1)
    assert [one.effects[0].data["line"] for one in told] == ["gull_on_a_post, you have no spins left."]
    (asked,) = tea.hear("chat.line", {"name": "teacup_ana", "text": "!SPIN"}).wait(1)
    assert asked.effects[0].data == {"command": "spin", "given": {"who": "teacup_ana"}}
    tea.do("spin", who="teacup_ana")
    assert (tea.said, tea.it.owed.of("teacup_ana")) == ("spinning for teacup_ana, 0 left", 0)
    with pytest.raises(CommandRefused, match="teacup_ana has no spins owed"):
        tea.do("spin", who="teacup_ana")
    assert tea.wait(10)[-2].effects[-1].data["line"].startswith("teacup_ana spins the wheel: ")


def test_a_crowd_that_asks_without_a_spin_fills_no_chat() -> None:
    tea = Tea(chat="chat", word="!spin")
    told = []
    for number in range(30):
        told += tea.hear("chat.line", {"name": f"viewer_{number}", "text": "!spin"}, 0.5).wait(0)
    # In fifteen seconds: at the beginning, and ten seconds later.
    assert [one.data["who"] for one in told] == ["viewer_0", "viewer_20"]


def test_what_chat_is_told_holds_names_as_they_are() -> None:
    tea = Tea(chat="chat", line="{who} {field} {number} {else}").do("owe", who="{field}").do("spin", who="{field}")
    landed = tea.wait(20)[1]
    assert landed.effects[-1].data["line"] == f"{{field}} {landed.data['field']} 1 {{else}}"


def test_what_is_no_name_is_refused() -> None:
    tea = Tea()
    for command, given_ in (("spin", {"who": ["ana"]}), ("owe", {"who": {"a": 1}}), ("rename", {"who": "a", "to": []})):
        with pytest.raises(InvalidField, match="Give a text, not a list"):
            tea.do(command, **given_)


def test_spins_are_given_and_taken_by_hand_and_the_next_is_who_waited_longest() -> None:
    tea = Tea().do("owe", who="teacup_ana", spins="2").do("owe", who="seven_socks")
    assert tea.said == "seven_socks: 0 → 1"
    assert tea.tells("owed", "owed_first") == (3, "teacup_ana")
    tea.do("spin", who="next")
    assert (tea.said, tea.tells("who")) == ("spinning for teacup_ana, 1 left", ("teacup_ana",))
    tea.do("owe", who="Teacup_Ana", spins="-5")
    assert tea.tells("owed", "owed_first") == (1, "seven_socks")
    with pytest.raises(CommandRefused, match="has no spins owed"):
        tea.do("owe", who="teacup_ana", spins="-1")
    with pytest.raises(InvalidField, match="Give the viewer:"):
        tea.do("owe", spins="1")
    tea.do("spin", who="anybody", free="yes")
    assert tea.said.startswith("spinning now; the spin of anybody is queued")


def test_somebody_with_another_name_keeps_what_is_owed_and_what_was_begun() -> None:
    tea = Tea(when_1="gift", amount_1="amount", each_1="50")
    tea.hear("gift", {"name": "bolt_uncle", "amount": 90}).wait(1)
    tea.do("rename", who="bolt_uncle", to="uncle_bolt")
    tea.hear("gift", {"name": "uncle_bolt", "amount": 10}).wait(1)
    assert list(tea.it.owed.listed()) == [("uncle_bolt", 2)]


def test_what_two_names_have_begun_is_added_and_may_come_to_a_spin() -> None:
    tea = Tea(when_1="gift", amount_1="amount", each_1="50")
    tea.hear("gift", {"name": "bolt_uncle", "amount": 30}).hear("gift", {"name": "uncle_bolt", "amount": 40}).wait(1)
    assert list(tea.it.owed.listed()) == []
    tea.do("rename", who="bolt_uncle", to="uncle_bolt")
    assert list(tea.it.owed.listed()) == [("uncle_bolt", 1)]
    # Twenty of the seventy are left: thirty more make the next one.
    tea.hear("gift", {"name": "uncle_bolt", "amount": 29}).wait(1)
    assert tea.it.owed.of("uncle_bolt") == 1
    tea.hear("gift", {"name": "uncle_bolt", "amount": 1}).wait(1)
    assert tea.it.owed.of("uncle_bolt") == 2
    with pytest.raises(CommandRefused, match="bolt_uncle has no spins owed"):
        tea.do("rename", who="bolt_uncle", to="somebody")


def test_five_hundred_spins_owed_at_once_are_five_hundred() -> None:
    tea = Tea(when_1="gift", amount_1="amount", each_1="1")
    tea.hear("gift", {"name": "bolt_uncle", "amount": 500}).wait(1)
    assert tea.tells("owed") == (500,)
    tea.hear("gift", {"name": "bolt_uncle", "amount": -500}).wait(1)
    tea.hear("gift", {"amount": 500}).wait(1)
    assert tea.tells("owed") == (500,)


def test_two_spins_for_every_fifty_are_two_for_every_fifty() -> None:
    tea = Tea(when_1="gift", amount_1="amount", each_1="50", spins_1="2")
    tea.hear("gift", {"name": "bolt_uncle", "amount": 170}).wait(1)
    assert tea.it.owed.of("bolt_uncle") == 6


def test_what_was_given_stays_given_when_it_is_read_again() -> None:
    tea = Tea(when_1="gift")
    tea.hear("gift", {"name": "bolt_uncle"}).wait(1)
    tea.hear("gift", {"name": "bolt_uncle"}).wait(1)
    tea.do("spin", who="bolt_uncle").wait(30)
    again = Runner(tea.setup, Almanac(), T0)
    for event in tea.log:
        again.take(event, tea.now)
    assert again.instrument == tea.runner.instrument
    assert again.fires(tea.now) == []


# What waits, and what changes in between


def test_a_spin_while_it_turns_waits_and_begins_by_itself() -> None:
    tea = Tea(turn_s="4", hold_s="3").do("owe", who="teacup_ana").do("spin").do("spin", who="teacup_ana")
    assert tea.said == "spinning now; the spin of teacup_ana is queued, number 1 in line, 0 left"
    assert tea.tells("waiting", "number") == (1, 1)
    tea.do("spin")
    told = [one for one in tea.wait(60) if one.type != "tea.sealed"]
    assert [(one.type, one.data["number"], one.data["who"]) for one in told] == [
        ("tea.begun", 1, ""),
        ("tea.landed", 1, ""),
        ("tea.begun", 2, "teacup_ana"),
        ("tea.landed", 2, "teacup_ana"),
        ("tea.begun", 3, ""),
        ("tea.landed", 3, ""),
    ]
    # Each begins when the one before is over: 0.4 s to begin with, 4 to turn, 3 to stay.
    assert told[2].at - told[0].at == timedelta(seconds=7.4)
    for one in told[1::2]:
        record = SpinRecord(
            one.data["hash"], one.data["opened"], one.data["number"], tuple(one.data["weights"]), one.data["came"] - 1
        )
        assert problem_of(record) is None


def test_what_waits_can_be_let_go_and_spins_owed_go_back() -> None:
    tea = Tea().do("owe", who="teacup_ana").do("spin").do("spin", who="teacup_ana").do("drop_waiting")
    assert (tea.tells("waiting"), tea.it.owed.of("teacup_ana"), len(tea.it.sealed)) == ((0,), 1, 1)


def test_the_wheel_edited_in_mid_spin_lands_as_it_was_drawn() -> None:
    tea = Tea().do("spin")
    spin = tea.it.spin
    assert spin is not None
    face = tea.tells("face")
    tea.do("remove_item", item=spin.field.id)
    assert tea.tells("face") == face
    landed = tea.wait(10)[-2].data
    assert landed["field"] == spin.field.words
    tea.wait(10)
    assert spin.field.words not in tea.tells("face")[0]


def test_when_nothing_can_come_any_more_who_waits_has_his_spin_back() -> None:
    tea = Tea().do("owe", who="teacup_ana").do("spin").do("spin", who="teacup_ana")
    for item in list(tea.runner.items):
        tea.do("change_item", item=item.id, weight="0")
    tea.wait(30)
    assert tea.tells("owed", "waiting", "number") == (1, 0, 1)


def test_what_was_missed_while_tesoura_was_away_is_told_as_it_came() -> None:
    fields = tuple((f"field {at}", "1") for at in range(4))
    for seed in range(20):
        tea = Tea(fields, seed=seed, turn_s="3", hold_s="2")
        for item in list(tea.runner.items):
            tea.do("change_item", item=item.id, goes="yes")
        for _ in range(4):
            tea.do("spin")
        # Nobody drives it for a minute: then all is told at once, each field once, since each goes away.
        tea.now += timedelta(minutes=1)
        told = [one.data["field"] for one in tea.wait(1) if one.type == "tea.landed"]
        assert sorted(told) == [words for words, _ in fields]
        assert [one.record.data["field"] for one in tea.runner.new_records] == told


def test_a_result_is_put_away_before_its_time() -> None:
    tea = Tea().do("spin")
    with pytest.raises(CommandRefused, match="Still spinning"):
        tea.do("put_away")
    tea.wait(9)
    assert tea.do("put_away").tells("there") == (False,)


# Fields


def test_chances_are_those_of_the_weights_and_stand_beside_each_field() -> None:
    tea = Tea((*((f"field {at}", "1") for at in range(9)), KETTLE))
    shown = {row["words"]: round(row["chance_pct"], 1) for row in tea.it.view(tea.now)["fields"]}
    assert (shown["the cold kettle"], shown["field 1"]) == (3.2, 10.8)


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ((), "needs at least 2 fields; it has 0"),
        ((("alone", "1"),), "it has 1"),
        ((("a", "0"), ("b", "0")), "Give at least one field a weight"),
    ],
)
def test_a_wheel_that_cannot_be_spun_says_why(fields: tuple[tuple[str, str], ...], words: str) -> None:
    tea = Tea(fields)
    for command in ("spin", "try_it"):
        with pytest.raises(Invalid, match=words):
            tea.do(command)


def test_weights_of_a_billion_and_of_a_thousandth_stand_beside_each_other() -> None:
    tea = Tea((("always", "1000000000"), ("hardly ever", "0.001")))
    for _ in range(3):
        tea.do("spin", 30).wait(30)
    assert {row["words"]: row["came"] for row in tea.it.view(tea.now)["fields"]} == {"always": 3, "hardly ever": 0}
    for wrong in ("-1", "1e10", "x"):
        with pytest.raises(InvalidPiece):
            tea.do("add_item", words="wrong", weight=wrong)


def test_a_wheel_takes_sixty_fields_of_eighty_letters_and_no_more() -> None:
    tea = Tea(tuple((f"{at:02d}" + "x" * 78, "1") for at in range(60)))
    tea.do("spin").wait(30)
    assert tea.tells("spins") == (1,)
    with pytest.raises(CommandRefused, match="60 fields already"):
        tea.do("add_item", words="one more", weight="1")
    with pytest.raises(InvalidPiece, match="81 characters"):
        tea.do("change_item", item=tea.runner.items[0].id, words="x" * 81)


def test_a_field_that_came_goes_away_or_rests_until_all_are_let_back() -> None:
    tea = Tea((("once", "1"), ("twice", "1")))
    tea.do("change_item", item=tea.runner.items[0].id, goes="yes").do(
        "change_item", item=tea.runner.items[1].id, most="2"
    )
    for _ in range(3):
        tea.do("spin", 30).wait(30)
    assert sorted(row["came"] for row in tea.it.view(tea.now)["fields"]) == [1, 2]
    with pytest.raises(CommandRefused, match="No field can come any more"):
        tea.do("spin")
    assert tea.do("all_back").do("spin").said == "spinning"


def test_like_fields_are_no_neighbours_on_the_wheel() -> None:
    tea = Tea((("tea", "1"), ("tea", "1"), ("song", "1"), ("song", "1"), ("biscuit", "1"), ("biscuit", "1")))
    words = [one.words for one in tea.it.fields]
    assert all(words[at] != words[at - 1] for at in range(6))


def test_letters_that_cannot_be_read_on_their_field_are_told() -> None:
    tea = Tea().do("add_item", words="pale", weight="1", colour="#F1DDB0", letters="#FFFFFF")
    assert tea.it.view(tea.now)["problems"] == [
        "“pale” has #FFFFFF text on #F1DDB0: contrast 1.3; at least 4.5 is needed."
    ]


@given(st.integers(0, 0xFFFFFF))
def test_letters_without_a_colour_of_their_own_can_always_be_read(number: int) -> None:
    own = f"#{number:06X}"
    assert contrast(rgb(readable_on(own)), rgb(own)) >= 4.5


# What follows, and what is kept


def test_chat_the_scene_a_cue_and_a_sound_follow_and_make_no_sense_later() -> None:
    tea = Tea(chat="chat", scene="Wheel", tells_seal="yes")
    for item in list(tea.runner.items):
        tea.do("change_item", item=item.id, cue="big_gift", chat="{who} has {field} ({chance})")
    begun, landed, sealed = tea.do("owe", who="ana").do("spin", who="ana").wait(20)
    assert [(one.kind, one.target) for one in begun.effects] == [("scene", "Wheel")]
    kinds = [(one.kind, one.target, one.delay_s) for one in landed.effects]
    assert kinds == [("sound", "tea", 0), ("press", "big_gift", 0), ("say", "chat", 0), ("scene_back", "Wheel", 8)]
    spin = tea.it.spin
    assert spin is not None
    chance = "9.1 %" if spin.field.words == "the cold kettle" else "30.3 %"
    assert landed.effects[2].data["line"] == f"ana has {spin.field.words} ({chance})"
    assert sealed.effects[0].data["line"] == f"Wheel of tea, spin 2: the secret's SHA-256 is {tea.tells('hash')[0]}"
    assert landed.effects[2].too_late(spin.lands_at + timedelta(minutes=3))


def test_killed_in_mid_spin_the_result_stands_and_is_told_once() -> None:
    tea = Tea(chat="chat").do("spin")
    tea.wait(2)
    spin = tea.it.spin
    stored = json.loads(json.dumps(tea.runner.saved()))
    tea.runner = Runner(tea.setup, Almanac(), tea.now)
    tea.runner.restore(stored)
    told = tea.wait(30)
    assert [one.type for one in told] == ["tea.landed", "tea.sealed"]
    assert (told[0].data["field"], tea.it.spin) == (spin.field.words if spin else "", spin)
    assert tea.wait(60) == []


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10**9))
def test_a_wheel_read_again_from_the_log_or_restored_is_the_same(seed: int) -> None:
    chance = random.Random(seed)
    tea = Tea(seed=seed, when_1="gift", turn_s="3", hold_s="2", word="!spin")
    for _ in range(chance.randrange(30)):
        name = chance.choice(
            ["spin", "spin", "spin", "owe", "try_it", "put_away", "drop_waiting", "gift", "wait", "goes"]
        )
        try:
            if name == "gift":
                tea.hear("gift", {"name": chance.choice(["ana", "bolt"]), "amount": 3})
            elif name == "wait":
                tea.wait(chance.uniform(0, 9))
            elif name == "goes":
                tea.do("change_item", item=chance.choice(tea.runner.items).id, goes="yes")
            else:
                tea.do(name, who=chance.choice(["", "ana", "next"]))
        except Invalid:
            continue
    tea.wait(40)
    again = Runner(tea.setup, Almanac(), T0)
    for event in tea.log:
        again.take(event, tea.now)
    restored = Runner(tea.setup, Almanac(), T0)
    restored.restore(json.loads(json.dumps(tea.runner.saved())))
    assert again.instrument.read(tea.now) == restored.instrument.read(tea.now) == tea.it.read(tea.now)
    assert restored.saved() == tea.runner.saved()


# The turning, and what is to be expected


@settings(max_examples=200, deadline=None)
@given(st.lists(st.sampled_from([0, 1, 300_000, 1_000_000, 10**15]), min_size=2, max_size=60), st.integers(0, 10**9))
def test_it_lands_where_it_was_drawn_within_the_field_and_never_goes_backwards(weights: list[int], seed: int) -> None:
    chance = random.Random(seed)
    if not sum(weights):
        weights[0] = 1
    came = chance.choice([at for at, one in enumerate(weights) if one])
    clockwise = chance.random() < 0.5
    within = chance.uniform(0.12, 0.88)
    turn = turned(
        tuple(weights), came, within, chance.uniform(-9, 9), chance.randrange(1, 20), chance.uniform(2, 60), clockwise
    )
    share = weights[came] / sum(weights)
    if share > 1e-9:
        # A field as narrow as a millionth of a millionth is lost in what a number can hold, and in any picture.
        assert under_pointer(turn.edges, turn.end) == came
    steps = [after[1] - before[1] for before, after in zip(turn.line, turn.line[1:], strict=False)]
    assert min(steps if clockwise else [-one for one in steps]) >= -2e-6
    assert (turn.line[0][0], turn.line[-1][0]) == (0.0, 1.0)


def test_it_lands_well_within_its_field() -> None:
    chance = random.Random(9)
    found = [place_within(chance.randbytes(32), number) for number in range(2_000)]
    assert 0.12 <= min(found) < 0.13
    assert 0.87 < max(found) <= 0.88


def test_it_turns_as_often_around_as_was_wished() -> None:
    turn = turned((1, 1, 1, 1), 0, 0.5, 0.0, 5, 8.0, True)
    # The middle of the first quarter is an eighth of the way around: seven eighths on, it lies at the top.
    assert turn.end == pytest.approx(5.875)
    assert turned((1, 1, 1, 1), 0, 0.5, 0.0, 5, 8.0, False).end == pytest.approx(-5.125)
    assert edges_of((1, 0, 3)) == (0.25, 0.25, 1.0)


def test_what_is_to_be_expected_where_the_weights_changed() -> None:
    quarter, half = Fraction(1, 4), Fraction(1, 2)
    assert expected_of([(20, quarter)]) == Expected(5.0, 2, 9)
    # Ten of one in four and ten of one in two: 7.5 on average, spread by the root of 4.375, 2.1.
    mixed = expected_of([(10, quarter), (10, half)])
    assert (mixed.mean, mixed.low, mixed.high) == (7.5, 4, 12)
    many = expected_of([(500, quarter), (500, half)])
    assert (many.mean, many.low, many.high) == (375.0, 346, 404)
    assert expected_of([]) == Expected(0.0, 0, 0)


def test_counts_go_on_when_the_weights_change() -> None:
    even = {"a": 1, "b": 1}
    counts = SpinCounts().with_spin(even, "a").with_spin(even, "b").with_spin({"a": 3, "b": 1}, "a")
    assert (counts.spins, counts.of("a"), len(counts.stretches)) == (3, 2, 2)
    assert counts.expected("a").mean == 1.75


def test_words_that_do_not_fit_their_field_are_told_by_the_fit_check() -> None:
    black = ["#000000", "#FFFFFF", ""]
    face = json.dumps([["short", 0.5, *black], ["a very long wording indeed", 1.0, *black]])
    choices = {"arranged": "plate", "width_px": 400, "height_px": 400, "size_px": 40, "floor_pct": 50}
    measure = lambda text, px: (len(text) * px * 0.5, px * 1.2)  # noqa: E731 - ten pixels a letter at 20 px
    # From the rim to the hole there are 0.77 of 200 px, which is 154: 15 letters.
    assert list(PIECE.fits(choices, {"face": face}, measure)) == [
        "At 20 px the field is too small for: “a very long wording indeed”."
    ]
    assert list(PIECE.fits(choices, {"face": "no face"}, measure)) == []


def test_a_draw_by_hand() -> None:
    # The value of the first spin of this secret begins with e7: 231 of 256, of three fields the last.
    assert drawn(bytes(range(32)), 1, (1_000_000,) * 3) == 2
