"""The overlay itself: its size, its settings, its guides."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from tesoura.core.forms.checks import choice, text, whole
from tesoura.core.overlays.document import Overlay, Piece, size_problem
from tesoura.core.overlays.edits.tools import Edited, Tools
from tesoura.core.overlays.pieces.kind import MAX_SIDE_PX
from tesoura.errors import InvalidField, InvalidPiece, NotAnEdit

MAX_CSS = 20_000


def size(overlay: Overlay, edit: Mapping[str, Any], _: Tools) -> Edited:
    """Give the overlay another size; with `scale` its pieces go along, texts by their font size."""
    width, height = edit.get("width_px"), edit.get("height_px")
    if problem := size_problem(width, height):
        raise InvalidPiece({"size": problem})
    new = replace(overlay, width_px=round(float(str(width))), height_px=round(float(str(height))))
    if edit.get("scale"):
        by = min(new.width_px / overlay.width_px, new.height_px / overlay.height_px)
        across = (new.width_px - overlay.width_px * by) / 2
        down = (new.height_px - overlay.height_px * by) / 2
        new = replace(new, pieces=tuple(_scaled(piece, by, across, down) for piece in overlay.pieces))
        new = replace(
            new, guides=tuple((axis, round(at * by + (across if axis == "x" else down))) for axis, at in overlay.guides)
        )
    return Edited(new, f"Size: {new.width_px} × {new.height_px} px", frozenset({("", "size")}))


_SCALED_STYLE = ("corner_px", "padding_px", "gap_px", "edge_px", "shadow_px", "shadow_blur_px", "glow_px", "outline_px")
_SCALED = ("width_px", "height_px", "size_px", "frame_px")


def _scaled(piece: Piece, by: float, across: float, down: float) -> Piece:
    def place(values: Mapping[str, Any]) -> dict[str, Any]:
        new = {name: round(values[name] * by) for name in _SCALED if values.get(name)}
        if "size_px" in new:
            new["size_px"] = max(new["size_px"], 8)
        if "x" in values:
            new["x"] = round(values["x"] * by + across)
        if "y" in values:
            new["y"] = round(values["y"] * by + down)
        return new

    style = {name: round(piece.style[name] * by) for name in _SCALED_STYLE if name in piece.style}
    piece = piece.changed({**place(piece.choices), **style})
    for scene, differs in piece.scenes.items():
        if moved := place(differs):
            piece = piece.changed(moved, scene)
    return piece


_SETTINGS: Mapping[str, Callable[[object], Any]] = {
    "form": choice(("light", "dark")),
    "motion": choice(("yes", "no")),
    "safe": choice(("yes", "no")),
    "scenery": lambda raw: str(raw).strip()[:80],
    "css": text(MAX_CSS, empty=True),
}
_SETTING_WORDS = {
    "form": "light or dark",
    "motion": "motion",
    "safe": "safe area",
    "scenery": "scene picture",
    "css": "custom style sheet",
}


def settings(overlay: Overlay, edit: Mapping[str, Any], _: Tools) -> Edited:
    """Light or dark, motion, the safe area, the scene picture, the style sheet of its own."""
    given = edit.get("set")
    if not isinstance(given, dict) or not given or not set(given) <= set(_SETTINGS):
        raise NotAnEdit("Not sent by the mat. Reload the page.")
    try:
        good = {name: _SETTINGS[name](raw) for name, raw in given.items()}
    except InvalidField as error:
        raise InvalidPiece(dict.fromkeys(given, str(error))) from None
    words = ", ".join(_SETTING_WORDS[name] for name in good)
    return Edited(replace(overlay, **good), f"Overlay: {words}", frozenset(("", name) for name in good))


def guides(overlay: Overlay, edit: Mapping[str, Any], _: Tools) -> Edited:
    """All guides anew, each an axis and a place."""
    given = edit.get("guides")
    if not isinstance(given, list) or len(given) > 40:
        raise NotAnEdit("At most 40 guides are allowed.")
    try:
        guides = tuple(sorted({(choice(("x", "y"))(axis), whole(0, MAX_SIDE_PX)(at)) for axis, at in given}))
    except (InvalidField, TypeError, ValueError) as error:
        raise InvalidPiece({"guides": str(error)}) from None
    return Edited(replace(overlay, guides=guides), "Guides", frozenset({("", "guides")}))
