"""How numbers, names and lists are written: one rule of rounding, letters left whole, each language its own way."""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tesoura.core.computed.occurrence import name_key, name_of
from tesoura.core.computed.ranking import Ranking
from tesoura.core.language.formula import compile_formula
from tesoura.core.language.graphemes import count, graphemes, shortened
from tesoura.core.language.numbers import ENGLISH, compact, formatter, plain, signed
from tesoura.core.language.plurals import plural_wording, singular, unit_for
from tesoura.core.language.scope import Scope
from tesoura.runtime.locales import OFFERED, number_style

FAMILY = "\U0001f469\u200d\U0001f469\u200d\U0001f467"
FLAGS = "\U0001f1f5\U0001f1f9\U0001f1e7\U0001f1f7"


def run(source: str, locale: str = "en", **values: Any) -> Any:
    named = {f"a.{name}": value for name, value in values.items()}
    return compile_formula(source).run(Scope(named, number_style(locale)))


@pytest.mark.parametrize(
    ("value", "spec", "written"),
    [
        (2.675, ".2f", "2.68"),
        (0.125, ".2f", "0.13"),
        (-0.125, ".2f", "-0.13"),
        (2.5, "d", "3"),
        (0.5, ".0f", "1"),
        (-0.04, ".1f", "0.0"),
        (-0.4, ".0f", "0"),
        (-0.0, ",", "0"),
        (0, "+d", "0"),
        (0.001, "+.2f", "0.00"),
        (3, "+d", "+3"),
        (0.045, ".0%", "5%"),
        (1234567.885, ",.2f", "1,234,567.89"),
        (-0.4, "d", "0"),
        (0, "+>4", "+++0"),
    ],
)
def test_halves_go_away_from_zero_and_nothing_has_no_sign(value: float, spec: str, written: str) -> None:
    assert formatter(spec)(value, ENGLISH) == written


def test_every_format_rounds_by_the_same_rule() -> None:
    assert [plain(2.675), signed(2.675, ENGLISH), compact(1250, ENGLISH), compact(12_500, ENGLISH)] == [
        "2.68",
        "+2.68",
        "1.3K",
        "13K",
    ]
    assert [plain(-0.001), signed(-0.001, ENGLISH), compact(-0.04, ENGLISH)] == ["0", "0", "0"]
    assert (run("round(a.x, 2)", x=2.675), run("round(a.x)", x=-0.4), run("round(a.x, 1)", x=-0.25)) == (2.68, 0, -0.3)


@given(st.floats(-1e9, 1e9), st.integers(0, 6))
def test_formats_and_the_function_agree_with_school_rounding(value: float, places: int) -> None:
    wanted = Decimal(repr(value)).quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP)
    written = formatter(f".{places}f")(value, ENGLISH)
    assert Decimal(written) == wanted
    assert not (written.startswith("-") and wanted == 0)
    assert run(f"round(a.x, {places})", x=value) == pytest.approx(float(wanted), abs=1e-9)


def test_a_duration_before_zero_keeps_its_minus() -> None:
    assert [formatter("duration")(one, ENGLISH) for one in (-3_840, -0.5, 61)] == ["-1 h 4 min", "0 s", "1 min 1 s"]


@pytest.mark.parametrize(
    ("locale", "written"),
    [
        ("pl", ["1234,5", "12\u00a0345"]),
        ("es", ["1234,5", "12.345"]),
        ("pt_PT", ["1234,5", "12\u00a0345"]),
        ("pt_BR", ["1.234,5", "12.345"]),
        ("de", ["1.234,5", "12.345"]),
        ("fr", ["1\u00a0234,5", "12\u00a0345"]),
        ("en_IN", ["1,234.5", "12,345"]),
    ],
)
def test_four_digits_stand_alone_where_a_language_wants_it(locale: str, written: list[str]) -> None:
    style = number_style(locale)
    assert [formatter(",.1f")(1234.5, style), formatter(",")(12345, style)] == written


def test_slovenian_has_a_form_for_two() -> None:
    words = 'plural(a.n, "sledilec", "sledilca", "sledilci", "sledilcev")'
    assert [run(words, "sl", n=n) for n in (1, 2, 3, 5, 101, 102)] == [
        "sledilec",
        "sledilca",
        "sledilci",
        "sledilcev",
        "sledilec",
        "sledilca",
    ]
    assert [run('plural(a.n, "osoba", "osoby", "osób")', "pl", n=n) for n in (1, 3, 7)] == ["osoba", "osoby", "osób"]
    assert [run('plural(a.n, "one", "many")', "sl", n=n) for n in (1, 2)] == ["one", "many"]


