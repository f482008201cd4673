"""Numbers as people read them: Python's format specs and a few named formats, in the user's locale.

The core knows no locale data. `NumberStyle` is the table it needs, filled at the edge.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, tzinfo
from decimal import ROUND_HALF_UP, Decimal, localcontext
from functools import lru_cache
from typing import cast

from tesoura.core.values import Scalar
from tesoura.errors import FormatError

MAX_WIDTH = 100
MAX_DECIMALS = 12
_GROUPED = re.compile(r"\d[\d,]*")


def english_plural(number: float) -> str:
    """The CLDR plural category of English: `one` for exactly 1, else `other`."""
    return "one" if number == 1 else "other"


def english_ordinal(number: float) -> str:
    """How English writes a rank, `{n}` standing for the number: `{n}st`, `{n}nd`, `{n}rd` or `{n}th`."""
    last = abs(int(number)) % 100
    return "{n}" + ("th" if 10 < last < 20 else {1: "st", 2: "nd", 3: "rd"}.get(last % 10, "th"))


def rounded(value: float, places: int) -> Decimal:
    """The nearest number with so many decimals. Halves go away from zero, of the number as it is written; no zero has a
    sign. This is the one rule of rounding, for every format and for the function `round`."""
    exact = Decimal(repr(value)) if isinstance(value, float) else Decimal(value)
    with localcontext() as context:
        context.prec = 60
        nearest = exact.quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP)
    return nearest if nearest else abs(nearest)


@dataclass(frozen=True, slots=True)
class CompactStep:
    """From `at_least` on, a number is divided by `divisor` and written between `prefix` and `suffix`."""

    at_least: int
    divisor: int
    prefix: str
    suffix: str


@dataclass(frozen=True, slots=True)
class NumberStyle:
    """How a locale writes numbers, and in which zone times are told.

    `groups` are the sizes of the last and of the further digit groups; whole parts of fewer digits than `least_grouped`
    are not grouped. `separator` and `conjunction` stand in a list, `more` is how one that is cut short is written.
    `ordinal` is how a rank is, `{n}` standing for the number. `plural_forms` are the categories that the language has.
    """

    decimal: str = "."
    group: str = ","
    groups: tuple[int, int] = (3, 3)
    compact: tuple[CompactStep, ...] = (
        CompactStep(1_000, 1_000, "", "K"),
        CompactStep(1_000_000, 1_000_000, "", "M"),
        CompactStep(1_000_000_000, 1_000_000_000, "", "B"),
    )
    plural_category: Callable[[float], str] = field(default=english_plural)
    ordinal: Callable[[float], str] = field(default=english_ordinal)
    zone: tzinfo = UTC
    separator: str = ", "
    conjunction: str = " and "
    more: str = "{names} and {n} more"
    plural_forms: tuple[str, ...] = ("one", "other")
    least_grouped: int = 4

    def localise(self, text: str) -> str:
        """Put this locale's marks where Python wrote `,` and `.`."""
        if self.group == "," and self.decimal == "." and self.groups == (3, 3) and self.least_grouped == 4:
            return text
        if self.least_grouped > 4 and "," in text:
            text = _GROUPED.sub(lambda found: self._few(found.group()), text, count=1)
        if self.groups != (3, 3) and "," in text:
            text = re.sub(r"\d[\d,]*", lambda digits: self._regroup(digits.group()), text, count=1)
        return text.translate({ord(","): self.group, ord("."): self.decimal})

    def _few(self, grouped: str) -> str:
        digits = grouped.replace(",", "")
        return digits if len(digits) < self.least_grouped else grouped

    def _regroup(self, grouped: str) -> str:
        digits = grouped.replace(",", "")
        last, further = self.groups
        head, parts = digits[:-last], [digits[-last:]]
        while head:
            parts.insert(0, head[-further:])
            head = head[:-further]
        return ",".join(parts)


ENGLISH = NumberStyle()

Formatter = Callable[[Scalar, NumberStyle], str]


def plain(value: Scalar, style: NumberStyle = ENGLISH) -> str:
    """A value without any format: whole numbers whole, others with at most two decimals, yes and no for flags."""
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int) or value.is_integer():
        return str(int(value))
    return style.localise(_trimmed(f"{rounded(value, 2):f}"))


def _trimmed(written: str) -> str:
    return written.rstrip("0").rstrip(".") if "." in written else written


def compact(value: Scalar, style: NumberStyle) -> str:
    """`1284` as `1.3K`: one decimal below ten of a unit, none from there on."""
    number = _number(value, "compact")
    size = abs(number)
    steps = (CompactStep(0, 1, "", ""), *style.compact)
    at = max(index for index, step in enumerate(steps) if step.at_least <= size)
    if at + 1 < len(steps) and _rounded(size, steps[at]) * steps[at].divisor >= steps[at + 1].at_least:
        at += 1
    step, shown = steps[at], _rounded(size, steps[at])
    digits = f"{shown:,.1f}".removesuffix(".0") if step.divisor > 1 else plain(shown)
    return f"{'-' if number < 0 and shown else ''}{step.prefix}{style.localise(digits)}{step.suffix}"


def _rounded(size: float, step: CompactStep) -> float:
    scaled = size / step.divisor
    return float(rounded(scaled, 1 if scaled < 9.95 or step.divisor == 1 else 0))


