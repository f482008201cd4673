"""The fit check itself: every piece, in every scene, at every text it may have."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from tesoura.core.overlays.document import Overlay
from tesoura.core.overlays.fit import contrast as contrasting
from tesoura.core.overlays.fit import coverage as covering
from tesoura.core.overlays.fit import size as fitting
from tesoura.core.overlays.fit.boxes import box_of
from tesoura.core.overlays.fit.findings import Finding
from tesoura.core.overlays.fit.old import undecided
from tesoura.core.overlays.fit.placement import STATES, Placed, Surroundings, laid_out


def check(overlay: Overlay, around: Surroundings) -> list[Finding]:
    """What does not fit, cannot be read, or is covered; each finding once, with the scenes it is found in."""
    found: dict[tuple[str, str, str], Finding] = {}
    memo: dict[str, tuple[Placed, list[Finding]]] = {}
    for scene in ("", *(one for one in around.scenes if one)):
        placed = list(_placed(overlay, around, scene, memo))
        if not scene:
            found |= {(one.piece, one.kind, one.part): one for one in undecided(around, placed)}
        for one in placed:
            for finding in [*_alone(overlay, around, one, memo), *_among(overlay, around, one, placed)]:
                key = (finding.piece, finding.kind, finding.part)
                before = found.get(key)
                found[key] = finding if before is None else before.also_in(finding.scenes)
    return list(found.values())


def _placed(
    overlay: Overlay, around: Surroundings, scene: str, memo: dict[str, tuple[Placed, list[Finding]]]
) -> Iterator[Placed]:
    for order, whole in enumerate(overlay.pieces):
        piece = whole.in_scene(scene)
        if whole["hidden"] == "yes" or not whole.shown_in(scene):
            continue
        known = memo.get(whole.id)
        if known and known[0].piece is piece:
            yield replace(known[0], scene=scene, order=order)
            continue
        style = piece.styled(around.looks, overlay.form)
        texts = around.texts.get(piece.id, {})
        boxes = {
            state: box_of(piece, style, texts.get(state, {}).get("", ""), around.faces)
            for state, _ in STATES
            if state == "now" or state in texts
        }
        yield laid_out(piece, style, boxes, scene, order)


def _alone(
    overlay: Overlay, around: Surroundings, placed: Placed, memo: dict[str, tuple[Placed, list[Finding]]]
) -> list[Finding]:
    """What is wrong with a piece wherever the others are. The same piece in another scene is not measured again."""
    known = memo.get(placed.piece.id)
    if known and known[0].piece is placed.piece:
        return [finding.moved_to(placed.scene) for finding in known[1]]
    found = list(fitting.alone(overlay, around, placed))
    if known is None:
        memo[placed.piece.id] = (placed, found)
    return found


def _among(overlay: Overlay, around: Surroundings, placed: Placed, others: Sequence[Placed]) -> Iterator[Finding]:
    yield from covering.covered(placed, others)
    yield from contrasting.contrasts(overlay, around, placed, others)
