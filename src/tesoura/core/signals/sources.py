"""Which feeds bring which types of events, and which signals follow from those: what dies when a stream does."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

FEED = "feed:"
"""How the source of an event begins that a feed has brought."""


class Sources:
    """What is known of where events come from."""

    def __init__(self) -> None:
        self._feeds: dict[str, set[str]] = {}
        self._types: dict[str, set[str]] = {}
        self._followers: dict[str, set[str]] = {}
        self._new: list[tuple[str, str]] = []

    def learn(self, kind: str, source: str) -> bool:
        """An event of this type came from this source; whether that is news."""
        if not source.startswith(FEED):
            return False
        known = self._feeds.get(kind)
        feed = source[len(FEED) :]
        if known is not None and feed in known:
            return False
        self.brings(feed, [kind])
        self._new.append((kind, feed))
        return True

    def brings(self, feed: str, kinds: Iterable[str]) -> None:
        """A feed brings, or may bring, events of these types."""
        for kind in kinds:
            self._feeds.setdefault(kind, set()).add(feed)
            self._types.setdefault(feed, set()).add(kind)

    def types(self) -> set[str]:
        """The types of events that some feed brings, or may bring."""
        return set(self._feeds)

    def take_new(self) -> list[tuple[str, str]]:
        """What was learned since this was last asked: type and feed."""
        new, self._new = self._new, []
        return new

    def give_back(self, pairs: Iterable[tuple[str, str]]) -> None:
        """These could not be stored: they are asked for again."""
        self._new = [*pairs, *self._new]

    def of(self, kinds: Iterable[str]) -> Iterator[str]:
        """The feeds that bring any of these types."""
        for kind in kinds:
            yield from self._feeds.get(kind, ())

    def follow(self, name: str, kinds: Iterable[str]) -> None:
        """This signal follows from events of these types."""
        for kind in kinds:
            self._followers.setdefault(kind, set()).add(name)

    def following(self, feed: str) -> set[str]:
        """The signals that follow from what a feed brings."""
        found: set[str] = set()
        for kind in self._types.get(feed, ()):
            found |= self._followers.get(kind, set())
        return found

    def followers(self, kind: str) -> set[str]:
        """The signals that follow from events of a type."""
        return self._followers.get(kind, set())
