"""What the fit check says: one finding each, with the mends that one press applies."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from tesoura.core.overlays.fit.boxes import Box


@dataclass(frozen=True, slots=True)
class Mend:
    """A way to put something right: what pressing it does, in words, and the edit that does it."""

    words: str
    edit: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that is not right. `part` tells findings of one kind on one piece apart; `box` is where it shows.

    `scenes` are those in which it was found; the empty name is the overlay as it is in every scene.
    """

    kind: str
    piece: str
    name: str
    words: str
    box: Box
    mends: tuple[Mend, ...] = ()
    scenes: tuple[str, ...] = ("",)
    part: str = ""
    makes: str = ""
    """What is to be made so that it is right, where no edit mends it."""
    asks: bool = False
    """Whether nothing is wrong, and something is asked."""

    def also_in(self, scenes: tuple[str, ...]) -> Finding:
        """The finding, found in these scenes too."""
        return replace(self, scenes=tuple(dict.fromkeys((*self.scenes, *scenes))))

    def moved_to(self, scene: str) -> Finding:
        """The same finding in another scene."""
        return replace(self, scenes=(scene,))


def mend(words: str, piece: str, scene: str = "", **choices: object) -> Mend:
    """A mend that makes choices for one piece, in one scene or in all."""
    return Mend(words, {"do": "change", "pieces": [piece], "set": choices, "scene": scene})
