"""The panel of choices for one piece: its fields under their headings, each with its value."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from tesoura.core.forms.fields import Field
from tesoura.core.overlays.document import LOOK, SCENE_FIELDS, SHOWN, Overlay, Piece
from tesoura.core.overlays.looks import STYLE_FIELDS
from tesoura.core.overlays.typefaces import Typeface

HEADINGS = ("Look", "Place", "Type", "Colours", "Backing", "Edge and light", "Motion", "When", "Piece")
FOLDED = ("Type", "Colours", "Backing", "Edge and light", "Motion", "When", "Piece")
_WORDLESS = ("Type", "Colours")
_HIDDEN = frozenset({"pinned", "hidden", "group"})
"""Choices that the list of pieces makes."""


@dataclass(frozen=True, slots=True)
class Asked:
    """One choice as the panel asks for it. `own` when the piece does otherwise than its look, or than elsewhere."""

    name: str
    field: Field
    value: Any
    own: bool = False
    style: bool = False


@dataclass(frozen=True, slots=True)
class Heading:
    """Choices that belong together; `own` counts those in which the piece does otherwise than its look."""

    words: str
    asked: Sequence[Asked]
    folded: bool

    @property
    def own(self) -> int:
        """How many differ from the look."""
        return sum(one.own and one.style for one in self.asked)


def panel(piece: Piece, draft: Overlay, scene: str) -> list[Heading]:
    """The headings and their choices, for a piece as it is in a scene."""
    style = piece.styled(draft.looks, draft.form)
    here = piece.scenes.get(scene, {}) if scene else {}
    asked: dict[str, list[Asked]] = {}
    for name, field in piece.kind_of.all_fields.items():
        if field.plays(piece.choices) and name not in _HIDDEN:
            asked.setdefault(field.group, []).append(Asked(name, field, piece[name], name in here))
    look = [Asked("look", LOOK, piece.look, "look" in here), *asked.get("Look", [])]
    if scene:
        look.insert(0, Asked("shown", SHOWN, here.get("shown", "yes"), "shown" in here))
    asked["Look"] = look
    wordless = not piece.kind_of.words(piece.choices)
    for name, field in STYLE_FIELDS.items():
        if field.plays(style) and not (wordless and field.group in _WORDLESS):
            asked.setdefault(field.group, []).append(Asked(name, field, style[name], name in piece.style, True))
    if scene:
        asked = {
            under: kept for under, all_ in asked.items() if (kept := [one for one in all_ if one.name in SCENE_FIELDS])
        }
    order = [*(under for under in asked if under not in HEADINGS), *HEADINGS]
    return [Heading(under, asked[under], under in FOLDED) for under in order if under in asked]


def weights_of(typefaces: Sequence[Typeface], family: str) -> Sequence[int]:
    """The weights that a family has."""
    return next((face.weights for face in typefaces if face.family == family), (400, 700))
