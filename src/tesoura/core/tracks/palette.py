"""Colours from a cover: median cut in a perceptual space, and text colours that are always readable on them.

The space is OKLab (B. Ottosson, "A perceptual color space for image processing", 2020). Contrast is that of WCAG 2.2.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache

from tesoura.core.overlays.fit.colours import contrast

Rgb = tuple[int, int, int]
Lab = tuple[float, float, float]
COLOURS = 6
READABLE = 4.5
"""The least contrast of a text with what is behind it."""
_INK, _PAPER = (0x14, 0x1C, 0x26), (0xFF, 0xFD, 0xF8)


@lru_cache(maxsize=256)
def _linear(channel: int) -> float:
    value = channel / 255
    return value / 12.92 if value <= 0.04045 else ((value + 0.055) / 1.055) ** 2.4


def oklab(colour: Rgb) -> Lab:
    """A colour in OKLab: lightness from 0 to 1, green to red, blue to yellow."""
    red, green, blue = (_linear(channel) for channel in colour)
    long = (0.4122214708 * red + 0.5363325363 * green + 0.0514459929 * blue) ** (1 / 3)
    middle = (0.2119034982 * red + 0.6806995451 * green + 0.1073969566 * blue) ** (1 / 3)
    short = (0.0883024619 * red + 0.2817188376 * green + 0.6299787005 * blue) ** (1 / 3)
    return (
        0.2104542553 * long + 0.7936177850 * middle - 0.0040720468 * short,
        1.9779984951 * long - 2.4285922050 * middle + 0.4505937099 * short,
        0.0259040371 * long + 0.7827717662 * middle - 0.8086757660 * short,
    )


@dataclass(frozen=True, slots=True)
class PaletteColour:
    """One colour of a picture, and the share of the picture that it stands for."""

    rgb: Rgb
    share: float

    @property
    def lab(self) -> Lab:
        """It in OKLab."""
        return oklab(self.rgb)

    @property
    def chroma(self) -> float:
        """How far it is from grey."""
        _, a, b = self.lab
        return float((a * a + b * b) ** 0.5)


def palette(pixels: Iterable[Rgb]) -> tuple[PaletteColour, ...]:
    """The colours of a picture, the one that most of it has first. Nothing for a picture without pixels."""
    counts: dict[Rgb, int] = {}
    for red, green, blue in pixels:
        near = (red & 0xF8 | red >> 5, green & 0xF8 | green >> 5, blue & 0xF8 | blue >> 5)
        counts[near] = counts.get(near, 0) + 1
    if not counts:
        return ()
    boxes = [[(oklab(rgb), count, rgb) for rgb, count in counts.items()]]
    while len(boxes) < COLOURS:
        widest = max(range(len(boxes)), key=lambda at: _spread(boxes[at])[0])
        spread, axis = _spread(boxes[widest])
        if spread < 1e-6:
            break
        boxes[widest : widest + 1] = _halves(boxes[widest], axis)
    whole = sum(counts.values())
    found = [PaletteColour(_middle(box), sum(count for _, count, _ in box) / whole) for box in boxes]
    return tuple(sorted(found, key=lambda one: (-one.share, one.rgb)))


_Box = list[tuple[Lab, int, Rgb]]


def _spread(box: _Box) -> tuple[float, int]:
    """How far a box reaches along its longest axis, weighed by how much of the picture it is; and which that is."""
    weight = sum(count for _, count, _ in box) ** 0.5
    reach = [max(lab[axis] for lab, _, _ in box) - min(lab[axis] for lab, _, _ in box) for axis in range(3)]
    axis = max(range(3), key=reach.__getitem__)
    return reach[axis] * weight, axis


def _halves(box: _Box, axis: int) -> list[_Box]:
    """A box cut where half of its pixels lie on each side, none left empty."""
    ordered = sorted(box, key=lambda one: (one[0][axis], one[2]))
    half, below, at = sum(count for _, count, _ in ordered) / 2, 0, 0
    while at < len(ordered) - 1 and below + ordered[at][1] <= half:
        below += ordered[at][1]
        at += 1
    cut = max(at, 1)
    return [ordered[:cut], ordered[cut:]]


def _middle(box: _Box) -> Rgb:
    whole = sum(count for _, count, _ in box)
    red, green, blue = (round(sum(rgb[at] * count for _, count, rgb in box) / whole) for at in range(3))
    return red, green, blue


@dataclass(frozen=True, slots=True)
class Tint:
    """The colours of a card, each as `#RRGGBB`: what is behind, the text, the accent, and the quieter text."""

    backing: str
    text: str
    accent: str
    quiet: str


def tint(colours: Sequence[PaletteColour]) -> Tint | None:
    """A card's colours out of a picture's; each of the three texts has a contrast of at least 4.5 with the backing.

    The backing is the colour that most of the picture has, a colourful one before a grey one.
    """
    if not colours:
        return None
    backing = max(colours, key=lambda one: one.share * (0.35 + min(one.chroma, 0.25) * 4))
    base = _deepened(backing.rgb)
    # The liveliest of the others, and of those rather one that can be read as it is.
    others = [one for one in colours if one is not backing]
    best = max(
        others,
        key=lambda one: (one.chroma + 0.02) * (0.2 + one.share) * min(contrast(one.rgb, base), READABLE),
        default=None,
    )
    lively = best.rgb if best else base
    text = readable(_mixed(_PAPER, base, 0.06) if _light_on(base) else _mixed(_INK, base, 0.06), base)
    return Tint(*(hexed(one) for one in (base, text, readable(lively, base), readable(_mixed(text, base, 0.28), base))))


def _light_on(backing: Rgb) -> bool:
    return contrast(_PAPER, backing) >= contrast(_INK, backing)


def _deepened(colour: Rgb) -> Rgb:
    """A colour of middle lightness leaves little room for readable text: it is made darker until there is some."""
    for part in (0.0, 0.15, 0.3, 0.45):
        mixed = _mixed(colour, (0, 0, 0), part)
        if max(contrast(_PAPER, mixed), contrast(_INK, mixed)) >= 7:
            return mixed
    return mixed


def readable(colour: Rgb, backing: Rgb) -> Rgb:
    """The colour, mixed with as much white or black as it takes to be read on the backing."""
    towards = (255, 255, 255) if contrast((255, 255, 255), backing) >= contrast((0, 0, 0), backing) else (0, 0, 0)
    for step in range(21):
        mixed = _mixed(colour, towards, step / 20)
        if contrast(mixed, backing) >= READABLE:
            return mixed
    return towards


def _mixed(one: Rgb, other: Rgb, part: float) -> Rgb:
    red, green, blue = (round(a + (b - a) * part) for a, b in zip(one, other, strict=True))
    return red, green, blue


def hexed(colour: Rgb) -> str:
    """A colour as `#RRGGBB`."""
    return "#{:02X}{:02X}{:02X}".format(*colour)
