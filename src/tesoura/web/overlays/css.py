"""How pieces are drawn: what their choices come to as CSS. What viewers see and what the mat shows is the same."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from markupsafe import Markup

from tesoura.core.instruments.registry import KINDS as INSTRUMENTS
from tesoura.core.overlays.document import Overlay, Piece
from tesoura.core.overlays.looks import Look
from tesoura.core.overlays.pieces.slots import columns
from tesoura.core.overlays.typefaces import CARRIED
from tesoura.core.values import Json
from tesoura.uploads.sheets import checked

_ALIGNED = {"left": "left", "centre": "center", "right": "right"}
_FITS = {"contain": "contain", "cover": "cover", "stretch": "fill"}
_EASED = {
    "soft": "cubic-bezier(.2,.7,.2,1)",
    "even": "linear",
    "springy": "cubic-bezier(.3,1.5,.5,1)",
    "late": "cubic-bezier(.7,0,.3,1)",
}
_CLIPS = {
    "slant": "polygon(.42em 0,100% 0,calc(100% - .42em) 100%,0 100%)",
    "notch": "polygon(var(--corner) 0,calc(100% - var(--corner)) 0,100% var(--corner),100% calc(100% - var(--corner)),"
    "calc(100% - var(--corner)) 100%,var(--corner) 100%,0 calc(100% - var(--corner)),0 var(--corner))",
    "ribbon": "polygon(0 0,100% 0,calc(100% - .4em) 50%,100% 100%,0 100%,.4em 50%)",
}
_TICKET = (
    "radial-gradient(circle at 0 50%,#0000 var(--corner),#000 calc(var(--corner) + .5px)) 0/51% 100% no-repeat,"
    "radial-gradient(circle at 100% 50%,#0000 var(--corner),#000 calc(var(--corner) + .5px)) 100%/51% 100% no-repeat"
)
_BRUSH = "3.2em .7em 2.6em .9em / .8em 2.4em .7em 2.9em"
VARIABLES = (
    "--size",
    "--face",
    "--weight",
    "--colour",
    "--accent",
    "--quiet",
    "--spacing",
    "--line",
    "--pad",
    "--pad-y",
    "--gap",
    "--backing",
    "--corner",
    "--edge",
    "--shadow",
    "--letters",
    "--ms",
)
"""The variables that a style sheet of one's own may rely on."""


def colour_with(colour: str, opacity_pct: int) -> str:
    """A colour with an opacity, as CSS."""
    if opacity_pct == 0:
        return "transparent"
    if opacity_pct == 100:
        return colour
    red, green, blue = (int(colour[at : at + 2], 16) for at in (1, 3, 5))
    return f"rgb({red} {green} {blue} / {opacity_pct}%)"


def style_rules(style: Mapping[str, Any]) -> dict[str, str]:
    """A style as CSS variables. Every value has been checked, so none can say more than it should."""
    shape = style["shape"] if style["backing"] != "none" else "box"
    edges = [*_edges(style)]
    shadow = _shadow(style)
    return {
        "--face": f"'{style['typeface']}','{CARRIED}'",
        "--weight": str(style["weight"]),
        "--colour": style["colour"],
        "--accent": style["accent"],
        "--quiet": style["quiet"],
        "--caps": "uppercase" if style["capitals"] == "capitals" else "none",
        "--spacing": f"{style['letter_spacing'] / 100:g}em",
        "--line": f"{style['line_height_pct'] / 100:g}",
        "--pad": f"{style['padding_px']}px",
        "--pad-y": f"{round(style['padding_px'] / 2)}px",
        "--gap": f"{style['gap_px']}px",
        "--backing": _backing(style),
        "--corner": f"{style['corner_px']}px",
        "--radius": _BRUSH if shape == "brush" else "0" if shape in ("slant", "notch", "ribbon") else "var(--corner)",
        "--clip": _CLIPS.get(shape, "none"),
        "--mask": _TICKET if shape == "ticket" else "none",
        "--edge": ",".join(edges) or "0 0 #0000",
        "--shadow": shadow or "0 0 #0000",
        "--letters": _letters(style),
        "--entry": style["entry"],
        "--exit": style["exit"],
        "--change": style["change"],
        "--ms": f"{style['motion_ms']}ms",
        "--ease": _EASED[style["easing"]],
    }


def _backing(style: Mapping[str, Any]) -> str:
    if style["backing"] == "none":
        return "none"
    first = colour_with(style["backing_colour"], style["backing_opacity_pct"])
    if style["backing"] == "solid":
        return first
    second = colour_with(style["backing_colour_2"], style["backing_opacity_pct"])
    return f"linear-gradient({style['gradient_deg']}deg,{first},{second})"


def _edges(style: Mapping[str, Any]) -> Iterator[str]:
    px, colour = style["edge_px"], style["edge_colour"]
    if px:
        across, down, spread = {"all": (0, 0, px), "left": (px, 0, 0), "bottom": (0, -px, 0), "top": (0, px, 0)}[
            style["edge_sides"]
        ]
        yield f"inset {across}px {down}px 0 {spread}px {colour}"


