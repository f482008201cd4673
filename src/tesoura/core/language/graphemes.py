"""Letters as people see them: one with its accents, an emoji with its parts, a flag of two letters.

After the extended grapheme clusters of Unicode (UAX #29), as far as the standard library's tables carry.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator

_JOINER = "\u200d"
_L, _V, _T = range(0x1100, 0x1160), range(0x1160, 0x11A8), range(0x11A8, 0x1200)
_SYLLABLES = range(0xAC00, 0xD7A4)


def graphemes(text: str) -> Iterator[str]:
    """The letters of a text, each with all that belongs to it."""
    start, flags = 0, 0
    for at in range(1, len(text) + 1):
        if at < len(text):
            flags = flags + 1 if _is_flag(text[at - 1]) else 0
            if _goes_on(text[at - 1], text[at], flags):
                continue
        yield text[start:at]
        start = at


def count(text: str) -> int:
    """How many letters a text has."""
    return len(text) if text.isascii() else sum(1 for _ in graphemes(text))


def shortened(text: str, most: int, end: str = "…") -> str:
    """A text of at most so many characters that ends between two letters; one that was longer ends in `end`."""
    if len(text) <= most:
        return text
    kept = ""
    for letter in graphemes(text):
        if len(kept) + len(letter) > most - len(end):
            break
        kept += letter
    return kept.rstrip() + end


def _is_flag(char: str) -> bool:
    return "\U0001f1e6" <= char <= "\U0001f1ff"


def _extends(char: str) -> bool:
    if char < "\u0300":
        return False
    return (
        unicodedata.category(char) in ("Mn", "Me", "Mc")
        or char in (_JOINER, "\u200c")
        or "\U0001f3fb" <= char <= "\U0001f3ff"
        or "\U000e0020" <= char <= "\U000e007f"
    )


def _goes_on(before: str, after: str, flags: int) -> bool:
    """Whether there is no border between two characters; `flags` is how many letters of flags end with the first."""
    if before.isascii() and after.isascii():
        return before == "\r" and after == "\n"
    if _extends(after):
        return True
    if before == _JOINER:
        return unicodedata.category(after) == "So"
    if _is_flag(before) and _is_flag(after):
        return flags % 2 == 1
    one, two = ord(before), ord(after)
    if one in _L:
        return two in _L or two in _V or two in _SYLLABLES
    open_syllable = one in _SYLLABLES and (one - 0xAC00) % 28 == 0
    if one in _V or open_syllable:
        return two in _V or two in _T
    return (one in _T or one in _SYLLABLES) and two in _T
