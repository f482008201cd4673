"""Pictures of the desk's buttons, for devices whose keys are small screens: a PNG of the size the device asks for."""

from __future__ import annotations

import io
from functools import lru_cache

from PIL import Image, ImageDraw, ImageFont

from tesoura.core.desk.faces import ButtonFace
from tesoura.settings import STATIC

FACE = STATIC / "fonts" / "atkinson-hyperlegible-next-latin-wght-normal.woff2"
PAPER, SHEET, INK, SOFT, RULE = "#F6F1E7", "#FFFDF8", "#1E2A38", "#55606E", "#D9CFBC"
COLOURS = {"sheet": RULE, "mat": "#2F6B5E", "amber": "#8A5A00", "ink": INK, "thread": "#C23A22"}
ON_AIR, WAIT = "#C23A22", "#8A5A00"
ELLIPSIS = "…"


@lru_cache(maxsize=1)
def _outlines() -> bytes:
    """The typeface as outlines that Pillow reads."""
    from fontTools.ttLib import TTFont

    with TTFont(FACE) as font:
        font.flavor = None
        whole = io.BytesIO()
        font.save(whole)
        return whole.getvalue()


@lru_cache(maxsize=1)
def _signs() -> frozenset[int]:
    """The signs that the typeface has."""
    from fontTools.ttLib import TTFont

    with TTFont(io.BytesIO(_outlines()), lazy=True) as font:
        return frozenset(font.getBestCmap())


def _written(text: str) -> str:
    """A text in signs that the typeface has; others are left out."""
    return "".join(one for one in text.replace("→", "to") if ord(one) in _signs())


@lru_cache(maxsize=32)
def _font(size_px: int, bold: bool) -> ImageFont.FreeTypeFont:
    font = ImageFont.truetype(io.BytesIO(_outlines()), size_px)
    font.set_variation_by_axes([700 if bold else 400])
    return font


def picture(face: ButtonFace, width_px: int, height_px: int, now: float) -> bytes:
    """A button as it stands, as PNG: its colour at the edge, its words, its state, and what is left of its rest."""
    drawn = Image.new("RGB", (width_px, height_px), PAPER if face.blocked else SHEET)
    pen = ImageDraw.Draw(drawn)
    edge = max(width_px // 16, 2)
    pen.rectangle((0, 0, edge - 1, height_px), fill=COLOURS.get(face.colour, RULE))
    if face.on:
        pen.rectangle((0, height_px - edge, width_px, height_px), fill=INK if face.state == "now" else ON_AIR)
    left, top = edge + max(width_px // 18, 2), max(height_px // 16, 2)
    room_px = width_px - left - 2
    side = min(width_px, height_px)
    large, small = max(side // 5, 8), max(side // 7, 7)
    for line in _lines(_written(face.words), _font(large, True), room_px, 2):
        pen.text((left, top), line, font=_font(large, True), fill=INK)
        top += round(large * 1.1)
    state = face.value or (face.answer.words if face.answer else face.state)
    left_s = (face.free_at or now) - now
    if left_s > 0:
        state = f"{left_s:.0f} s left"
        part = min(left_s / face.of_s, 1.0) if face.of_s else 1.0
        pen.rectangle((0, height_px - edge, round(width_px * part), height_px), fill=WAIT)
    rows = max((height_px - edge - top) // round(small * 1.15), 0)
    for line in _lines(_written(state), _font(small, False), room_px, rows):
        pen.text((left, top), line, font=_font(small, False), fill=SOFT)
        top += round(small * 1.15)
    whole = io.BytesIO()
    drawn.save(whole, "PNG", optimize=False)
    return whole.getvalue()


def _lines(text: str, font: ImageFont.FreeTypeFont, room_px: int, most: int) -> list[str]:
    """A text in lines that have room; what has none ends in an ellipsis."""
    lines: list[str] = []
    words = text.split()
    while words and len(lines) < most:
        line = words.pop(0)
        while words and font.getlength(f"{line} {words[0]}") <= room_px:
            line = f"{line} {words.pop(0)}"
        if (words and len(lines) == most - 1) or font.getlength(line) > room_px:
            line = _cut(line, font, room_px)
        lines.append(line)
    return lines


def _cut(line: str, font: ImageFont.FreeTypeFont, room_px: int) -> str:
    while line and font.getlength(line + ELLIPSIS) > room_px:
        line = line[:-1]
    cut = line.rstrip() + ELLIPSIS
    return cut if font.getlength(cut) <= room_px else ""
