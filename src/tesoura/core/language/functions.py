"""The functions a formula may call. What is not in this table cannot be called."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from tesoura.core.language.graphemes import graphemes
from tesoura.core.language.numbers import NumberStyle, plain, rounded
from tesoura.core.values import Scalar


class Undefined(ArithmeticError):
    """A formula that reads well has no result for the present values, such as a division by zero.

    `column` is where in the source, counted from 1; 0 when not known.
    """

    def __init__(self, message: str, column: int = 0) -> None:
        super().__init__(message)
        self.message = message
        self.column = column


@dataclass(frozen=True, slots=True)
class Function:
    """One function: how it is called, what for, how many arguments, and what computes it.

    `run` gets the number style and the arguments. With `lazy`, the formula evaluates the arguments itself, one by
    one, because some of them may be missing.
    """

    usage: str
    meaning: str
    least: int
    most: int
    run: Callable[[NumberStyle, list[Scalar]], Scalar]
    lazy: bool = False


def numbers(arguments: list[Scalar]) -> list[int | float]:
    """The arguments, when all of them are numbers; Undefined otherwise."""
    for value in arguments:
        if isinstance(value, str):
            raise Undefined(f"“{value[:40]}” is text; a number is needed here")
    return [value for value in arguments if not isinstance(value, str)]


def _round(_: NumberStyle, arguments: list[Scalar]) -> Scalar:
    value, *digits = numbers(arguments)
    places = int(digits[0]) if digits else 0
    if not 0 <= places <= 12:
        raise Undefined("round takes 0 to 12 decimals")
    if isinstance(value, float) and not math.isfinite(value):
        raise Undefined("round needs a finite number")
    result = rounded(value, places)
    return int(result) if places == 0 else float(result)


def _clamp(_: NumberStyle, arguments: list[Scalar]) -> Scalar:
    value, low, high = numbers(arguments)
    if low > high:
        raise Undefined(f"clamp has its limits reversed: {plain(low)} is above {plain(high)}")
    return max(low, min(high, value))


def _pct(_: NumberStyle, arguments: list[Scalar]) -> Scalar:
    part, whole = numbers(arguments)
    if whole == 0:
        raise Undefined("pct can't divide by a whole of 0")
    return 100 * part / whole


def _plural(style: NumberStyle, arguments: list[Scalar]) -> Scalar:
    [count] = numbers(arguments[:1])
    forms = [plain(form, style) for form in arguments[1:]]
    category = style.plural_category(count)
    if len(forms) == len(style.plural_forms):
        # One for each that the language has, in their order: in Slovenian for 1, for 2, for 3, for 5.
        order = style.plural_forms
    else:
        order = {2: ("one", "other"), 3: ("one", "few", "other")}.get(len(forms), ("one", "few", "many", "other"))
        category = "few" if category == "two" and "two" not in order and "few" in order else category
    return forms[order.index(category)] if category in order else forms[-1]


def _join(style: NumberStyle, arguments: list[Scalar]) -> Scalar:
    return "".join(plain(value, style) for value in arguments)


def _has(style: NumberStyle, arguments: list[Scalar]) -> Scalar:
    whole, part = (plain(value, style).casefold() for value in arguments)
    return part in whole


def _ordinal(style: NumberStyle, arguments: list[Scalar]) -> Scalar:
    [number] = numbers(arguments)
    return style.ordinal(number).replace("{n}", plain(number, style))


def _names(style: NumberStyle, arguments: list[Scalar]) -> Scalar:
    names = [name for name in plain(arguments[0], style).split("\n") if name]
    most = int(numbers(arguments[1:2])[0]) if len(arguments) > 1 else len(names)
    total = int(numbers(arguments[2:3])[0]) if len(arguments) > 2 else len(names)
    if most < 1:
        raise Undefined("names shows at least one name")
    shown = names[:most]
    more = max(total, len(names)) - len(shown)
    if more > 0:
        return style.more.replace("{n}", str(more)).replace("{names}", style.separator.join(shown))
    return style.conjunction.join([style.separator.join(shown[:-1]), shown[-1]] if len(shown) > 1 else shown)


def _cut(style: NumberStyle, arguments: list[Scalar]) -> Scalar:
    text, most = plain(arguments[0], style), int(numbers(arguments[1:])[0])
    if most < 1:
        raise Undefined("cut keeps at least one character")
    letters = list(graphemes(text)) if len(text) > most else []
    return text if len(letters) <= most else f"{''.join(letters[: most - 1]).rstrip()}…"


def _line(style: NumberStyle, arguments: list[Scalar]) -> Scalar:
    lines, number = plain(arguments[0], style).split("\n"), int(numbers(arguments[1:])[0])
    if not 1 <= number <= len(lines):
        raise Undefined(f"there is no line {number}")
    return lines[number - 1]


FUNCTIONS: Mapping[str, Function] = {
    "abs": Function("abs(n)", "the absolute value", 1, 1, lambda _, a: abs(numbers(a)[0])),
    "ceil": Function("ceil(n)", "rounds up", 1, 1, lambda _, a: math.ceil(numbers(a)[0])),
    "clamp": Function("clamp(n, low, high)", "the number, limited to a range", 3, 3, _clamp),
    "coalesce": Function("coalesce(a, b, …)", "the first available value", 1, 8, lambda _, a: a[0], lazy=True),
    "cut": Function("cut(text, n)", "the text, shortened to n characters with …", 2, 2, _cut),
    "floor": Function("floor(n)", "rounds down", 1, 1, lambda _, a: math.floor(numbers(a)[0])),
    "has": Function("has(text, word)", "yes if the text contains the word", 2, 2, _has),
    "join": Function("join(a, b, …)", "joins texts and numbers", 1, 8, _join),
    "line": Function("line(text, n)", "the n-th line of a text", 2, 2, _line),
    "known": Function("known(a)", "yes if there is a value, else no", 1, 1, lambda _, a: True, lazy=True),
    "max": Function("max(a, b, …)", "the largest", 1, 8, lambda _, a: max(numbers(a))),
    "min": Function("min(a, b, …)", "the smallest", 1, 8, lambda _, a: min(numbers(a))),
    "names": Function("names(list, n, total)", "a list such as Ana, Bolt and 3 more", 1, 3, _names),
    "ordinal": Function("ordinal(n)", "the number as 1st, 2nd", 1, 1, _ordinal),
    "pct": Function("pct(part, whole)", "the part as a percentage of the whole", 2, 2, _pct),
    "plural": Function("plural(n, one, many)", "singular or plural for a number", 3, 7, _plural),
    "round": Function("round(n, decimals)", "rounds to that many decimals", 1, 2, _round),
}