def _shadow(style: Mapping[str, Any]) -> str:
    if not style["shadow_px"] and not style["shadow_blur_px"]:
        return ""
    colour = colour_with(style["shadow_colour"], style["shadow_opacity_pct"])
    across = style["shadow_px"] if not style["shadow_blur_px"] else 0
    return f"{across}px {style['shadow_px']}px {style['shadow_blur_px']}px {colour}"


def _letters(style: Mapping[str, Any]) -> str:
    """The outline and the glow of letters. An outline is a ring of copies, which every browser draws alike."""
    found = []
    if outline := style["outline_px"]:
        radius, steps = outline / 2, 12 if outline < 8 else 20
        for step in range(steps):
            angle = 2 * math.pi * step / steps
            x, y = radius * math.cos(angle), radius * math.sin(angle)
            found.append(f"{x:.1f}px {y:.1f}px 0 {style['outline_colour']}")
    if glow := style["glow_px"]:
        found += [f"0 0 {glow}px {style['glow_colour']}", f"0 0 {round(glow / 3)}px {style['glow_colour']}"]
    return ",".join(found) or "none"


def place_rules(piece: Piece) -> dict[str, str]:
    """Where a piece lies and how large it is, as CSS."""
    rules = {"left": f"{piece['x']}px", "top": f"{piece['y']}px"}
    for name, side in (("width", "width_px"), ("height", "height_px")):
        if piece[side]:
            rules[name] = f"{piece[side]}px"
    if "size_px" in piece.choices:
        rules["--size"] = f"{piece['size_px']}px"
    if "align" in piece.choices:
        rules["text-align"] = _ALIGNED[piece["align"]]
    if piece["opacity_pct"] != 100:
        rules["opacity"] = f"{piece['opacity_pct'] / 100:g}"
    return rules


def piece_rules(piece: Piece, looks: Mapping[str, Look], form: str) -> dict[str, str]:
    """All that a piece's choices come to."""
    return {**place_rules(piece), **style_rules(piece.styled(looks, form))}


def _rule(selector: str, rules: Mapping[str, str]) -> str:
    return f"{selector}{{{';'.join(f'{name}:{value}' for name, value in rules.items())}}}"


def sheet(overlay: Overlay, scenes: Iterable[str] | None = None) -> Markup:
    """The style sheet of an overlay: each piece, and what differs by scene."""
    lines = []
    for piece in overlay.pieces:
        rules = piece_rules(piece, overlay.looks, overlay.form)
        lines.append(_rule(f".p-{piece.id}", rules))
        for scene in overlay.scenes() if scenes is None else scenes:
            there = piece.in_scene(scene)
            if there is not piece:
                new = piece_rules(there, overlay.looks, overlay.form)
                differs = {name: value for name, value in new.items() if rules.get(name) != value}
                if differs:
                    lines.append(_rule(f'[data-scene="{_quoted(scene)}" i] .p-{piece.id}', differs))
    return Markup("\n".join(lines))  # noqa: S704 - every value was checked


def _quoted(name: str) -> str:
    """A name inside a CSS string: whatever is not a plain letter stands as its number."""
    return "".join(char if char.isalnum() else f"\\{ord(char):x} " for char in name)


def own_sheet(overlay: Overlay) -> Markup:
    """The user's own style sheet, unless something is wrong with it."""
    return Markup(checked(overlay.css).css)  # noqa: S704 - checked: no address, no end of the element


def fenced_sheet(overlay: Overlay) -> Markup:
    """The same for the mat, where Tesoura's own buttons stand beside the overlay."""
    return Markup(checked(overlay.css).fenced)  # noqa: S704 - as above


def name_class(name: str) -> str:
    """The class by which a piece's name is found in a style sheet: `name-kite-friends`."""
    return "name-" + (re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-") or "x")


def away_in(piece: Piece) -> str:
    """The scenes in which a piece is not shown, for the page."""
    return "|".join(scene.casefold() for scene in piece.scenes if not piece.shown_in(scene))


def there(piece: Piece, says: Mapping[str, Json], scene: str) -> bool:
    """Whether a piece is there, in a scene."""
    away = away_in(piece).split("|") if piece.scenes else []
    return bool(says.get("", "")) and piece["hidden"] != "yes" and not (scene and scene.casefold() in away)


def says_of(values: Mapping[str, Json], piece: Piece) -> dict[str, Json]:
    """What a piece says, by its parts, out of what an overlay's pieces say."""
    prefix = f"{piece.id}."
    parts = {key.removeprefix(prefix): text for key, text in values.items() if key.startswith(prefix)}
    return {"": values.get(piece.id, ""), **parts}


HELPERS = {
    "overlay_sheet": sheet,
    "own_sheet": own_sheet,
    "fenced_sheet": fenced_sheet,
    "name_class": name_class,
    "away_in": away_in,
    "there": there,
    "instrument_kinds": INSTRUMENTS,
    "says_of": says_of,
    "slot_columns": columns,
    "object_fit": _FITS,
}
