"""Small rules of the core: names, values, trails, backoff, payloads."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tesoura.core.backoff import next_delay_s
from tesoura.core.forms.checks import time_before
from tesoura.core.names import closest, is_part, is_signal_name, snake, unused
from tesoura.core.signals.engine import Engine
from tesoura.core.signals.freshness import Deadlines
from tesoura.core.signals.payload import TreeNode, suggested_name, tree
from tesoura.core.signals.trails import Trail
from tesoura.core.values import Reading, Wanted, as_scalar
from tesoura.errors import InvalidField, ValueRefused

NOON = datetime(2026, 11, 26, 12, 0, tzinfo=UTC)


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("Kite friends", "kite_friends"),
        ("memberCount", "member_count"),
        ("Ünïcode – né", "unicode_ne"),
        ("3rd", "n3rd"),
        ("class", "class_"),
        ("  __x__ ", "x"),
        ("???", "value"),
        ("a" * 90, "a" * 47),
    ],
)
def test_any_text_becomes_a_name(text: str, name: str) -> None:
    assert snake(text) == name


@given(st.text())
def test_every_name_made_can_stand_in_a_formula(text: str) -> None:
    assert is_part(snake(text))


def test_names_of_signals() -> None:
    assert is_signal_name("reach.members")
    assert not is_signal_name("reach")
    assert not is_signal_name("reach.Members")
    assert not is_signal_name("reach.members.now")
    assert unused("reach", {"reach", "reach_2"}) == "reach_3"
    assert closest("reach.member", ["reach.members", "song.title"]) == "reach.members"
    assert closest("zzz", ["reach.members"]) is None


@pytest.mark.parametrize(
    ("raw", "wanted", "value"),
    [
        (5, None, 5),
        ("1284", Wanted.NUMBER, 1284),
        (" -0.5 ", Wanted.NUMBER, -0.5),
        (7, Wanted.TEXT, "7"),
        ("a\x00b", None, "ab"),
        (True, None, True),
    ],
)
def test_values_that_a_signal_can_hold(raw: object, wanted: Wanted | None, value: object) -> None:
    assert as_scalar(raw, wanted) == value


@pytest.mark.parametrize(
    ("raw", "wanted", "word"),
    [
        ("mara", Wanted.NUMBER, "is text"),
        (None, None, "null"),
        ([1], None, "a list"),
        ({}, None, "a group"),
        (float("nan"), None, "undefined"),
        (10**31, None, "30 digits"),
        (-(10**4000), None, "30 digits"),
        (float("inf"), None, "infinite"),
        ("nan", Wanted.NUMBER, "undefined"),
        (True, Wanted.NUMBER, "yes or no"),
    ],
)
def test_values_that_it_cannot(raw: object, wanted: Wanted | None, word: str) -> None:
    with pytest.raises(ValueRefused, match=word):
        as_scalar(raw, wanted)


def test_a_long_text_is_cut_with_an_ellipsis() -> None:
    text = as_scalar("x" * 5000)
    assert text == "x" * 1999 + "…"


def test_a_trail_keeps_one_point_in_five_seconds_for_ten_minutes() -> None:
    trail = Trail()
    for second in range(700):
        trail.add(NOON + timedelta(seconds=second), float(second))
    points = trail.points()
    assert len(points) == 121
    assert points[-1][1] == 699.0
    assert points[0][1] == 99.0


def test_a_trail_starts_anew_when_the_clock_was_set_back() -> None:
    trail = Trail()
    trail.add(NOON, 1.0)
    trail.add(NOON - timedelta(hours=1), 2.0)
    assert [value for _, value in trail.points()] == [2.0]


@pytest.mark.parametrize(
    ("period", "failures", "retry_after", "expected"),
    [
        (5, 0, None, 5.0),
        (5, 1, None, 10.0),
        (5, 3, None, 40.0),
        (5, 4, None, 60.0),
        (5, 99, None, 60.0),
        (300, 2, None, 300.0),
        (5, 1, 7, 10.0),
        (5, 1, 11, 11.0),
        (5, 1, 99999, 3600.0),
        (60, 0, 0, 60.0),
        (60, 1, 1, 60.0),
        (5, 9, 1, 60.0),
    ],
)
def test_backoff_doubles_to_a_minute_and_believes_retry_after(
    period: float, failures: int, retry_after: float | None, expected: float
) -> None:
    assert next_delay_s(period, failures, 0.5, retry_after) == expected


def test_jitter_is_a_tenth_either_way() -> None:
    assert next_delay_s(10, 0, 0.0) == pytest.approx(9.0)
    assert next_delay_s(10, 0, 1.0) == pytest.approx(11.0)


@pytest.mark.parametrize(
    ("typed", "expected"),
    [
        ("19:02", "2026-11-25 19:02:00"),
        ("11:59:30", "2026-11-26 11:59:30"),
        (" 9.05 ", "2026-11-26 09:05:00"),
        ("12:00", "2026-11-26 12:00:00"),
        ("12:00:01", "2026-11-25 12:00:01"),
    ],
)
def test_a_time_of_day_is_the_last_one_that_has_been(typed: str, expected: str) -> None:
    assert f"{time_before(NOON)(typed):%Y-%m-%d %H:%M:%S}" == expected


@pytest.mark.parametrize("typed", ["", "ten", "24:00", "9:4", "12:60", "12:00:75"])
def test_what_is_no_time_of_day_is_answered_with_one(typed: str) -> None:
    with pytest.raises(InvalidField, match="19:02"):
        time_before(NOON)(typed)


def leaves(node: TreeNode) -> dict[str, str]:
    found = {} if node.children else {node.path: node.shown}
    for child in node.children:
        found |= leaves(child)
    return found


def test_every_leaf_of_a_payload_knows_its_path() -> None:
    payload = {"channel": {"name": "mara_vane", "member count": 1284}, "tags": ["kites"], "none": None}
    assert leaves(tree(payload)) == {
        "channel.name": '"mara_vane"',
        'channel."member count"': "1284",
        "tags[0]": '"kites"',
        "none": "null",
    }
    assert leaves(tree([{"n": 1}])) == {"[0].n": "1"}
    assert leaves(tree(7)) == {"@": "7"}


def test_a_huge_payload_stays_a_tree_that_can_be_read() -> None:
    shown = tree({"rows": [{"n": index} for index in range(10_000)]})
    rows = shown.children[0]
    assert (len(rows.children), rows.left_out, rows.shown) == (30, 9_970, "10000 entries")
    deep: object = 1
    for _ in range(200):
        deep = [deep]
    assert tree(deep).kind == "list"


@pytest.mark.parametrize(
    ("path", "name"),
    [
        ("channel.members", "members"),
        ('a."member count"', "member count"),
        ("channels[0].total", "total"),
        ("[0]", "value"),
    ],
)
def test_a_path_suggests_a_name(path: str, name: str) -> None:
    assert suggested_name(path) == name


def test_an_earlier_look_takes_the_place_of_a_later_one() -> None:
    deadlines = Deadlines()
    deadlines.expect("script.heat", NOON + timedelta(minutes=10))
    deadlines.expect("script.heat", NOON + timedelta(seconds=3))
    deadlines.expect("script.heat", NOON + timedelta(minutes=5))
    assert deadlines.next() == NOON + timedelta(seconds=3)
    assert list(deadlines.passed(NOON + timedelta(seconds=3))) == ["script.heat"]
    assert deadlines.next() is None


def test_a_value_that_must_come_sooner_is_late_sooner() -> None:
    engine = Engine()
    for fresh_for_s in (600.0, 3.0):
        engine.set_value(Reading("script.heat", 21, NOON), "script", None, fresh_for_s, NOON)
    assert engine.next_change() == NOON + timedelta(seconds=3)
    engine.tick(NOON + timedelta(seconds=3))
    signal = engine.signal("script.heat", NOON + timedelta(seconds=3))
    assert signal is not None
    assert signal.freshness.value == "late"
