"""Locale data for the core, read from Babel: how numbers are written and which plural form goes with one."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache

from babel import Locale, UnknownLocaleError, default_locale

from tesoura.core.language.numbers import CompactStep, NumberStyle, english_ordinal

DEFAULT = "en"
OFFERED = (
    "cs",
    "da",
    "de",
    "en",
    "en_GB",
    "en_IN",
    "es",
    "et",
    "fi",
    "fr",
    "hr",
    "hu",
    "it",
    "ja",
    "ko",
    "lt",
    "lv",
    "nb",
    "nl",
    "pl",
    "pt_BR",
    "pt_PT",
    "ro",
    "sk",
    "sl",
    "sv",
    "tr",
    "uk",
    "vi",
    "zh_Hans",
)


_CATEGORIES = ("zero", "one", "two", "few", "many", "other")
GROUPED_FROM_FIVE = frozenset({"es", "lv", "pl", "pt_PT"})
"""Where 1234 is written as it is, and 12 345 in groups (CLDR's least number of grouping digits)."""
MORE = {
    "cs": "{names} a ještě {n}",
    "da": "{names} og {n} til",
    "de": "{names} und {n} weitere",
    "en": "{names} and {n} more",
    "es": "{names} y {n} más",
    "et": "{names} ja veel {n}",
    "fi": "{names} ja {n} muuta",
    "fr": "{names} et {n} de plus",
    "hr": "{names} i još {n}",
    "hu": "{names} és még {n}",
    "it": "{names} e altri {n}",
    "ja": "{names}、ほか{n}名",
    "ko": "{names} 외 {n}명",
    "lt": "{names} ir dar {n}",
    "lv": "{names} un vēl {n}",
    "nb": "{names} og {n} til",
    "nl": "{names} en nog {n}",
    "pl": "{names} i jeszcze {n}",
    "pt": "{names} e mais {n}",
    "ro": "{names} și încă {n}",
    "sk": "{names} a ešte {n}",
    "sl": "{names} in še {n}",
    "sv": "{names} och {n} till",
    "tr": "{names} ve {n} kişi daha",
    "uk": "{names} і ще {n}",
    "vi": "{names} và {n} người khác",
    "zh": "{names}等另外{n}人",
}
"""How a list is written that is cut short."""


def _swedish(number: float) -> str:
    last = abs(int(number)) % 100
    return "{n}:a" if last % 10 in (1, 2) and last not in (11, 12) else "{n}:e"


ORDINALS: Mapping[str, Callable[[float], str]] = {
    "en": english_ordinal,
    "sv": _swedish,
    "fr": lambda number: "{n}er" if number == 1 else "{n}e",
    "nl": lambda number: "{n}e",
    "es": lambda number: "{n}.º",
    "it": lambda number: "{n}º",
    "pt": lambda number: "{n}º",
    "ja": lambda number: "{n}位",
    "ko": lambda number: "{n}위",
    "zh": lambda number: "第{n}",
    "vi": lambda number: "thứ {n}",
    "lt": lambda number: "{n}-as",
    "uk": lambda number: "{n}-й",
    "ro": lambda number: "al {n}-lea" if number != 1 else "primul",
}
"""How a rank is written; with a full stop behind it in the languages that are not here."""


def machine_locale() -> str:
    """The locale that this machine is set to, when it is one of those offered; else English."""
    wish = default_locale("LC_NUMERIC") or DEFAULT
    return next((name for name in (wish, wish.split("_")[0]) if name in OFFERED), DEFAULT)


@lru_cache(maxsize=64)
def number_style(name: str) -> NumberStyle:
    """How this locale writes numbers; English for one that does not exist."""
    try:
        locale = Locale.parse(name)
    except (UnknownLocaleError, ValueError, TypeError):
        locale = Locale.parse(DEFAULT)
    symbols = locale.number_symbols.get("latn", {})
    pattern = locale.decimal_formats[None]
    lists = locale.list_patterns["standard"]
    language = str(locale.language)
    return NumberStyle(
        decimal=symbols.get("decimal", "."),
        # Few typefaces have the narrow space; the one of ordinary width that does not break either, all have.
        group=symbols.get("group", ",").replace("\u202f", "\u00a0"),
        groups=tuple(pattern.grouping) if 0 < pattern.grouping[1] < 10 else (3, 3),
        compact=tuple(_compact_steps(locale)),
        plural_category=_plural(locale),
        plural_forms=tuple(one for one in _CATEGORIES if one in {*locale.plural_form.tags, "other"}),
        ordinal=ORDINALS.get(language, lambda number: "{n}."),
        separator=", " if language == "en" else _between(lists["middle"]),
        conjunction=_between(lists["2"]),
        more=MORE.get(name, MORE.get(language, MORE[DEFAULT])),
        least_grouped=5 if str(locale) in GROUPED_FROM_FIVE or language in GROUPED_FROM_FIVE else 4,
    )


def _between(pattern: str) -> str:
    """What stands between two in a list."""
    return pattern.partition("{0}")[2].partition("{1}")[0]


def _plural(locale: Locale) -> Callable[[float], str]:
    rule = locale.plural_form
    return lambda number: rule(int(number) if float(number).is_integer() else number)


def _compact_steps(locale: Locale) -> Sequence[CompactStep]:
    formats = locale.compact_decimal_formats["short"]["other"]
    steps: list[CompactStep] = []
    for at_least, pattern in sorted((int(key), str(value.pattern)) for key, value in formats.items()):
        found = re.search(r"0+", pattern)
        text = pattern.replace("'", "").replace("\xa4", "")
        if not found or text == "0":
            continue
        divisor = at_least // 10 ** (len(found.group()) - 1)
        prefix, suffix = re.split(r"0+", text, maxsplit=1)
        if not steps or (steps[-1].divisor, steps[-1].suffix) != (divisor, suffix):
            steps.append(CompactStep(at_least, divisor, prefix, suffix))
    return steps


def offered() -> list[tuple[str, str]]:
    """The locales to choose from, each with its own name for itself and an example."""
    choices = []
    for name in OFFERED:
        locale = Locale.parse(name)
        shown = locale.get_display_name() or name
        choices.append((name, f"{shown[:1].upper()}{shown[1:]} · {number_style(name).localise('1,234,567.8')}"))
    return sorted(choices, key=lambda choice: choice[1])
