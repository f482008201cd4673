"""What a kind of feed is: a form, one fetch, and nothing else."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from tesoura.core.forms import FormField

if TYPE_CHECKING:
    import httpx


@dataclass(frozen=True, slots=True)
class Fetched:
    """What one try gave: the payload, its size in bytes and how long it took."""

    payload: object
    size_bytes: int
    took_ms: float


Fetch = Callable[["httpx.AsyncClient", Mapping[str, Any], Mapping[str, str]], Awaitable[Fetched]]


@dataclass(frozen=True, slots=True)
class FeedKind:
    """A kind of feed. `fetch` takes the client, the choices and the secrets, and raises SourceError."""

    name: str
    title: str
    fields: Sequence[FormField]
    fetch: Fetch
    place: Callable[[Mapping[str, Any]], str]
    """Where the data comes from, short and without anything private."""
