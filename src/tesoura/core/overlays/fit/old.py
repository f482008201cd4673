"""What becomes of a piece whose values are old: asked once, while nobody has decided it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from tesoura.core.overlays.fit.findings import Finding, Mend
from tesoura.core.overlays.fit.placement import Placed, Surroundings
from tesoura.core.overlays.pieces.kind import ASKED, WHEN_OLD

OLD = "old"


def undecided(around: Surroundings, placed: Sequence[Placed]) -> Iterator[Finding]:
    """One question for all pieces of an overlay that show values with an interval."""
    found = [
        one
        for one in placed
        if one.piece["when_old"] == ASKED and not one.piece.is_moment and around.aging.get(one.piece.id)
    ]
    if not found:
        return
    first, others = found[0], len(found) - 1
    more = f" This applies to {others} more piece{'' if others == 1 else 's'}." if others else ""
    name = around.aging[first.piece.id][0]
    words = (
        f"shows {name}. Choose what viewers see when the value is older than 5 intervals; by default it "
        f"is dimmed.{more}"
    )
    pieces = [one.piece.id for one in found]

    def edit(choice: str) -> dict[str, Any]:
        return {"do": "change", "pieces": pieces, "set": {"when_old": choice}, "scene": ""}

    mends = tuple(
        Mend(f"{told[0].upper()}{told[1:]}", edit(name)) for name, told in WHEN_OLD if name not in (ASKED, "text")
    )
    yield Finding(OLD, first.piece.id, first.piece.name, words, first.box, mends, asks=True)
