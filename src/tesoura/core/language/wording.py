"""Wording: text with formulas in braces, `{reach.members:,} kite friends`."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from tesoura.core.language.formula import Formula, compile_formula
from tesoura.core.language.functions import Undefined
from tesoura.core.language.graphemes import shortened
from tesoura.core.language.numbers import Formatter, formatter
from tesoura.core.language.scope import Missing, Scope
from tesoura.core.values import MAX_NUMBER, MAX_TEXT
from tesoura.errors import FormatError, FormulaError

MAX_WORDING = 1_000
MAX_DRAWING = 60_000
MAX_GROWTH = 9


@dataclass(frozen=True, slots=True)
class Rendered:
    """What a wording says now.

    `text` is None when it cannot be said: a signal in `missing` has not come yet, or `problem` tells what is undefined.
    """

    text: str | None
    missing: str | None = None
    problem: str | None = None


@dataclass(frozen=True, slots=True)
class _Field:
    formula: Formula
    write: Formatter
    column: int


@dataclass(frozen=True, slots=True)
class Wording:
    """A compiled wording; `names` maps each signal it reads to the column of its first mention."""

    source: str
    parts: tuple[str | _Field, ...]
    names: Mapping[str, int]

    def say(self, scope: Scope) -> str:
        """The text for the present values. Raises Missing, Undefined or FormatError."""
        pieces = [
            part if isinstance(part, str) else part.write(part.formula.run(scope), scope.style) for part in self.parts
        ]
        return self._whole(pieces, scope)

    def render(self, scope: Scope, more_digits: int = 0) -> Rendered:
        """The text for the present values; with `more_digits`, as if every number had grown by so many digits."""
        pieces: list[str] = []
        for part in self.parts:
            if isinstance(part, str):
                pieces.append(part)
                continue
            try:
                value = part.formula.run(scope)
                if more_digits and isinstance(value, (int, float)) and not isinstance(value, bool):
                    value = grown(value, more_digits)
                pieces.append(part.write(value, scope.style))
            except Missing as error:
                return Rendered(None, missing=error.name)
            except Undefined as error:
                return Rendered(None, problem=f"Column {(error.column or 1) + part.column}: {error.message}.")
            except FormatError as error:
                return Rendered(None, problem=f"Column {part.column + 1}: {error}.")
        return Rendered(self._whole(pieces, scope))

    def _whole(self, pieces: list[str], scope: Scope) -> str:
        """A text of these; one that is a signal as it is may be a drawing, which needs more room than words."""
        whole = "".join(pieces)
        if len(whole) <= MAX_TEXT:
            return whole
        is_signal = any(scope.values.get(name) == whole for name in self.names)
        return shortened(whole, MAX_DRAWING if is_signal else MAX_TEXT)


def grown(value: int | float, digits: int) -> int | float:
    """The number with so many digits more before its point: 1284 grown by 2 is 128,400; 0 grown by 2 is 100."""
    more: int = 10 ** min(digits, MAX_GROWTH)
    return min((value or 1) * more, MAX_NUMBER)


def compile_wording(source: str) -> Wording:
    """Compile a wording. Raises FormulaError, whose column counts from the wording's start."""
    if len(source) > MAX_WORDING:
        raise FormulaError(f"the wording has {len(source):,} characters", MAX_WORDING + 1, f"at most {MAX_WORDING:,}")
    parts: list[str | _Field] = []
    names: dict[str, int] = {}
    for part in _split(source):
        if isinstance(part, _Field):
            for name, column in part.formula.names.items():
                names.setdefault(name, column + part.column)
        parts.append(part)
    return Wording(source, tuple(parts), names)


def _split(source: str) -> Iterator[str | _Field]:
    """The wording's texts and fields in turn. Doubled braces stand for one."""
    text, at = "", 0
    while at < len(source):
        char = source[at]
        if char in "{}" and source[at : at + 2] == char * 2:
            text, at = text + char, at + 2
        elif char == "}":
            raise FormulaError("a closing brace has no opening brace", at + 1, "{ before it, or }} for the mark itself")
        elif char == "{":
            if text:
                yield text
            end, colon = _field_end(source, at + 1)
            yield _field(source[at + 1 : end], colon - at - 1 if colon else None, at + 1)
            text, at = "", end + 1
        else:
            text, at = text + char, at + 1
    if text:
        yield text


def _field_end(source: str, start: int) -> tuple[int, int | None]:
    """Where the field that starts here ends, and where its colon is. Marks inside quotes and brackets do not count."""
    quote, depth, colon = "", 0, None
    for at in range(start, len(source)):
        char = source[at]
        if quote:
            quote = "" if char == quote else quote
        elif colon is None and char in "'\"":
            quote = char
        elif colon is None and char in "([":
            depth += 1
        elif colon is None and char in ")]":
            depth -= 1
        elif char == ":" and depth <= 0 and colon is None:
            colon = at
        elif char == "}":
            return at, colon
        elif char == "{":
            raise FormulaError("a brace inside another", at + 1, "} first, or {{ outside for the mark itself")
    raise FormulaError("this brace is not closed", start, "a closing }")


def _field(inside: str, colon: int | None, column: int) -> _Field:
    source = inside if colon is None else inside[:colon]
    try:
        formula = compile_formula(source)
    except FormulaError as error:
        raise error.shifted(column) from None
    try:
        write = formatter("" if colon is None else inside[colon + 1 :])
    except FormatError as error:
        raise FormulaError(str(error), column + (colon or 0) + 2, "a format such as {reach.members:,}") from None
    return _Field(formula, write, column)
