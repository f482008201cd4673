"""Does anything lie over a piece's words, as it stands or while it comes and goes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from tesoura.core.overlays.fit.boxes import Box
from tesoura.core.overlays.fit.findings import Finding, Mend
from tesoura.core.overlays.fit.placement import Placed

LEAST_SHARE = 0.02
"""How much of a piece must be covered to be worth telling."""


def covered(placed: Placed, others: Sequence[Placed]) -> Iterator[Finding]:
    """What hides some of a piece: one finding, whatever number of pieces lie in front of it."""
    if not _is_seen(placed):
        return
    over = [(other, *found) for other in others if (found := _over(placed, other))]
    if over:
        yield _finding(placed, over)


def _is_seen(placed: Placed) -> bool:
    piece = placed.piece
    # A picture that is yet to be chosen is seen by nobody.
    return placed.says or (piece.kind_of.fills and bool(piece.choices.get("media", True)))


def _over(placed: Placed, other: Placed) -> tuple[Box, float, str] | None:
    """What another piece hides of this one, which share that is, and when."""
    if not _in_front(other, placed) or not _hides(other):
        return None
    if placed.piece.kind == other.piece.kind and placed.piece.kind_of.apart(placed.piece.choices, other.piece.choices):
        return None
    for area, when in ((other.widest, ""), (other.travelled, " while it enters and exits")):
        shared = area.shared(placed.box)
        share = shared.width * shared.height / max(placed.box.width * placed.box.height, 1) if shared else 0.0
        if shared and share > LEAST_SHARE:
            return shared, share, when
    return None


def _finding(placed: Placed, over: Sequence[tuple[Placed, Box, float, str]]) -> Finding:
    piece = placed.piece
    (worst, shared, share, when), front = max(over, key=lambda one: one[2]), over[-1][0]
    name = worst.piece.name
    when = when or (" when it appears" if worst.piece.is_moment else worst.piece.kind_of.at_times)
    more = f", and {len(over) - 1} more lie over it" if len(over) > 1 else ""
    words = f"“{name}” covers {max(round(share * 100), 1)} % of it{when}{more}."
    edit = {"do": "order", "pieces": [piece.id], "before": front.piece.id}
    mends = (Mend(f"Bring it in front of “{name}”" if not more else "Bring it in front of them", edit),)
    return Finding("covered", piece.id, piece.name, words, shared, mends, (placed.scene,))


def _in_front(other: Placed, placed: Placed) -> bool:
    """Whether another piece stands in front of this one: by their order, but for those that stand above all others."""
    above, own = other.piece.kind_of.on_top, placed.piece.kind_of.on_top
    return other.order > placed.order if above == own else above


def _hides(other: Placed) -> bool:
    return other.backed or other.piece.kind_of.fills or other.says
