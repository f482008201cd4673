"""A ring that closes toward a goal."""

from __future__ import annotations

from tesoura.core.forms.fields import number
from tesoura.core.overlays.pieces.bar import LEVEL_FIELDS, level_parts
from tesoura.core.overlays.pieces.kind import SIZE, Choices, PieceKind, PieceText

LABEL_SCALE = 0.4
SQUARE = 0.62
"""The width of the square inside a ring, as a share of the ring's."""


def _words(choices: Choices) -> list[PieceText]:
    found = [PieceText("figure", 1.0, "colour", 0, share=SQUARE)] if choices["figure"] else []
    return [*found, PieceText("label", LABEL_SCALE, "quiet", 1, share=SQUARE)] if choices["label"] else found


KIND = PieceKind(
    name="ring",
    title="Ring",
    about="A ring that fills toward a goal.",
    fields={**LEVEL_FIELDS, "thick_pct": number("Thickness", 2, 45, 12, "%", group="Place"), "size_px": SIZE},
    parts=level_parts,
    words=_words,
    size=(260, 260),
)
