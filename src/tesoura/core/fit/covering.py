"""Does anything lie over a piece's words, as it stands or while it comes and goes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from tesoura.core.fit.boxes import Box
from tesoura.core.fit.findings import Finding, Mend
from tesoura.core.fit.placing import Placed

LEAST_SHARE = 0.02
"""How much of a piece must be covered to be worth telling."""


def covered(placed: Placed, others: Sequence[Placed]) -> Iterator[Finding]:
    """The pieces in front of this one that hide some of it."""
    piece = placed.piece
    if not placed.says and piece.kind not in ("picture", "video"):
        return
    for other in others:
        if other.order <= placed.order or not _hides(other):
            continue
        for area, when in ((other.widest, ""), (other.travelled, "while it comes and goes")):
            shared = area.shared(placed.box)
            share = shared.width * shared.height / max(placed.box.width * placed.box.height, 1) if shared else 0.0
            if shared and share > LEAST_SHARE:
                yield _finding(placed, other, shared, share, when)
                break


def _finding(placed: Placed, other: Placed, shared: Box, share: float, when: str) -> Finding:
    piece, name = placed.piece, other.piece.name
    how = f" {when}" if when else " when it appears" if other.piece.is_moment else ""
    words = f"“{name}” covers {max(round(share * 100), 1)} % of it{how}."
    edit = {"do": "order", "pieces": [piece.id], "before": other.piece.id}
    mends = (Mend(f"Bring it in front of “{name}”", edit),)
    return Finding("covered", piece.id, piece.name, words, shared, mends, (placed.scene,), other.piece.id)


def _hides(other: Placed) -> bool:
    return other.backed or other.piece.kind in ("picture", "video") or other.says
