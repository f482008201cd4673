"""Formulas: what they compute, what they refuse, and how they say so."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tesoura.core.language.formula import compile_formula
from tesoura.core.language.functions import Undefined
from tesoura.core.language.numbers import ENGLISH, NumberStyle
from tesoura.core.language.scope import Missing, Scope
from tesoura.core.values import Scalar
from tesoura.errors import FormulaError

VALUES: dict[str, Scalar] = {
    "match.kills": 7,
    "match.deaths": 2,
    "match.zero": 0,
    "song.title": "Paper Weather",
    "cup.final": True,
}


def result(source: str, style: NumberStyle = ENGLISH) -> Scalar:
    return compile_formula(source).evaluate(Scope(VALUES, style))


@pytest.mark.parametrize(
    ("source", "expected"),
    [
        ("match.kills / max(1, match.deaths)", 3.5),
        ("match.kills // match.deaths", 3),
        ("match.kills % 4 + 2 ** 3", 11),
        ("-match.kills + +2", -5),
        ("match.kills > 5 and match.deaths < 3", True),
        ("match.zero or match.kills", 7),
        ("not match.zero", True),
        ("0 < match.deaths <= 2", True),
        ("1 if match.kills == 7 else 2", 1),
        ("'a' + 'b'", "ab"),
        ("song.title == 'Paper Weather'", True),
        ("abs(-4)", 4),
        ("round(2.5)", 3),
        ("round(-2.5)", -3),
        ("round(2.345, 1)", 2.3),
        ("floor(2.9) + ceil(2.1)", 5),
        ("clamp(match.kills, 0, 5)", 5),
        ("pct(match.deaths, 8)", 25.0),
        ("min(3, match.deaths, 9)", 2),
        ("coalesce(match.unheard_of, match.deaths)", 2),
        ("known(match.unheard_of)", False),
        ("known(match.kills)", True),
        ("join(song.title, ' × ', match.kills)", "Paper Weather × 7"),
        ("plural(match.kills, 'cut', 'cuts')", "cuts"),
        ("plural(1, 'cut', 'cuts')", "cut"),
        ("cup.final", True),
        ("  match.kills\n + 1", 8),
    ],
)
def test_a_formula_computes(source: str, expected: Scalar) -> None:
    assert result(source) == expected


def test_plural_follows_the_locale_and_not_english() -> None:
    style = NumberStyle(plural_category=lambda number: "few" if number == 7 else "other")
    assert result("plural(match.kills, 'jeden', 'kilka', 'wiele')", style) == "kilka"


@pytest.mark.parametrize(
    ("source", "column", "word"),
    [
        ("", 1, "the formula is empty"),
        ("match.kills +", 14, "the formula is incomplete"),
        ("(match.kills", 13, "is not closed"),
        ("match.kills match.deaths", 13, "“match.deaths”"),
        ("match.kills +* 2", 14, "is not allowed here"),
        ("1 if match.kills", 17, "else"),
        ("kills", 1, "feed.field"),
        ("match.kills.more", 1, "not a signal"),
        ("1 + max", 5, "max(a, b, …)"),
        ("2 + nope(1)", 5, "“nope” is not a known function"),
        ("clamp(1)", 1, "clamp(n, low, high)"),
        ("max(1, key=2)", 1, "doesn't accept"),
        ("[1]", 1, "a list"),
        ("match['kills']", 1, "square brackets"),
        ("(lambda: 1)()", 1, "” is not a known function"),
        ("f'{1}'", 1, "an f-string"),
        ("[x for x in (1,)]", 1, "a loop"),
        ("(a := 1)", 2, "an assignment"),
        ("1 << 9", 6, "+ - * /"),
        ("~1", 1, "~"),
        ("1 in match.kills", 6, "comparison"),
        ("1e400", 1, "too large"),
        ("None", 1, "a number or a text"),
        ("x" * 501, 501, "501 characters"),
        ("(" * 60 + "1" + ")" * 60 + "+-" * 60, 1, "Expected"),
        ("-" * 40 + "1", 25, "too many nested brackets"),
    ],
)
def test_what_cannot_be_compiled_says_where_and_what_would(source: str, column: int, word: str) -> None:
    with pytest.raises(FormulaError) as caught:
        compile_formula(source)
    assert word in str(caught.value)
    if word != "Expected":
        assert caught.value.column == column


@pytest.mark.parametrize(
    "source",
    [
        "__import__('os').system('true')",
        "match.__class__",
        "match._private",
        "().__class__",
        "'x'.join('y')",
        "'{0.__class__}'.format(match.kills)",
        "open('/etc/passwd')",
        "eval('1')",
        "getattr(match, 'kills')",
        "match.kills.__init__()",
        "exec('x')",
        "globals()",
        "await match.kills",
        "*match.kills",
        "print(1)",
        "abs.__self__",
        "1 .__class__",
        "match.kills; match.deaths",
        "import os",
        "a = 1",
    ],
)
def test_no_way_out_of_the_sandbox(source: str) -> None:
    with pytest.raises(FormulaError):
        compile_formula(source)


@pytest.mark.parametrize(
    ("source", "column", "word"),
    [
        ("match.kills / match.zero", 15, "division by zero"),
        ("1 % 0", 5, "division by zero"),
        ("9 ** 65", 6, "exponent"),
        ("9 ** 64 ** 2", 6, "exponent"),
        ("10 ** 20 * 10 ** 20", 12, "the result is not a valid number"),
        ("(-8) ** 0.5", 9, "number"),
        ("song.title + 1", 14, "join(a, b)"),
        ("song.title * 9", 14, "calculation"),
        ("'%9999999d' % 5", 15, "calculation"),
        ("-song.title", 1, "text can't have a plus or minus"),
        ("song.title < 3", 14, "compared"),
        ("abs(song.title)", 1, "is text"),
        ("pct(1, 0)", 1, "divide by"),
        ("clamp(1, 5, 2)", 1, "clamp has its limits reversed:"),
        ("round(1.5, 99)", 1, "0 to 12"),
    ],
)
def test_what_has_no_result_says_where(source: str, column: int, word: str) -> None:
    with pytest.raises(Undefined) as caught:
        result(source)
    assert word in caught.value.message
    assert caught.value.column == column


def test_a_missing_signal_is_not_zero() -> None:
    with pytest.raises(Missing) as caught:
        result("match.kills + match.unheard_of")
    assert caught.value.name == "match.unheard_of"


def test_a_text_cannot_grow_without_bound() -> None:
    long = Scope({"a.b": "x" * 1500})
    with pytest.raises(Undefined, match="2,000"):
        compile_formula("a.b + a.b").evaluate(long)


def test_names_are_known_with_the_column_of_their_first_mention() -> None:
    assert compile_formula("a.b + c.d * a.b").names == {"a.b": 1, "c.d": 7}


@given(st.text(max_size=60))
def test_any_text_either_gives_a_value_or_is_refused_in_words(source: str) -> None:
    said = "a value"
    try:
        compile_formula(source).evaluate(Scope(VALUES))
    except (FormulaError, Missing, Undefined) as error:
        said = str(error)
    assert said


SMALL = st.integers(-50, 50)


@given(SMALL, SMALL, SMALL)
def test_arithmetic_agrees_with_python(a: int, b: int, c: int) -> None:
    scope = Scope({"n.a": a, "n.b": b, "n.c": c})
    assert compile_formula("(n.a + n.b) * n.c - n.a").evaluate(scope) == (a + b) * c - a
