"""How wide a text is, from a typeface's tables: advances of letters and kerning of pairs.

The tables are read elsewhere; here is the arithmetic alone. Widths are those of a page that sets even-width figures
(`tnum`), kerning, no ligatures, and exact glyph positions.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from tesoura.core.language.graphemes import count

UNKNOWN_EM = 0.6
"""The width that a letter without a typeface is taken to have, in em."""


@dataclass(frozen=True, slots=True)
class Pairs:
    """One table of kerning, in font units.

    With `exact`, a pair of code points has a value. Else the first letters that `firsts` knows and any second have the
    value of their classes; a second letter that `seconds` does not name is of class 0.
    """

    exact: Mapping[tuple[int, int], float] = field(default_factory=dict)
    firsts: Mapping[int, int] = field(default_factory=dict)
    seconds: Mapping[int, int] = field(default_factory=dict)
    values: Mapping[tuple[int, int], float] = field(default_factory=dict)

    def kern(self, first: int, second: int) -> float | None:
        """The value of a pair, or None when this table says nothing of it."""
        if self.firsts:
            group = self.firsts.get(first)
            return None if group is None else self.values.get((group, self.seconds.get(second, 0)), 0.0)
        return self.exact.get((first, second))


@dataclass(frozen=True, slots=True)
class Cut:
    """One font file at one weight: its units to an em, the advance of each code point, and kerning.

    `lookups` add up; within one, the first table that knows a pair decides.
    """

    units: int
    advances: Mapping[int, float]
    lookups: tuple[tuple[Pairs, ...], ...] = ()

    def kern(self, first: int, second: int) -> float:
        """By how much the second letter moves, in font units."""
        total = 0.0
        for tables in self.lookups:
            value = next((found for table in tables if (found := table.kern(first, second)) is not None), 0.0)
            total += value
        return total


@dataclass(frozen=True, slots=True)
class Source:
    """Where a cut comes from: the code points that it stands for, and what reads it when one of them is met."""

    ranges: tuple[tuple[int, int], ...]
    read: Callable[[], Cut]


@dataclass(slots=True)
class Face:
    """A typeface at one weight: its files, then those of the family that stands in for letters it has not."""

    sources: Sequence[Source]
    _known: dict[str, tuple[float, frozenset[str]]] = field(default_factory=dict)
    _homes: dict[int, Cut | None] = field(default_factory=dict)

    def width(self, line: str, size_px: float, letter_spacing: float = 0.0) -> float:
        """The width of one line, px. `letter_spacing` is in em and stands after each letter, the last included."""
        em, _ = self._measured(line)
        return (em + letter_spacing * (count(line) if letter_spacing else 0)) * size_px

    def missing(self, text: str) -> frozenset[str]:
        """The letters of a text that no file has."""
        found: frozenset[str] = frozenset()
        for one in text.split("\n"):
            found |= self._measured(one)[1]
        return found

    def _measured(self, line: str) -> tuple[float, frozenset[str]]:
        known = self._known.get(line)
        if known is None:
            if len(self._known) > 4_000:
                self._known.clear()
            known = self._known[line] = self._measure(line)
        return known

    def _measure(self, line: str) -> tuple[float, frozenset[str]]:
        total, missing, before = 0.0, set(), None
        # A page sets a letter and its accent as the one letter that they are, where there is one.
        for letter in map(ord, unicodedata.normalize("NFC", line)):
            cut = self._home(letter)
            if cut is None:
                missing.add(chr(letter))
                total += 0.0 if unicodedata.combining(chr(letter)) else UNKNOWN_EM
                before = None
                continue
            total += cut.advances[letter] / cut.units
            if before is not None and before[0] is cut:
                total += cut.kern(before[1], letter) / cut.units
            before = (cut, letter)
        return total, frozenset(missing)

    def _home(self, letter: int) -> Cut | None:
        if letter not in self._homes:
            self._homes[letter] = next(self._cuts_with(letter), None)
        return self._homes[letter]

    def _cuts_with(self, letter: int) -> Iterator[Cut]:
        for source in self.sources:
            if any(low <= letter <= high for low, high in source.ranges):
                cut = source.read()
                if letter in cut.advances:
                    yield cut


def as_set(text: str, capitals: str) -> Iterator[str]:
    """The lines of a text as a style sets them."""
    for line in text.split("\n"):
        yield line.upper() if capitals == "capitals" else line
