"""Can a piece's words be told from what is behind them, at the worst that may be there."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Any

from tesoura.core.overlays.document import Overlay
from tesoura.core.overlays.fit.colours import Rgb, contrast, luminance, mixed, rgb
from tesoura.core.overlays.fit.findings import Finding, Mend, mend
from tesoura.core.overlays.fit.placement import Placed, Surroundings, seen_at_720
from tesoura.core.overlays.looks import STYLE_FIELDS

ENOUGH, ENOUGH_LARGE = 4.5, 3.0
LARGE_PX, LARGE_BOLD_PX, BOLD = 24, 18.66, 700
OUTLINE_COUNTS_PX = 2
EVEN = 3.0
"""Behind a mark the lightest is to the darkest at most as this to one."""
INK, SHEET = "#14202C", "#FFFDF8"


def contrasts(overlay: Overlay, around: Surroundings, placed: Placed, others: Sequence[Placed]) -> Iterator[Finding]:
    """The texts of a piece that are too close in colour to what is behind them, and marks on what is not even."""
    if placed.piece.kind_of.shows_marks:
        yield from _uneven(overlay, around, placed, others)
    if not placed.says or placed.piece.kind == "picture":
        return
    piece, style = placed.piece, placed.style
    under = _under(overlay, around, placed, others)
    behind = _backed(under, style, piece["opacity_pct"])
    told = set()
    for words in piece.kind_of.words(piece.choices):
        if words.colour in told:
            continue
        told.add(words.colour)
        px = piece["size_px"] * words.scale * seen_at_720(overlay)
        large = px >= LARGE_PX or (px >= LARGE_BOLD_PX and style["weight"] >= BOLD)
        enough = ENOUGH_LARGE if large else ENOUGH
        letters = rgb(style[words.colour])
        ratio = min(_ratio(letters, one, style, piece["opacity_pct"]) for one in behind)
        if ratio < enough - 0.005:
            yield _finding(placed, words.colour, ratio, enough, under, behind)


def _uneven(overlay: Overlay, around: Surroundings, placed: Placed, others: Sequence[Placed]) -> Iterator[Finding]:
    """What is behind a mark goes so far from dark to light that some of any mark would be lost on it."""
    piece, opacity = placed.piece, placed.piece["opacity_pct"]
    darkest, lightest = _backed(_under(overlay, around, placed, others), placed.style, opacity)
    if (ratio := contrast(darkest, lightest)) <= EVEN:
        return
    words = f"The background varies from dark to light (1 to {ratio:.1f}), so parts won't be readable."
    solid: dict[str, Any] = {"backing": "solid", "backing_colour": SHEET, "backing_opacity_pct": 100}
    if placed.style["backing"] == "solid":
        mends = (mend("Make the backing solid", piece.id, backing_opacity_pct=100),)
    else:
        mends = (mend("Add a solid backing", piece.id, **solid),)
    yield Finding("contrast", piece.id, piece.name, words, placed.box, mends, (placed.scene,), "mark")


def _ratio(letters: Rgb, behind: Rgb, style: dict[str, Any] | Any, opacity_pct: int) -> float:
    if style["outline_px"] >= OUTLINE_COUNTS_PX:
        # Letters with an outline stand on the outline, whatever is behind it.
        behind = rgb(style["outline_colour"])
    return contrast(mixed(letters, behind, opacity_pct), behind)


def _under(overlay: Overlay, around: Surroundings, placed: Placed, others: Sequence[Placed]) -> list[Rgb]:
    """The darkest and the lightest that may be behind a piece: the picture, then what lies on it under the piece."""
    colours = list(around.scenery.behind(placed.widest, overlay.width_px, overlay.height_px))
    for other in sorted(others, key=lambda one: one.order):
        if (
            other.order < placed.order
            and other.backed
            and not other.piece.is_moment
            and other.box.contains(placed.box, 2)
        ):
            colours = _backed(colours, other.style, other.piece["opacity_pct"])
    return colours


def _backed(under: Sequence[Rgb], style: Any, opacity_pct: int) -> list[Rgb]:
    if style["backing"] == "none":
        return list(under)
    names = ["backing_colour", "backing_colour_2"] if style["backing"] == "gradient" else ["backing_colour"]
    opacity = style["backing_opacity_pct"] * opacity_pct / 100
    found = [mixed(rgb(style[name]), one, opacity) for name in names for one in under]
    return [min(found, key=luminance), max(found, key=luminance)]


def _finding(
    placed: Placed, colour: str, ratio: float, enough: float, under: Sequence[Rgb], behind: Sequence[Rgb]
) -> Finding:
    piece, style = placed.piece, placed.style
    what = {"colour": "letters", "accent": "accented text", "quiet": "labels"}[colour]
    shown = math.floor(ratio * 10) / 10
    words = f"The {what} have a contrast of {shown:.1f} against the background; at least {enough:g} is needed."
    mends = tuple(_mends(placed, colour, enough, under, behind, style))
    return Finding("contrast", piece.id, piece.name, words, placed.box, mends, (placed.scene,), colour)


def _mends(
    placed: Placed, colour: str, enough: float, under: Sequence[Rgb], behind: Sequence[Rgb], style: Any
) -> Iterator[Mend]:
    piece, opacity = placed.piece, placed.piece["opacity_pct"]
    letters = rgb(style[colour])

    def good(other: dict[str, Any], of: Rgb = letters) -> bool:
        changed = {**style, **other}
        return min(_ratio(of, one, changed, opacity) for one in _backed(under, changed, opacity)) >= enough

    if style["backing"] != "none":
        for share in range(style["backing_opacity_pct"] + 1, 101):
            if good({"backing_opacity_pct": share}):
                yield mend(f"Make its backing {share} % opaque", piece.id, backing_opacity_pct=share)
                break
    else:
        backing = INK if luminance(letters) > 0.2 else SHEET
        solid: dict[str, Any] = {"backing": "solid", "backing_colour": backing, "backing_opacity_pct": 90}
        if good(solid):
            yield mend("Add a backing", piece.id, **solid, padding_px=max(style["padding_px"], 16))
        outline: dict[str, Any] = {
            "outline_px": max(round(piece["size_px"] / 10), OUTLINE_COUNTS_PX),
            "outline_colour": backing,
        }
        if good(outline):
            yield mend("Outline the text", piece.id, **outline)
    other = max((INK, SHEET), key=lambda one: min(contrast(rgb(one), two) for two in behind))
    words = "letters" if colour == "colour" else STYLE_FIELDS[colour].label.lower()
    if good({}, rgb(other)):
        yield mend(f"Make the {words} {other}", piece.id, **{colour: other})
        return
    both: dict[str, Any] = {"backing": "solid", "backing_colour": INK, "backing_opacity_pct": 90, "outline_px": 0}
    if good(both, rgb(SHEET)):
        yield mend(f"Make the {words} {SHEET} on a dark backing", piece.id, **both, **{colour: SHEET})
