"""The wheel: a draw that can be checked, exact chances, like fields apart, and what counts are to be expected."""

from __future__ import annotations

import hashlib
import hmac
import random
from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tesoura.core.wheel.draw import SpinRecord, chances, drawn, hash_of, problem_of, weight
from tesoura.core.wheel.expected import Expected, expected
from tesoura.core.wheel.order import spread, touching, unavoidable
from tesoura.errors import InvalidField

SECRET = bytes(range(32))
EVEN = (1_000_000,) * 4


def test_rarity_is_size() -> None:
    weights = [*[weight("1")] * 9, weight("0.3")]
    assert chances(weights)[-1] == Fraction(3, 93)
    assert f"{float(chances(weights)[-1]):.1%}" == "3.2%"


@pytest.mark.parametrize(
    ("typed", "millionths"),
    [("1", 1_000_000), ("0,3", 300_000), ("0", 0), ("1e9", 10**15), (".001", 1_000), (2, 2_000_000)],
)
def test_weights_are_read_exactly(typed: object, millionths: int) -> None:
    assert weight(typed) == millionths


@pytest.mark.parametrize("typed", ["-1", "nan", "inf", "", "x", "1e10", "0.0000001", "-0.3"])
def test_what_is_no_weight_is_refused(typed: str) -> None:
    with pytest.raises(InvalidField):
        weight(typed)


def test_a_wheel_of_which_nothing_can_come_is_refused() -> None:
    with pytest.raises(InvalidField, match="Give at least one field a weight"):
        drawn(SECRET, 1, (0, 0))


def test_the_draw_follows_from_the_secret_the_number_and_the_weights_as_it_is_written() -> None:
    # The sum as the words have it, with the numbers' own tools.
    for number in range(1, 60):
        value = int(hmac.new(SECRET, b"spin %d" % number, hashlib.sha256).hexdigest(), 16)
        weights = (1_000_000, 300_000, 0, 700_000)
        place = value * 2_000_000 // 2**256
        wanted = 0 if place < 1_000_000 else 1 if place < 1_300_000 else 3
        assert drawn(SECRET, number, weights) == wanted
    # This one by hand: the first spin's value begins with e7, which is 231 of 256, in the last quarter.
    assert hmac.new(SECRET, b"spin 1", hashlib.sha256).hexdigest()[:2] == "e7"
    assert drawn(SECRET, 1, EVEN) == 3


def test_a_spin_can_be_checked_by_anybody() -> None:
    came = drawn(SECRET, 7, EVEN)
    told = SpinRecord(hash_of(SECRET), SECRET.hex(), 7, EVEN, came)
    assert problem_of(told) is None
    wrong = (came + 1) % 4
    assert problem_of(replace(told, came=wrong)) == (
        f"By the secret, field {came + 1} had to come, and not field {wrong + 1}."
    )
    assert "not the one whose hash" in str(problem_of(replace(told, secret=bytes(32).hex())))
    assert "hexadecimal" in str(problem_of(replace(told, secret="tea")))
    assert "Invalid weights" in str(problem_of(replace(told, weights=(-1, 2))))


def test_draws_come_as_often_as_their_chances_say() -> None:
    weights = (*EVEN, 300_000, 0, 2_500_000)
    counts, chance = [0] * len(weights), random.Random(11)
    spins = 40_000
    for number in range(spins):
        counts[drawn(chance.randbytes(32), number, weights)] += 1
    assert counts[5] == 0
    wanted = [float(one) * spins for one in chances(weights)]
    square = sum((had - want) ** 2 / want for had, want in zip(counts, wanted, strict=True) if want)
    # With five degrees of freedom, 20.5 is passed once in a thousand times.
    assert square < 20.5


@given(st.lists(st.integers(0, 5), min_size=2, max_size=60))
def test_like_fields_are_no_neighbours_unless_they_must(kinds: list[int]) -> None:
    order = spread(kinds)
    assert sorted(order) == list(range(len(kinds)))
    must = unavoidable(kinds)
    if must or len(set(kinds)) == 1:
        assert touching(order, kinds) <= max(must, len(kinds) if len(set(kinds)) == 1 else must)
    elif len(kinds) > 3:
        assert touching(order, kinds) == 0


def test_the_usual_range_of_a_count() -> None:
    # Twenty spins of one in four: 1 or less has 2.4 % and 9 or less 98.6 %, so 2 to 9 are usual.
    assert expected(20, Fraction(1, 4)) == Expected(5.0, 2, 9)
    assert expected(20, Fraction(1, 4)).is_usual(3)
    assert not expected(20, Fraction(1, 4)).is_usual(10)
    assert expected(0, Fraction(1, 4)) == expected(20, Fraction(0)) == Expected(0.0, 0, 0)
    assert expected(20, Fraction(1)) == Expected(20.0, 20, 20)
    # A thousand spins of the cold kettle: 32 on average, within about 1.96 times the spread of 5.6.
    rare = expected(1_000, Fraction(3, 93))
    assert (round(rare.mean, 1), rare.low, rare.high) == (32.3, 22, 44)
