"""Choices of one piece or several, and where each lies."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.core.overlays.document import LOOK, PLACE_FIELDS, SHOWN, Overlay, Piece
from tesoura.core.overlays.edits.tools import Edited, Tools, chosen_of, loose, names_of, scene_of, where
from tesoura.core.overlays.looks import STYLE_FIELDS
from tesoura.errors import InvalidPiece, NotAnEdit


def change(overlay: Overlay, edit: Mapping[str, Any], _: Tools) -> Edited:
    """`set` holds the choices, the same for each of the pieces; the wrong ones are told, the others made."""
    pieces, scene, given = chosen_of(overlay, edit), scene_of(edit), edit.get("set")
    if not isinstance(given, dict) or not given:
        raise NotAnEdit("Not sent by the mat. Reload the page.")
    loose(pieces, list(given))
    wrong: dict[str, str] = {}
    for piece in pieces:
        try:
            changed = piece.changed(given, scene)
        except InvalidPiece as error:
            wrong |= error.wrong
            changed = piece.changed({name: raw for name, raw in given.items() if name not in error.wrong}, scene)
        overlay = overlay.with_piece(changed)
    made = [name for name in given if name not in wrong]
    labels = ", ".join(dict.fromkeys(_label(pieces[0], name) for name in made))
    touched = frozenset((piece.id, name) for piece in pieces for name in made)
    return Edited(overlay, f"{names_of(pieces)}: {labels}{where(scene)}" if made else "", touched, None, wrong)


def _label(piece: Piece, name: str) -> str:
    found = {"look": LOOK, "shown": SHOWN}.get(name) or piece.kind_of.all_fields.get(name) or STYLE_FIELDS.get(name)
    return found.label.lower() if found else name


def place(overlay: Overlay, edit: Mapping[str, Any], _: Tools) -> Edited:
    """`places` holds where each piece goes, and how large it becomes there."""
    places, scene = edit.get("places"), scene_of(edit)
    if not isinstance(places, dict) or not all(isinstance(place, dict) for place in places.values()):
        raise NotAnEdit("Not sent by the mat. Reload the page.")
    pieces = chosen_of(overlay, {"pieces": list(places)})
    loose(pieces, ["x"])
    touched = set()
    for piece in pieces:
        place = {name: raw for name, raw in places[piece.id].items() if name in PLACE_FIELDS}
        overlay = overlay.with_piece(piece.changed(place, scene))
        touched |= {(piece.id, name) for name in place}
    sized = any(name not in ("x", "y") for _, name in touched)
    words = f"{names_of(pieces)}: {'resized' if sized else 'moved'}{where(scene)}"
    return Edited(overlay, words, frozenset(touched))
