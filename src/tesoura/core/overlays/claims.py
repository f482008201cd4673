"""Who has shown or hidden which piece: until told otherwise, or for a time, where the newest claim holds."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace

MOST = 200
"""So many claims for a time are kept; the oldest are let go."""


@dataclass(frozen=True, slots=True)
class Claims:
    """What holds for each piece, by its key. `told` holds until it is told otherwise; `held` are the claims for a time,
    each by its name, the newest last."""

    told: Mapping[str, bool] = field(default_factory=dict)
    held: tuple[tuple[str, str, bool], ...] = ()

    def shown(self, key: str, otherwise: bool) -> bool:
        """Whether a piece is shown; `otherwise` where nobody has said anything of it."""
        for _, its, shown in reversed(self.held):
            if its == key:
                return shown
        return self.told.get(key, otherwise)

    def speaks_of(self, key: str) -> bool:
        """Whether anybody has said anything of a piece."""
        return key in self.told or any(its == key for _, its, _ in self.held)

    def claimed(self, claim: str, key: str, shown: bool) -> Claims:
        """Show or hide a piece until this claim is released. Claimed again, it is the newest."""
        others = tuple(one for one in self.held if one[:2] != (claim, key))
        return replace(self, held=(*others, (claim, key, shown))[-MOST:])

    def released(self, claim: str) -> Claims:
        """A claim is over: what held before it holds again, unless another one does."""
        return replace(self, held=tuple(one for one in self.held if one[0] != claim))

    def settled(self, key: str, shown: bool) -> Claims:
        """Show or hide a piece until told otherwise; no claim for a time stands against it."""
        return Claims({**self.told, key: shown}, tuple(one for one in self.held if one[1] != key))

    def only(self, keys: Collection[str]) -> Claims:
        """What is said of these pieces; the others are gone."""
        return Claims(
            {key: shown for key, shown in self.told.items() if key in keys},
            tuple(one for one in self.held if one[1] in keys),
        )
