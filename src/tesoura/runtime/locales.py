"""Locale data for the core, read from Babel: how numbers are written and which plural form goes with one."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from functools import lru_cache

from babel import Locale, UnknownLocaleError, default_locale

from tesoura.core.language.numbers import CompactStep, NumberStyle

DEFAULT = "en"
OFFERED = (
    "cs", "da", "de", "en", "en_GB", "en_IN", "es", "et", "fi", "fr", "hr", "hu", "it", "ja", "ko", "lt", "lv", "nb",
    "nl", "pl", "pt_BR", "pt_PT", "ro", "sk", "sl", "sv", "tr", "uk", "vi", "zh_Hans",
)  # fmt: skip


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
    return NumberStyle(
        decimal=symbols.get("decimal", "."),
        group=symbols.get("group", ","),
        groups=tuple(pattern.grouping) if 0 < pattern.grouping[1] < 10 else (3, 3),
        compact=tuple(_compact_steps(locale)),
        plural_category=_plural(locale),
    )


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
