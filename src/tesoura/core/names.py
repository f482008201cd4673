"""Names of signals: `feed.field`, each half in lower snake case and usable in a formula; and titles of things."""

from __future__ import annotations

import difflib
import keyword
import re
import unicodedata
from collections.abc import Iterable
from functools import lru_cache

MAX_PART = 48
_PART = re.compile(r"[a-z][a-z0-9_]{0,47}")


@lru_cache(maxsize=4096)
def snake(text: str, fallback: str = "value") -> str:
    """Turn any text into one half of a signal's name: `Kite friends` becomes `kite_friends`.

    Accents are dropped, words of the formula language get a trailing underscore, and a text with no usable letter
    becomes `fallback`.
    """
    spaced = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "_", text)
    plain = unicodedata.normalize("NFKD", spaced).encode("ascii", "ignore").decode()
    name = re.sub(r"[^a-z0-9]+", "_", plain.lower()).strip("_")
    if name[:1].isdigit():
        name = f"n{name}"
    name = name[: MAX_PART - 1].rstrip("_") or fallback
    return f"{name}_" if keyword.iskeyword(name) else name


def is_part(text: str) -> bool:
    """Whether the text can stand before or after the dot of a signal's name."""
    return bool(_PART.fullmatch(text)) and not keyword.iskeyword(text)


def is_signal_name(text: str) -> bool:
    """Whether the text is a whole signal name, `feed.field`."""
    feed, dot, field = text.partition(".")
    return bool(dot) and is_part(feed) and is_part(field)


def unused(name: str, taken: Iterable[str]) -> str:
    """The name itself, or with the lowest number behind it that nobody has: `reach`, `reach_2`, `reach_3`."""
    others = set(taken)
    if name not in others:
        return name
    return next(f"{name}_{n}" for n in range(2, len(others) + 3) if f"{name}_{n}" not in others)


def free_title(taken: Iterable[str], title: str, longest: int = 190) -> str:
    """A title that is not taken; one that is gets the next number: `Twins`, `Twins 2`, `Twins 3`."""
    known = {one.casefold() for one in taken}
    found, number = title, 1
    stem, _, last = title.rpartition(" ")
    if title.casefold() in known and stem and last.isdecimal() and len(last) < 6:
        title, number = stem, int(last)
    while found.casefold() in known:
        number += 1
        found = f"{title[:longest]} {number}"
    return found


def closest(name: str, known: Iterable[str]) -> str | None:
    """The known name most like this one, or None when nothing comes near."""
    found = difflib.get_close_matches(name, list(known), n=1, cutoff=0.6)
    return found[0] if found else None
