"""Pieces together: on one line, with equal spaces, front to back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from tesoura.core.overlays.document import Overlay
from tesoura.core.overlays.edits.tools import Edited, Tools, chosen_of, loose, names_of, scene_of, where
from tesoura.core.overlays.fit.boxes import Box, hull
from tesoura.errors import Gone, InvalidPiece, NotAnEdit

_LINES: Mapping[str, tuple[str, Callable[[Box, Box], float]]] = {
    "left": ("x", lambda box, all_: all_.x - box.x),
    "centre": ("x", lambda box, all_: all_.x + all_.width / 2 - box.x - box.width / 2),
    "right": ("x", lambda box, all_: all_.right - box.right),
    "top": ("y", lambda box, all_: all_.y - box.y),
    "middle": ("y", lambda box, all_: all_.y + all_.height / 2 - box.y - box.height / 2),
    "bottom": ("y", lambda box, all_: all_.bottom - box.bottom),
}


def align(overlay: Overlay, edit: Mapping[str, Any], tools: Tools) -> Edited:
    """Lay edges or middles on one line: with each other, or a single piece with the overlay."""
    pieces, scene, to = chosen_of(overlay, edit), scene_of(edit), str(edit.get("to"))
    if to not in _LINES:
        raise NotAnEdit(f"Unknown alignment “{to[:20]}” to lay them on.")
    loose(pieces, ["x"])
    laid = [piece.in_scene(scene) for piece in pieces]
    whole_overlay = Box(0, 0, overlay.width_px, overlay.height_px)
    room = hull(map(tools.boxes, laid)) if len(pieces) > 1 else whole_overlay
    axis, way = _LINES[to]
    for piece, here in zip(pieces, laid, strict=True):
        overlay = overlay.with_piece(piece.changed({axis: here[axis] + way(tools.boxes(here), room)}, scene))
    touched = frozenset((piece.id, axis) for piece in pieces)
    return Edited(overlay, f"{names_of(pieces)}: aligned {to}{where(scene)}", touched)


def distribute(overlay: Overlay, edit: Mapping[str, Any], tools: Tools) -> Edited:
    """Make the spaces between pieces equal, the outermost staying where they are."""
    pieces, scene, axis = chosen_of(overlay, edit), scene_of(edit), str(edit.get("along"))
    if axis not in ("x", "y"):
        raise NotAnEdit("Distribute pieces horizontally or vertically.")
    if len(pieces) < 3:
        raise InvalidPiece({"": "Select three or more pieces to distribute."})
    loose(pieces, ["x"])
    side = "width" if axis == "x" else "height"
    laid = sorted(
        ((tools.boxes(piece.in_scene(scene)), piece) for piece in pieces), key=lambda one: getattr(one[0], axis)
    )
    room = hull(box for box, _ in laid)
    space = (getattr(room, side) - sum(getattr(box, side) for box, _ in laid)) / (len(laid) - 1)
    at = getattr(room, axis)
    for box, piece in laid:
        here = piece.in_scene(scene)[axis]
        overlay = overlay.with_piece(piece.changed({axis: here + at - getattr(box, axis)}, scene))
        at += getattr(box, side) + space
    touched = frozenset((piece.id, axis) for piece in pieces)
    return Edited(overlay, f"{names_of(pieces)}: distributed{where(scene)}", touched)


def order(overlay: Overlay, edit: Mapping[str, Any], _: Tools) -> Edited:
    """Bring pieces to the front, the back, a step forward or backward, or just in front of another."""
    pieces, to = chosen_of(overlay, edit), str(edit.get("to"))
    ids = [piece.id for piece in overlay.pieces]
    moved = [one for one in ids if one in {piece.id for piece in pieces}]
    others = [one for one in ids if one not in moved]
    if (before := edit.get("before")) is not None:
        if before not in others:
            raise Gone("The piece it should be in front of no longer exists.")
        at = others.index(before) + 1
    else:
        first = ids.index(moved[0])
        behind = sum(one in others for one in ids[:first])
        steps = {
            "front": len(others),
            "back": 0,
            "forward": min(behind + 1, len(others)),
            "backward": max(behind - 1, 0),
        }
        if to not in steps:
            raise NotAnEdit("Choose front, back, forward or backward.")
        at = steps[to]
    by_id = {piece.id: piece for piece in overlay.pieces}
    ordered = [*others[:at], *moved, *others[at:]]
    words = f"{names_of(pieces)}: order changed"
    return Edited(replace(overlay, pieces=tuple(by_id[one] for one in ordered)), words)
