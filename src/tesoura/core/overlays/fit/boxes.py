"""Where pieces lie and how large they are: a text as large as its words, anything else as it was made."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from tesoura.core.overlays.document import Piece
from tesoura.core.overlays.fit.faces import Face, as_set
from tesoura.core.overlays.pieces.text import anchored

Faces = Callable[[str, int], Face]


@dataclass(frozen=True, slots=True)
class Box:
    """A rectangle on the overlay, px."""

    x: float
    y: float
    width: float
    height: float

    @property
    def right(self) -> float:
        """Where it ends to the right."""
        return self.x + self.width

    @property
    def bottom(self) -> float:
        """Where it ends below."""
        return self.y + self.height

    def contains(self, other: Box, slack: float = 0.5) -> bool:
        """Whether the other lies inside, but for so many px."""
        return (
            self.x - slack <= other.x
            and self.y - slack <= other.y
            and self.right + slack >= other.right
            and self.bottom + slack >= other.bottom
        )

    def shared(self, other: Box) -> Box | None:
        """The rectangle that both cover, if there is one."""
        x, y = max(self.x, other.x), max(self.y, other.y)
        width, height = min(self.right, other.right) - x, min(self.bottom, other.bottom) - y
        return Box(x, y, width, height) if width > 0 and height > 0 else None

    def around(self, other: Box) -> Box:
        """The smallest rectangle that holds both."""
        x, y = min(self.x, other.x), min(self.y, other.y)
        return Box(x, y, max(self.right, other.right) - x, max(self.bottom, other.bottom) - y)

    def grown(self, by: float) -> Box:
        """The rectangle with so much more on each side."""
        return Box(self.x - by, self.y - by, self.width + 2 * by, self.height + 2 * by)


def hull(boxes: Iterable[Box]) -> Box:
    """The smallest rectangle that holds all of them; there must be one at least."""
    first, *others = boxes
    for other in others:
        first = first.around(other)
    return first


def text_size(text: str, size_px: float, style: Mapping[str, Any], face: Face) -> tuple[float, float]:
    """The width and height of a text's lines, px, without padding."""
    lines = list(as_set(text, style["capitals"]))
    spacing = style["letter_spacing"] / 100
    width = max(face.width(line, size_px, spacing) for line in lines)
    return width, len(lines) * size_px * style["line_height_pct"] / 100


def box_of(piece: Piece, style: Mapping[str, Any], text: str, faces: Faces) -> Box:
    """Where a piece lies when it says this text."""
    width, height = float(piece["width_px"]), float(piece["height_px"])
    if piece.kind_of.sized == "text":
        face = faces(style["typeface"], style["weight"])
        own_width, own_height = text_size(text, piece["size_px"], style, face)
        above = round(style["padding_px"] / 2)
        height = max(height, own_height + 2 * above)
        width = width or own_width + 2 * style["padding_px"]
        return Box(piece["x"] - anchored(piece.choices) * width, piece["y"], width, height)
    return Box(piece["x"], piece["y"], width, height)
