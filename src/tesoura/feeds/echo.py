"""A service that says a key back: it is covered before anything is made of what came."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TypeVar

from tesoura.core.chat import tidy
from tesoura.core.forms.covering import COVER, cover_all, cover_known, keys_in, known_in
from tesoura.errors import SourceError
from tesoura.feeds.api import FetchContext, Fetched

E = TypeVar("E", bound=SourceError)
LEAST_BEGUN = 4
MOST_SAID = 1_000


def without_echo(came: Fetched, context: FetchContext) -> Fetched:
    """What came, without the keys of its feed, old and renewed: they reach no page, no value, no event and no log."""
    known = (*_known(context), *known_in(came.secrets or {}))
    if came.note:
        came = replace(came, note=tidy(came.note, MOST_SAID))
    if not known:
        return came
    return replace(
        came,
        payload=cover_all(came.payload, known),
        message=cover_all(came.message, known),
        items=tuple(replace(one, data=cover_all(one.data, known)) for one in came.items),
        note=cover_known(came.note, known),
    )


def error_without_echo(error: E, context: FetchContext) -> E:
    """Cover keys in an error too. Its excerpt of the response may end in the middle of a key.

    Also remove control and bidirectional characters, which could control a terminal or reorder text on a page.
    """
    known = _known(context)
    error.args = tuple(tidy(cover_known(one, known), MOST_SAID) if isinstance(one, str) else one for one in error.args)
    if error.payload is not None:
        covered = _begun_covered(cover_known(error.payload, known), known)
        error.payload = "\n".join(tidy(one, MOST_SAID) for one in covered.splitlines())
    return error


def _known(context: FetchContext) -> Sequence[str]:
    """A feed's secrets, and the keys that were typed where none belongs."""
    typed = context.scratch.get("hidden keys")
    if typed is None:
        texts = [one for one in context.choices.values() if isinstance(one, str)]
        keys = {f"{text}{at.start}": text[at.start : at.end] for text in texts for at in keys_in(text) if at.sure}
        typed = context.scratch["hidden keys"] = known_in(keys)
    return (*known_in(context.secrets), *typed)


def _begun_covered(text: str, known: Sequence[str]) -> str:
    begun = max(
        (length for key in known for length in range(LEAST_BEGUN, len(key)) if text.endswith(key[:length])), default=0
    )
    return text[: len(text) - begun] + COVER if begun else text
