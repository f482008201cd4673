"""Pieces come and go: added, copied, grouped, taken away."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from tesoura.core.overlays.document import MAX_PIECES, Overlay, Piece, new_piece, piece_document, piece_from_document
from tesoura.core.overlays.edits.tools import Edited, Tools, chosen_of, names_of
from tesoura.core.overlays.fit.boxes import Box
from tesoura.core.overlays.pieces.kind import MAX_SIDE_PX
from tesoura.core.overlays.pieces.registry import KINDS
from tesoura.core.overlays.shipped_looks import FIRST
from tesoura.errors import InvalidPiece, NotAnEdit


def add(overlay: Overlay, edit: Mapping[str, Any], tools: Tools) -> Edited:
    """Add a piece of a kind, with choices already made for it."""
    kind = KINDS.get(str(edit.get("kind")))
    if kind is None:
        raise NotAnEdit("There is no such kind of piece.")
    given = edit.get("set") if isinstance(edit.get("set"), dict) else {}
    place = _first_place(overlay, kind.size)
    first: dict[str, Any] = {"look": FIRST, **place, "name": _free_name(overlay, kind.title)}
    piece = new_piece(kind.name, tools.new_id(), **{**first, **(given or {})})
    if not (given and {"x", "y"} & set(given)):
        piece = _in_free_room(overlay, piece, tools)
    return Edited(overlay.with_piece(piece), f"“{piece.name}”: added", frozenset(), (piece.id,))


def _first_place(overlay: Overlay, size: tuple[int, int]) -> dict[str, Any]:
    steps = len(overlay.pieces) % 6
    place: dict[str, Any] = {"x": round(overlay.width_px * 0.05), "y": round(overlay.height_px * (0.09 + 0.12 * steps))}
    if size[0]:
        scale = min(1.0, overlay.width_px * 0.9 / size[0], overlay.height_px * 0.9 / size[1])
        width, height = round(size[0] * scale), round(size[1] * scale)
        place |= {"width_px": width, "height_px": height, "y": max(min(place["y"], overlay.height_px - height), 0)}
    return place


TRIED = 24
"""In so many steps across and down it is looked for room."""


def _in_free_room(overlay: Overlay, piece: Piece, tools: Tools) -> Piece:
    """The piece where it lies on none that is seen, the highest such place first; where it is if there is none."""
    taken = [tools.boxes(one).grown(MARGIN_PX) for one in overlay.pieces if one["hidden"] != "yes"]
    own = tools.boxes(piece)
    across, down = overlay.width_px * 0.05, overlay.height_px * 0.05
    left, top = piece["x"] - own.x, piece["y"] - own.y
    for step_y in range(TRIED + 1):
        y = down + step_y * (overlay.height_px - 2 * down - own.height) / TRIED
        for step_x in range(TRIED + 1):
            x = across + step_x * (overlay.width_px - 2 * across - own.width) / TRIED
            if x < 0 or y < 0:
                return piece
            there = Box(x, y, own.width, own.height)
            if not any(there.shared(one) for one in taken):
                return piece.changed({"x": round(x + left), "y": round(y + top)})
    return piece


def _free_name(overlay: Overlay, name: str) -> str:
    taken = {piece.name for piece in overlay.pieces}
    number, free = 2, name
    while free in taken:
        free, number = f"{name} {number}", number + 1
    return free[:60]


def remove(overlay: Overlay, edit: Mapping[str, Any], _: Tools) -> Edited:
    """Take pieces away."""
    pieces = chosen_of(overlay, edit)
    return Edited(
        overlay.without([piece.id for piece in pieces]),
        f"{names_of(pieces)}: deleted",
        frozenset((piece.id, "") for piece in pieces),
        (),
    )


COPIED_BY_PX = 24
MARGIN_PX = 12
"""So far a new piece stays from others."""


def duplicate(overlay: Overlay, edit: Mapping[str, Any], tools: Tools) -> Edited:
    """Lay copies of pieces beside them."""
    pieces = chosen_of(overlay, edit)
    return _copies(overlay, pieces, tools, f"{names_of(pieces)}: duplicated")


def paste(overlay: Overlay, edit: Mapping[str, Any], tools: Tools) -> Edited:
    """Lay copies of pieces on the mat, as they were copied, from this overlay or another."""
    given = edit.get("copies")
    found = (
        [piece_from_document(one) for one in given if isinstance(one, dict) and "id" in one]
        if isinstance(given, list)
        else []
    )
    pieces = [piece for piece in found if piece is not None]
    if not pieces:
        raise InvalidPiece({"": "Nothing copied yet. Select a piece and copy it first."})
    return _copies(overlay, pieces, tools, f"{names_of(pieces)}: added")


def _copies(overlay: Overlay, pieces: Sequence[Piece], tools: Tools, words: str) -> Edited:
    if len(overlay.pieces) + len(pieces) > MAX_PIECES:
        raise InvalidPiece({"": f"An overlay can have {MAX_PIECES} pieces at most. Create a second overlay."})
    made: list[str] = []
    groups: dict[str, str] = {}
    for piece in pieces:
        copied = replace(piece, id=tools.new_id())
        group = piece["group"]
        if group:
            groups.setdefault(group, _free_group(overlay, group))
        at = {name: max(min(piece[name] + COPIED_BY_PX, MAX_SIDE_PX), -MAX_SIDE_PX) for name in ("x", "y")}
        copied = copied.changed(
            {**at, "name": _free_name(overlay, piece.name), "pinned": "no", "group": groups.get(group, "")}
        )
        overlay = overlay.with_piece(copied)
        made.append(copied.id)
    return Edited(overlay, words, frozenset(), tuple(made))


def _free_group(overlay: Overlay, name: str) -> str:
    taken = {piece["group"] for piece in overlay.pieces}
    number, free = 2, name
    while free in taken:
        free, number = f"{name} {number}", number + 1
    return free[:40]


def copied(overlay: Overlay, piece_ids: Sequence[str]) -> list[dict[str, Any]]:
    """Pieces as they can be laid on a mat again."""
    return [piece_document(piece) for piece in overlay.pieces if piece.id in piece_ids]


def group(overlay: Overlay, edit: Mapping[str, Any], _: Tools) -> Edited:
    """Make one group of pieces, or with `off` free them."""
    pieces = chosen_of(overlay, edit)
    if edit.get("off"):
        name = ""
    else:
        if len(pieces) < 2:
            raise InvalidPiece({"": "Select two or more pieces to group."})
        name = _free_group(overlay, "Group")
    for piece in pieces:
        overlay = overlay.with_piece(piece.changed({"group": name}))
    words = f"{names_of(pieces)}: {'grouped' if name else 'ungrouped'}"
    return Edited(overlay, words, frozenset((piece.id, "group") for piece in pieces))