@pytest.mark.parametrize(
    ("locale", "rank", "names", "both"),
    [
        ("en", "2nd", "Ana, Bolt and 2 more", "Ana and Bolt"),
        ("de", "2.", "Ana, Bolt und 2 weitere", "Ana und Bolt"),
        ("fr", "2e", "Ana, Bolt et 2 de plus", "Ana et Bolt"),
        ("sv", "2:a", "Ana, Bolt och 2 till", "Ana och Bolt"),
        ("pl", "2.", "Ana, Bolt i jeszcze 2", "Ana i Bolt"),
        ("ja", "2位", "Ana、Bolt、ほか2名", "Ana、Bolt"),
    ],
)
def test_ranks_and_lists_are_of_the_language_chosen(locale: str, rank: str, names: str, both: str) -> None:
    assert run("ordinal(a.n)", locale, n=2) == rank
    assert run("names(a.list, 2, 4)", locale, list="Ana\nBolt") == names
    assert run("names(a.list)", locale, list="Ana\nBolt") == both


def test_every_language_writes_every_kind_of_number_and_list() -> None:
    for locale in OFFERED:
        style = number_style(locale)
        assert style.plural_forms[-1] == "other"
        assert "\u202f" not in formatter(",.2f")(1234567.5, style)
        assert "3" in run("ordinal(a.n)", locale, n=3)
        assert run("names(a.list, 1, 4)", locale, list="Ana").count("3") == 1


# Letters as people see them


def test_letters_with_their_accents_flags_and_families_are_one() -> None:
    text = f"e\u0301{FAMILY}{FLAGS}한\u1100\u1161x"
    assert list(graphemes(text)) == ["e\u0301", FAMILY, FLAGS[:2], FLAGS[2:], "한", "\u1100\u1161", "x"]
    assert (count("abc"), count(FAMILY + "\u2764\ufe0f")) == (3, 2)


def test_a_text_is_cut_between_letters() -> None:
    assert shortened("ab" + FAMILY, 6) == "ab…"
    assert run("cut(a.t, 3)", t=f"a{FAMILY}bc") == f"a{FAMILY}…"
    assert run("cut(a.t, 4)", t=f"a{FAMILY}bc") == f"a{FAMILY}bc"
    assert name_of("x" * 198 + FAMILY) == "x" * 198 + "…"
    assert name_of("e\u0301" * 150) == "e\u0301" * 99 + "…"


@given(st.text(alphabet=f"ab {FAMILY}{FLAGS}\u0301\u0308\ufe0f한", max_size=30))
def test_letters_are_the_whole_text_and_no_border_is_within_a_mark(text: str) -> None:
    letters = list(graphemes(text))
    assert "".join(letters) == text
    assert not [one for one in letters[1:] if one[0] in "\u0301\u0308\ufe0f\u200d"]


def test_names_that_differ_are_different_people() -> None:
    assert name_key("Ana²") != name_key("Ana2")
    assert name_key("ANA\u0301") == name_key("aná")
    # Folding takes ΐ apart; its capital is written with one mark more or one mark less.
    assert len({name_key(one) for one in ("ΐ", "\u03aa\u0301", "Ι\u0308\u0301", "ι\u0308\u0301", "\u1fd3")}) == 1
    assert name_key("ΜΑΪ́ΡΑΣ") == name_key("μαΐρας")


def test_nothing_given_loses_no_tie() -> None:
    ranking = Ranking(by_count=False)
    for at, (name, amount) in enumerate([("ana", 5), ("bolt", 5), ("ana", 0)]):
        ranking.add(name, name, amount, (at, at))
    assert [one.shown for one in ranking.best(2)] == ["ana", "bolt"]


@pytest.mark.parametrize(
    ("many", "one"),
    [
        ("spools", "spool"),
        ("kite friends", "kite friend"),
        ("ladies", "lady"),
        ("boxes", "box"),
        ("watching", "watching"),
        ("glass", "glass"),
        ("bonus", "bonus"),
        ("people", "person"),
        ("km/h", "km/h"),
        ("s", "s"),
        ("", ""),
        ("matches", "match"),
        ("px", "px"),
        ("lives", "life"),
    ],
)
def test_one_of_a_unit_is_called_as_one_says_it(many: str, one: str) -> None:
    assert singular(many) == one
    assert unit_for(many, 1) == unit_for(many, 1.0) == one
    assert unit_for(many, 2) == unit_for(many, None) == unit_for(many, True) == many


def test_a_wording_says_a_unit_rightly_behind_its_value() -> None:
    assert plural_wording("gift.amount", "spools") == "{plural(gift.amount, 'spool', 'spools')}"
    assert plural_wording("gift.amount", "watching") == "watching"
    assert plural_wording("gift.amount", "{x}s") == "{{x}}s"
