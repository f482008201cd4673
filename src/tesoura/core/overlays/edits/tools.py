"""What all edits share: what they give, what they refuse, and how they say what they did."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tesoura.core.overlays.document import PLACE_FIELDS, Overlay, Piece
from tesoura.core.overlays.fit.boxes import Box
from tesoura.errors import Gone, InvalidPiece, NotAnEdit

Boxes = Callable[[Piece], Box]


@dataclass(frozen=True, slots=True)
class Edited:
    """A draft after an edit: what was done, in words; which pieces and fields it touched; what could not be done.

    `chosen` are the pieces to choose afterwards, `wrong` maps fields to what is wrong with what was typed.
    """

    overlay: Overlay
    words: str
    touched: frozenset[tuple[str, str]] = frozenset()
    chosen: tuple[str, ...] | None = None
    wrong: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Tools:
    """What edits are given beside the overlay: how large pieces are, and ids for new ones."""

    boxes: Boxes
    new_id: Callable[[], str]


def chosen_of(overlay: Overlay, edit: Mapping[str, Any]) -> list[Piece]:
    """The pieces that an edit is for. Raises NotAnEdit, or Gone when one is not there any more."""
    ids = edit.get("pieces")
    if not isinstance(ids, list) or not ids:
        raise NotAnEdit("Select a piece first.")
    found = [overlay.piece(str(one)) for one in ids]
    if None in found:
        raise Gone("A piece was deleted in the meantime, perhaps in another window. Undo restores it.")
    return [piece for piece in found if piece is not None]


def scene_of(edit: Mapping[str, Any]) -> str:
    """The scene that an edit is for; empty for every scene."""
    return " ".join(str(edit.get("scene") or "").split())[:60]


def names_of(pieces: Sequence[Piece]) -> str:
    """How an edit calls its pieces."""
    return f"“{pieces[0].name}”" if len(pieces) == 1 else f"{len(pieces)} pieces"


def where(scene: str) -> str:
    """In which scene, in words."""
    return f" in {scene}" if scene else ""


def loose(pieces: Sequence[Piece], touched: Sequence[str]) -> None:
    """Raises InvalidPiece when one of the pieces is pinned and would be moved."""
    pinned = [piece.name for piece in pieces if piece["pinned"] == "yes"]
    if pinned and any(name in PLACE_FIELDS for name in touched):
        raise InvalidPiece(dict.fromkeys(touched, f"“{pinned[0]}” is pinned. Unpin it to move it."))
