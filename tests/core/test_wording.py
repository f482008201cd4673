"""Wording and the way numbers are written."""

import pytest

from tesoura.core.language.numbers import ENGLISH, CompactStep, NumberStyle, compact, formatter
from tesoura.core.language.scope import Scope
from tesoura.core.language.wording import compile_wording
from tesoura.core.values import Scalar
from tesoura.errors import FormatError, FormulaError

VALUES: dict[str, Scalar] = {
    "reach.members": 1284,
    "run.left": 245,
    "rate.kd": 2.25,
    "song.title": "Paper Weather",
    "m.zero": 0,
}
SCOPE = Scope(VALUES)
GERMAN = NumberStyle(decimal=",", group=".")
INDIAN = NumberStyle(groups=(3, 2))


def said(source: str, scope: Scope = SCOPE) -> str | None:
    return compile_wording(source).render(scope).text


@pytest.mark.parametrize(
    ("source", "expected"),
    [
        ("{reach.members:,} kite friends", "1,284 kite friends"),
        ("{reach.members}", "1284"),
        ("{reach.members:>8,}|", "   1,284|"),
        ("{reach.members:06}", "001284"),
        ("{reach.members:compact}", "1.3K"),
        ("{run.left:clock}", "4:05"),
        ("{3845:clock} {9:clock} {-5:clock}", "1:04:05 0:09 -0:05"),
        ("{12:signed} {-3:signed} {0:signed} {1234.5:signed}", "+12 -3 0 +1,234.5"),
        ("{rate.kd:.1f} {rate.kd}", "2.3 2.25"),
        ("{0.5:.0%}", "50%"),
        ("{2.0} {1/3}", "2 0.33"),
        ("{song.title:upper}", "PAPER WEATHER"),
        ("{song.title:.5}", "Paper"),
        ("{{braces}} stay", "{braces} stay"),
        ("{'a: b'} {'}' if m.zero else '{'}", "a: b {"),
        ("{m.zero} cuts", "0 cuts"),
        ("{m.zero == 0}", "yes"),
        ("no field at all", "no field at all"),
        ("two\nlines", "two\nlines"),
    ],
)
def test_a_wording_says(source: str, expected: str) -> None:
    assert said(source) == expected


def test_numbers_are_written_as_the_locale_does() -> None:
    scope = Scope({"a.b": 1234567.5}, GERMAN)
    assert said("{a.b:,.1f} {a.b:.2f}", scope) == "1.234.567,5 1234567,50"
    assert said("{1234567:,}", Scope({}, INDIAN)) == "12,34,567"


@pytest.mark.parametrize(
    ("value", "expected"),
    [
        (0, "0"),
        (999, "999"),
        (999.96, "1K"),
        (1000, "1K"),
        (1049, "1K"),
        (1050, "1.1K"),
        (9950, "10K"),
        (12_499, "12K"),
        (999_499, "999K"),
        (999_500, "1M"),
        (1_250_000, "1.3M"),
        (-1284, "-1.3K"),
    ],
)
def test_compact_numbers(value: float, expected: str) -> None:
    assert compact(value, ENGLISH) == expected


def test_compact_numbers_use_the_locales_own_steps() -> None:
    style = NumberStyle(decimal=",", group=".", compact=(CompactStep(1_000_000, 1_000_000, "", " Mio."),))
    assert compact(1284, style) == "1284"
    assert compact(1_250_000, style) == "1,3 Mio."


def test_missing_is_said_and_is_not_zero() -> None:
    rendered = compile_wording("{reach.viewers:,} watching").render(SCOPE)
    assert (rendered.text, rendered.missing, rendered.problem) == (None, "reach.viewers", None)


def test_a_division_by_zero_is_said_with_its_column() -> None:
    rendered = compile_wording("K/D {run.left / m.zero:.1f}").render(SCOPE)
    assert rendered.text is None
    assert rendered.problem == "Column 17: division by zero."


def test_a_format_that_does_not_go_with_the_value_is_said() -> None:
    assert compile_wording("{song.title:,}").render(SCOPE).problem == (
        "Column 2: The format “,” can't be used with text."
    )
    assert "formats numbers" in str(compile_wording("{song.title:clock}").render(SCOPE).problem)


@pytest.mark.parametrize(
    ("source", "column", "word"),
    [
        ("{reach.members", 1, "this brace is not closed"),
        ("kites} fly", 6, "a closing brace has no opening brace"),
        ("{reach.members {", 16, "inside another"),
        ("We are {}", 9, "the formula is empty"),
        ("We are {reach.members +}", 24, "the formula is incomplete"),
        ("We are {members}", 9, "feed.field"),
        ("{reach.members:wat}", 16, "“wat” is not a format"),
        ("{reach.members:>500}", 16, "At most 100 wide"),
        ("{reach.members:.99f}", 16, "12 decimals"),
        ("{reach.members!r}", 15, "is not allowed here"),
        ("x" * 1001, 1001, "1,001 characters"),
    ],
)
def test_what_cannot_be_worded_says_where(source: str, column: int, word: str) -> None:
    with pytest.raises(FormulaError) as caught:
        compile_wording(source)
    assert word in str(caught.value)
    assert caught.value.column == column


@pytest.mark.parametrize(
    ("source", "digits", "expected"),
    [
        ("{reach.members:,} kite friends", 1, "12,840 kite friends"),
        ("{reach.members:,} kite friends", 2, "128,400 kite friends"),
        ("{m.zero} cuts", 2, "100 cuts"),
        ("{song.title}", 3, "Paper Weather"),
    ],
)
def test_growth_adds_digits_in_front_of_the_point(source: str, digits: int, expected: str) -> None:
    assert compile_wording(source).render(SCOPE, digits).text == expected


def test_unknown_formats_offer_the_known_ones() -> None:
    with pytest.raises(FormatError, match="compact, clock, signed"):
        formatter("sparkle")


def test_only_a_signal_as_it_is_may_be_longer_than_words() -> None:
    scope = Scope({"wheel.face": "x" * 50_000})
    for source, most in (
        ("{wheel.face}", 50_000),
        (" {wheel.face}", 2_000),
        ("{join(wheel.face, wheel.face)}", 2_000),
        ("{wheel.face}{wheel.face}", 2_000),
        ("{coalesce(wheel.face, 1)}", 50_000),
        ("{coalesce(gone.face, wheel.face)}!", 2_000),
    ):
        said = compile_wording(source).render(scope).text
        assert said is not None
        assert len(said) == most, source
        assert compile_wording(source).say(scope) == said
