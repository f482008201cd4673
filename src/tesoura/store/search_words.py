"""The words by which an event can be found."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache

MAX_WORDS = 60
_WORD = re.compile(r"\w+")


@lru_cache(maxsize=8_192)
def words_in(text: str) -> tuple[str, ...]:
    """The words of a text, without case and accents: `Teacup_Ana` gives `teacup_ana`, `teacup` and `ana`."""
    found = []
    for word in _whole_words(text):
        found.append(word)
        if "_" in word:
            found += [part for part in word.split("_") if part]
    return tuple(found)


def _whole_words(text: str) -> list[str]:
    plain = unicodedata.normalize("NFKD", text).casefold()
    kept = "".join(char for char in plain if not unicodedata.combining(char))
    return [word for one in _WORD.findall(kept) if (word := one.strip("_"))]


def words_of(about: Sequence[str | None], data: Mapping[str, object]) -> str:
    """What of an event is searched: its type, source, subject and actor, and the texts and numbers in its data."""
    found: dict[str, None] = {}
    for text in (*(one or "" for one in about), *_texts(data, 0)):
        for word in words_in(text[:400]):
            found[word] = None
            if len(found) >= MAX_WORDS:
                return " ".join(found)
    return " ".join(found)


def _texts(value: object, depth: int) -> Iterator[str]:
    if isinstance(value, Mapping) and depth < 4:
        for inner in value.values():
            yield from _texts(inner, depth + 1)
    elif isinstance(value, list) and depth < 4:
        for inner in value[:20]:
            yield from _texts(inner, depth + 1)
    elif isinstance(value, str | int | float) and not isinstance(value, bool):
        yield str(value)


def asked_words(text: str) -> list[str]:
    """The words that somebody searches for."""
    return _whole_words(text)[:8]


def query(words: Sequence[str], otherwise: Mapping[str, Sequence[str]]) -> str:
    """What to ask the index for: every word by its beginning, or one of the expressions that it has `otherwise`."""
    ways = ([f'"{word}"*', *otherwise.get(word, ())] for word in words)
    return " AND ".join(f"({' OR '.join(one)})" for one in ways)


def exactly(text: str) -> str:
    """What to ask the index for: every word as it stands."""
    return " AND ".join(f'"{word}"' for word in _whole_words(text)[:8])
