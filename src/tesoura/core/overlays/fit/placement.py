"""What the fit check looks at: pieces as they lie in a scene, and what surrounds them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tesoura.core.overlays.document import Overlay, Piece
from tesoura.core.overlays.fit.boxes import Box, Faces, hull
from tesoura.core.overlays.fit.scenery import ANY, Scenery
from tesoura.core.overlays.looks import Look
from tesoura.core.overlays.typefaces import TYPEFACES

SAFE_SHARE = 0.05
FULL_SIDE_PX = 720
READABLE_PX = 14
"""The smallest text, in px of a picture that is 720 px high, that viewers read at a glance."""
TRAVEL_PX = 80
"""How far a piece travels that slides in or out."""
_WAYS = {"slide_left": (-1, 0), "slide_right": (1, 0), "slide_up": (0, -1), "slide_down": (0, 1)}
STATES = (
    ("now", "now"),
    ("grown", "with the digits reserved for it"),
    ("longest", "with the longest text"),
    ("empty", "before the first value"),
    ("last", "with its last text"),
)
Texts = Mapping[str, Mapping[str, str]]
"""What a piece says: by state, then by part."""


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What the check must know beside the overlay.

    `texts` holds what each piece says, `faces` gives typefaces, `pictures` the pixels of each file that was added,
    `gone` the signals that pieces read and that are no more, by piece; `families` are the typefaces there are.
    """

    texts: Mapping[str, Texts]
    faces: Faces
    looks: Mapping[str, Look]
    pictures: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    scenery: Scenery = ANY
    gone: Mapping[str, Sequence[str]] = field(default_factory=dict)
    scenes: Sequence[str] = ()
    families: frozenset[str] = frozenset(face.family for face in TYPEFACES)
    unheard: Mapping[str, Sequence[str]] = field(default_factory=dict)
    """The signals that pieces read and of which nothing was ever heard, by piece."""
    instruments: Mapping[str, tuple[str, str]] | None = None
    """The instruments there are, by name: their kind and title. None where that is not looked at."""
    events: frozenset[str] | None = None
    """The types of events that have happened, or that something fires. None where that is not looked at."""
    aging: Mapping[str, Sequence[str]] = field(default_factory=dict)
    """The signals that pieces read and that should come at an interval, by piece."""


@dataclass(frozen=True, slots=True)
class Placed:
    """A piece as it is in a scene: how it is styled, and where it lies at each of its texts.

    `widest` is all the room that it may take, `travelled` that with its way in and out; `order` counts back to front.
    """

    piece: Piece
    style: Mapping[str, Any]
    boxes: Mapping[str, Box]
    widest: Box
    travelled: Box
    scene: str
    order: int

    @property
    def box(self) -> Box:
        """Where it lies now."""
        return self.boxes["now"]

    @property
    def says(self) -> bool:
        """Whether it has words."""
        return bool(self.piece.kind_of.words(self.piece.choices))

    @property
    def backed(self) -> bool:
        """Whether it has a backing that hides what is behind."""
        return bool(self.style["backing"] != "none" and self.style["backing_opacity_pct"] > 0)


def laid_out(piece: Piece, style: Mapping[str, Any], boxes: Mapping[str, Box], scene: str, order: int) -> Placed:
    """A piece as it lies, with the room that it needs to stand, to come, and to go."""
    widest = hull(boxes.values())
    travelled = widest
    for way in (style["entry"], style["exit"]):
        across, down = _WAYS.get(way, (0, 0))
        if across or down:
            moved = Box(widest.x + across * TRAVEL_PX, widest.y + down * TRAVEL_PX, widest.width, widest.height)
            travelled = travelled.around(moved)
    return Placed(piece, style, boxes, widest, travelled, scene, order)


def seen_at_720(overlay: Overlay) -> float:
    """By how much the overlay is reduced when viewers watch at 720 lines.

    One that fills the picture is reduced to 720 px; a smaller one lies in a picture of 1080 lines.
    """
    short = min(overlay.width_px, overlay.height_px)
    return 720 / (short if short >= FULL_SIDE_PX else 1080)


def safe_area(overlay: Overlay) -> Box | None:
    """The part of the overlay that every screen shows; None when it is not minded, or the overlay fills no picture."""
    if overlay.safe == "no" or min(overlay.width_px, overlay.height_px) < FULL_SIDE_PX:
        return None
    across, down = overlay.width_px * SAFE_SHARE, overlay.height_px * SAFE_SHARE
    return Box(across, down, overlay.width_px - 2 * across, overlay.height_px - 2 * down)
