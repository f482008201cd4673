"""A backing: a shape behind other pieces, or a frame cut from a picture whose corners keep their size."""

from __future__ import annotations

from tesoura.core.forms.fields import Field, number
from tesoura.core.overlays.pieces.kind import PieceKind, media

KIND = PieceKind(
    name="backing",
    title="Backing",
    about="A shape behind other pieces, or a picture frame.",
    fields={
        "frame": Field("Frame from a picture", media, "", "", "picture", group="Frame"),
        "slice_px": number("Edge in the picture", 1, 500, 24, "px", group="Frame"),
        "frame_px": number("Edge on screen", 1, 500, 24, "px", group="Frame"),
    },
    parts=lambda choices: {},
    size=(640, 200),
)
