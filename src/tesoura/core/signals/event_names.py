"""Under which name the signals of each type of event stand: `match.end` gives `match_end`."""

from __future__ import annotations

from collections.abc import Iterator, Set

from tesoura.core.names import snake, unused

MAX_EVENT_TYPES = 500
"""The most types of events whose values become signals; further ones stay in the log alone."""


class EventNames:
    """The first half of signals' names for each type of event, found once and then kept."""

    def __init__(self) -> None:
        self._by_type: dict[str, str] = {}

    def keep(self, kind: str, feed: str) -> None:
        """This type had this name before."""
        self._by_type[kind] = feed

    def of(self, kind: str, taken: Set[str]) -> str | None:
        """The type's name, made when it is new so that it differs from all `taken`; None for one type too many."""
        name = self._by_type.get(kind)
        if name is None and len(self._by_type) < MAX_EVENT_TYPES:
            wanted = snake(kind, "event")
            name = self._by_type[kind] = unused(wanted if wanted not in taken else f"{wanted}_event", taken)
        return name

    def drop(self, kind: str) -> str | None:
        """Forget a type; the name that it had."""
        return self._by_type.pop(kind, None)

    def __iter__(self) -> Iterator[tuple[str, str]]:
        return iter(self._by_type.items())
