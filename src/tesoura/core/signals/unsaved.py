"""Which signals have changed since they were last saved; their trails are saved less often than their values."""

from __future__ import annotations

from collections.abc import Iterable


class Unsaved:
    """Two sets of names: those whose value is not saved yet, and those whose trail is not."""

    def __init__(self) -> None:
        self._values: set[str] = set()
        self._trails: set[str] = set()

    def add(self, name: str) -> None:
        """This signal has changed."""
        self._values.add(name)

    def again(self, names: Iterable[str]) -> None:
        """These could not be saved."""
        self._values.update(names)

    def take(self, trails: bool) -> list[str]:
        """The names to save now, with `trails` those too whose trail alone is not saved. They count as saved."""
        names, self._values = self._values, set()
        self._trails |= names
        if trails:
            names, self._trails = self._trails, set()
        return sorted(names)