def clock(value: Scalar, style: NumberStyle = ENGLISH) -> str:
    """Seconds as `4:05`, from an hour on as `1:04:05`; seconds and inner minutes always have two digits."""
    total = _number(value, "clock")
    minutes, seconds = divmod(int(abs(total)), 60)
    hours, minutes = divmod(minutes, 60)
    sign = "-" if total <= -1 else ""
    return f"{sign}{hours}:{minutes:02}:{seconds:02}" if hours else f"{sign}{minutes}:{seconds:02}"


def signed(value: Scalar, style: NumberStyle) -> str:
    """A number with its sign always shown, grouped: `+1,284`, `-3`, and a plain `0`."""
    number = _number(value, "signed")
    shown = rounded(number, 0 if isinstance(number, int) else 2)
    return style.localise(_trimmed(f"{shown:+,f}")) if shown else "0"


def duration(value: Scalar, style: NumberStyle = ENGLISH) -> str:
    """Seconds in their two largest units: `2 d 4 h`, `1 h 4 min`, `4 min 5 s`, `12 s`."""
    seconds = _number(value, "duration")
    total, sign = int(abs(seconds)), "-" if seconds <= -1 else ""
    sizes = [(total // 86_400, "d"), (total // 3_600 % 24, "h"), (total // 60 % 60, "min"), (total % 60, "s")]
    first = next((at for at, (count, _) in enumerate(sizes) if count), 3)
    return sign + (" ".join(f"{count} {unit}" for count, unit in sizes[first : first + 2] if count) or "0 s")


def _instant(value: Scalar, name: str, style: NumberStyle, pattern: str) -> str:
    seconds = _number(value, name)
    if not -6e10 < seconds < 2.5e11:
        raise FormatError(f"“{name}” formats a time in seconds since 1970, and this number isn't one")
    return datetime.fromtimestamp(seconds, UTC).astimezone(style.zone).strftime(pattern)


def _number(value: Scalar, name: str) -> int | float:
    if isinstance(value, (str, bool)):
        raise FormatError(f"“{name}” formats numbers, but this is {'text' if isinstance(value, str) else 'yes or no'}")
    return value


NAMED: Mapping[str, tuple[Formatter, str]] = {
    "compact": (compact, "1284 → 1.3K"),
    "clock": (clock, "245 → 4:05"),
    "signed": (signed, "12 → +12"),
    "duration": (duration, "3840 → 1 h 4 min"),
    "time": (lambda value, style: _instant(value, "time", style, "%H:%M"), "1795723200 → 20:00"),
    "date": (lambda value, style: _instant(value, "date", style, "%Y-%m-%d"), "1795723200 → 2026-11-26"),
    "weekday": (lambda value, style: _instant(value, "weekday", style, "%A"), "1795723200 → Thursday"),
    "upper": (lambda value, style: plain(value, style).upper(), "mara → MARA"),
    "lower": (lambda value, style: plain(value, style).lower(), "Mara → mara"),
}
"""The formats with a name, each with an example."""

_SPEC = re.compile(
    r"(?:(?P<fill>[^{},.])?(?P<align>[<>^=]))?(?P<sign>[-+ ])?(?P<zero>0)?(?P<width>\d+)?"
    r"(?P<group>[,_])?(?:\.(?P<decimals>\d+))?(?P<type>[dfgGeE%s])?"
)


@lru_cache(maxsize=1024)
def formatter(spec: str) -> Formatter:
    """The function that writes a value by this spec: a Python format spec, or one of the named formats.

    Raises FormatError for a spec that is neither, is wider than 100 or has more than 12 decimals.
    """
    spec = spec.strip(" ") if spec.strip() in NAMED else spec
    if not spec:
        return plain
    if spec in NAMED:
        return NAMED[spec][0]
    found = _SPEC.fullmatch(spec)
    if not found:
        raise FormatError(f"“{spec}” is not a format. Use , or .1f or 0>4 as in Python, or one of: {', '.join(NAMED)}")
    if int(found["width"] or 0) > MAX_WIDTH or int(found["decimals"] or 0) > MAX_DECIMALS:
        raise FormatError(f"At most {MAX_WIDTH} wide and {MAX_DECIMALS} decimals")
    return _by_spec(spec, found)


def _by_spec(spec: str, found: re.Match[str]) -> Formatter:
    kind, decimals = found["type"] or "", found["decimals"]
    whole, bare = kind == "d", not kind and not decimals
    places = None
    if kind in ("f", "%"):
        places = int(decimals) if decimals else 6
    # Without a sign, for what is rounded to nothing.
    unsigned = spec[: found.start("sign")] + spec[found.end("sign") :] if found["sign"] == "+" else spec

    def write(value: Scalar, style: NumberStyle) -> str:
        of = value.__class__
        shown: Scalar | Decimal = value
        if of is bool:
            shown = plain(value)
        elif of is float and (whole or bare):
            number = cast("float", value)
            nearest = rounded(number, 0 if whole or number.is_integer() else 2)
            shown = int(nearest) if nearest == nearest.to_integral_value() else float(nearest)
        elif places is not None and of in (float, int):
            shown = rounded(cast("float", value), places + (2 if kind == "%" else 0))
        try:
            text = format(shown, unsigned if shown == 0 and not isinstance(shown, str) else spec)
        except ValueError:
            what = "text" if isinstance(value, str) else "a number"
            raise FormatError(f"The format “{spec}” can't be used with {what}") from None
        return style.localise(text) if of is int or of is float else text

    return write
