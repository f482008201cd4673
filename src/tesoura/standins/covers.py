"""Covers of the songs of the demo's world, drawn here: no file, no network."""

from __future__ import annotations

import io
from collections.abc import Callable
from functools import lru_cache

from PIL import Image, ImageDraw

SIDE = 600
_FINE = 2
Draw = ImageDraw.ImageDraw


def _weather(draw: Draw, side: int) -> None:
    """Paper clouds over a kettle's steam."""
    draw.rectangle((0, 0, side, side), fill="#23415C")
    for at, (x, y, r) in enumerate(((0.22, 0.3, 0.16), (0.42, 0.24, 0.2), (0.62, 0.32, 0.15), (0.8, 0.42, 0.1))):
        colour = ("#F3E9D8", "#FFFDF8", "#E5D6BC", "#F3E9D8")[at]
        draw.ellipse([side * one for one in (x - r, y - r, x + r, y + r)], fill=colour)
    for at in range(7):
        x = side * (0.16 + at * 0.115)
        draw.line(
            [(x, side * 0.55), (x - side * 0.05, side * (0.72 + at % 3 * 0.06))], fill="#E8B04B", width=side // 60
        )
    draw.polygon(
        [(side * x, side * y) for x, y in ((0.1, 0.95), (0.5, 0.8), (0.9, 0.95), (0.9, 1), (0.1, 1))], fill="#C23A22"
    )


def _lighthouse(draw: Draw, side: int) -> None:
    """A lighthouse left of the middle, its beam to the right."""
    draw.rectangle((0, 0, side, side), fill="#F2C14E")
    draw.polygon([(side * x, side * y) for x, y in ((0.3, 0.28), (1, 0.05), (1, 0.6))], fill="#FBE8B0")
    draw.polygon([(side * x, side * y) for x, y in ((0.22, 0.9), (0.26, 0.3), (0.36, 0.3), (0.4, 0.9))], fill="#FFFDF8")
    for at in range(3):
        top, lean = 0.42 + at * 0.17, at * 0.01
        stripe = ((0.25 - lean, 0), (0.37 + lean, 0), (0.38 + lean, 0.08), (0.24 - lean, 0.08))
        draw.polygon([(side * x, side * (top + down)) for x, down in stripe], fill="#B3402A")
    draw.rectangle([side * one for one in (0.26, 0.2, 0.36, 0.3)], fill="#2A2F45")
    draw.rectangle([side * one for one in (0, 0.86, 1, 1)], fill="#1F5C66")


def _umbrella(draw: Draw, side: int) -> None:
    """An umbrella from above, one of its panels another colour."""
    draw.rectangle((0, 0, side, side), fill="#3B2E4A")
    colours = ("#7A5C99", "#8F6FB0") * 4
    for at, colour in enumerate(colours):
        colour = "#F08A5D" if at == 5 else colour
        draw.pieslice([side * one for one in (0.12, 0.12, 0.88, 0.88)], at * 45, at * 45 + 45, fill=colour)
    draw.ellipse([side * one for one in (0.47, 0.47, 0.53, 0.53)], fill="#FFFDF8")


def _rope(draw: Draw, side: int) -> None:
    """A rope that goes up by itself, at noon."""
    draw.rectangle((0, 0, side, side), fill="#E9F0E4")
    draw.ellipse([side * one for one in (0.6, 0.08, 0.86, 0.34)], fill="#F2C14E")
    points = [(side * (0.4 + 0.08 * ((-1) ** at) * (1 - at / 12)), side * (0.9 - at * 0.07)) for at in range(11)]
    draw.line(points, fill="#7B4B2A", width=side // 28, joint="curve")
    draw.rectangle([side * one for one in (0, 0.88, 1, 1)], fill="#2F6B5E")
    draw.ellipse([side * one for one in (0.26, 0.8, 0.54, 0.94)], fill="#23534A")


COVERS: dict[str, Callable[[Draw, int], None]] = {
    "paper_weather": _weather,
    "left_of_the_lighthouse": _lighthouse,
    "borrowed_umbrella": _umbrella,
    "rope_trick_at_noon": _rope,
}


@lru_cache(maxsize=8)
def cover(name: str) -> bytes:
    """A cover as PNG. Raises KeyError for none of ours."""
    image = Image.new("RGB", (SIDE * _FINE, SIDE * _FINE))
    COVERS[name](ImageDraw.Draw(image), SIDE * _FINE)
    kept = io.BytesIO()
    image.resize((SIDE, SIDE), Image.Resampling.LANCZOS).save(kept, "PNG")
    return kept.getvalue()
