"""Keys in texts: finding what nobody else should read, and covering it.

A key is told by where it stands (`token=…`, `"secret": "…"`, `--password …`), by a shape that services give their keys,
or by looking drawn by lot. The first two are sure; the last is a guess, and is asked about.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote, quote_plus

COVER = "••••••••"
LEAST = 8
"""A known secret shorter than this is not looked for: it would be found in what is none."""

KEY_NAMES = (
    "(?:(?:api|access|auth|client|private|secret|refresh|signing|stream|app|session)[_-]?)?"
    "(?:key|token|secret|password|passwd|pwd|passphrase|auth|authorization|credentials?|signature|sig)"
)
"""What keys are called where their value follows."""
SHAPED = r"whsec_[A-Za-z0-9+/=]{16,}|(?:sk|pk|tes|ghp|xox[a-z])[_-][A-Za-z0-9_-]{16,}|eyJ[A-Za-z0-9_.-]{16,}"
"""The shapes that services give their keys."""
_NAMED = re.compile(
    rf"""(?:(?<![a-z]){KEY_NAMES}["']?\s{{0,3}}[=:]|(?<![a-z-])--?{KEY_NAMES}\s)
        \s{{0,3}}["']?(?:bearer\s|basic\s)?(?P<key>[^\s"'&#,;<>{{}}]{{6,200}})""",
    re.IGNORECASE | re.VERBOSE,
)
_SHAPED = re.compile(
    rf"\b(?P<key>{SHAPED}"
    r"|(?<=[Bb]earer )[A-Za-z0-9._~+/-]{12,})"
)
_IN_ADDRESS = re.compile(r"://[^/\s:@]*:(?P<key>[^/\s@]+)@")
_RUN = re.compile(r"[A-Za-z0-9_-]{16,}")
_TURN = re.compile(r"(?<=[0-9])(?=[A-Za-z])|(?<=[A-Za-z])(?=[0-9])")
_HEX = re.compile(r"[0-9a-f]{24,}", re.IGNORECASE)
MOST_TURNS_OF_WORDS = 2


@dataclass(frozen=True, slots=True)
class Found:
    """A key in a text, by the place of its characters; `sure` when it can hardly be anything else."""

    start: int
    end: int
    sure: bool


def keys_in(text: str, known: Iterable[str] = ()) -> list[Found]:
    """All that looks like a key in a text, and the known secrets, in their order; none lie in each other."""
    found = [
        *(Found(at, at + len(one), True) for one in known for at in _places(text, one)),
        *(Found(*match.span("key"), True) for match in _SHAPED.finditer(text)),
        *(Found(*match.span("key"), True) for match in _IN_ADDRESS.finditer(text)),
        *(
            Found(*match.span("key"), _no_word(match["key"]))
            for match in _NAMED.finditer(text)
            if not match["key"].lower().startswith(("http", "your", "put-your"))
        ),
        *(Found(*match.span(), False) for match in _RUN.finditer(text) if _drawn(match[0])),
    ]
    return list(_apart(sorted(found, key=lambda one: (one.start, -one.end, not one.sure))))


def _places(text: str, part: str) -> Iterator[int]:
    at = text.find(part) if part else -1
    while at >= 0:
        yield at
        at = text.find(part, at + len(part))


def _no_word(value: str) -> bool:
    """Whether a value is hardly a word: `key=members` names a column, `key=Zk93mPq2` opens a door."""
    return len(value) >= 16 or (len(value) >= LEAST and any(char.isdigit() for char in value))


def _drawn(run: str) -> bool:
    """Whether letters and digits follow each other as only chance lets them, as in `3f2b8c9a1d4e4f5a`."""
    return len(_TURN.findall(run)) > MOST_TURNS_OF_WORDS or bool(_HEX.fullmatch(run) and _TURN.search(run))


def _apart(found: Sequence[Found]) -> Iterator[Found]:
    last: Found | None = None
    for one in found:
        if last is None or one.start >= last.end:
            if last is not None:
                yield last
            last = one
        else:
            last = Found(last.start, max(last.end, one.end), last.sure or one.sure)
    if last is not None:
        yield last


def covered(text: str, found: Iterable[Found], by: str = COVER) -> str:
    """The text with something else where keys stood."""
    parts, at = [], 0
    for one in found:
        parts += [text[at : one.start], by]
        at = one.end
    return "".join([*parts, text[at:]])


def known_in(secrets: Mapping[str, str]) -> tuple[str, ...]:
    """What to look for of a feed's secrets, the longest first, so that none is covered in part.

    Each as it is and as addresses write it; of one written as JSON its parts too.
    """
    whole = {leaf for one in secrets.values() for leaf in _leaves(one)}
    ways = {way for one in whole if len(one) >= LEAST for way in (one, quote(one, safe=""), quote_plus(one))}
    return tuple(sorted(ways, key=lambda one: (-len(one), one)))


def _leaves(secret: str) -> Iterator[str]:
    yield secret
    if secret.startswith("{"):
        try:
            inside = json.loads(secret)
        except ValueError:
            return
        yield from (value for value in inside.values() if isinstance(value, str))


def cover_known(text: str, known: Iterable[str]) -> str:
    """The text without the secrets that are known."""
    for one in known:
        text = text.replace(one, COVER)
    return text


def cover_all(value: Any, known: Sequence[str]) -> Any:
    """A payload without the secrets that are known, in whatever text of it they stand; itself when there are none."""
    if isinstance(value, str):
        return cover_known(value, known)
    if isinstance(value, dict):
        return {
            cover_known(key, known) if isinstance(key, str) else key: cover_all(one, known)
            for key, one in value.items()
        }
    if isinstance(value, list | tuple):
        return type(value)(cover_all(one, known) for one in value)
    return value
