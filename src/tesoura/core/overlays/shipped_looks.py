"""The looks that ship with Tesoura."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.core.overlays.looks import Look

FIRST = "ink"
"""The look that a new piece wears."""


def _look(name: str, about: str, values: Mapping[str, Any], dark: str, light: str, **more: tuple[str, str]) -> Look:
    """A look; `dark` and `light` are its letters, accent, labels and backing, `more` other colours, dark first."""
    forms = {}
    for place, (form, four) in enumerate((("dark", dark), ("light", light))):
        names = ("colour", "accent", "quiet", "backing_colour")
        own = dict(zip(names, four.split(), strict=True))
        forms[form] = {**own, "edge_colour": own["accent"], **{key: pair[place] for key, pair in more.items()}}
    return Look(name.lower().replace(" ", "_"), name, about, values, forms)


_ALL = (
    _look(
        "Ink", "Calm and round-cornered; for everything that should read well and not shout.",
        {"typeface": "Bricolage Grotesque", "weight": 700, "corner_px": 14, "padding_px": 24, "gap_px": 10,
         "backing_opacity_pct": 92, "entry": "slide_up", "exit": "fade", "change": "roll", "motion_ms": 420},
        "#FFFDF8 #F2B54A #C9D2DC #1E2A38", "#1E2A38 #9A4A12 #55606E #FFFDF8",
    ),
    _look(
        "Paper tag", "A strip of warm paper held by one thread.",
        {"typeface": "Bitter", "weight": 600, "corner_px": 2, "padding_px": 24, "gap_px": 12, "edge_px": 8,
         "edge_sides": "left", "backing_opacity_pct": 100, "shadow_px": 6, "shadow_blur_px": 18,
         "shadow_opacity_pct": 35, "entry": "slide_left", "exit": "slide_left", "change": "slide", "motion_ms": 380},
        "#F6F1E7 #F08A72 #C9C2B2 #2B2A33", "#24303F #B33520 #5E5848 #F6F1E7",
    ),
    _look(
        "Gust", "Slanted, tall and quick, for a match that moves.",
        {"typeface": "Big Shoulders", "weight": 800, "capitals": "capitals", "letter_spacing": 2, "shape": "slant",
         "corner_px": 2, "padding_px": 26, "gap_px": 14, "backing": "gradient", "gradient_deg": 100,
         "backing_opacity_pct": 96, "edge_px": 6, "edge_sides": "bottom", "line_height_pct": 105,
         "entry": "wipe", "exit": "wipe", "change": "flash", "motion_ms": 260, "easing": "late"},
        "#FFFFFF #FFC53D #D5DCE8 #16213A", "#14203A #B3261E #44506A #FFFFFF",
        backing_colour_2=("#2C3F73", "#DCE4F5"), edge_colour=("#FFC53D", "#D8452E"),
    ),
    _look(
        "Lantern", "Warm letters that glow in the dusk.",
        {"typeface": "Young Serif", "weight": 400, "corner_px": 18, "padding_px": 26, "gap_px": 12, "glow_px": 16,
         "backing": "gradient", "gradient_deg": 170, "backing_opacity_pct": 88, "edge_px": 2,
         "entry": "fade", "exit": "fade", "change": "count", "motion_ms": 700},
        "#FFE9B8 #FFB347 #D9BE93 #2A1A24", "#4A2512 #833C03 #5F4630 #FFF3D9",
        backing_colour_2=("#4A2A2E", "#FFE1AC"), glow_colour=("#FF9D3B", "#FFFFFF"), edge_colour=("#7A4A32", "#E3B878"),
    ),
    _look(
        "Kite paper", "Soft, round and bright, like tissue stretched on sticks.",
        {"typeface": "Fredoka", "weight": 600, "corner_px": 34, "padding_px": 28, "gap_px": 14, "backing": "gradient",
         "gradient_deg": 120, "backing_opacity_pct": 97, "entry": "grow", "exit": "grow", "change": "slide",
         "motion_ms": 480, "easing": "springy"},
        "#FFFFFF #FFE066 #D6F5EF #0B5C63", "#0B3F52 #B4245D #30607A #D9F7F0",
        backing_colour_2=("#12497E", "#FFF0C9"),
    ),
    _look(
        "Harbour", "Deep water, a thin line of light, even figures.",
        {"typeface": "Sora", "weight": 600, "corner_px": 10, "padding_px": 24, "gap_px": 12, "backing": "gradient",
         "gradient_deg": 90, "backing_opacity_pct": 90, "edge_px": 2, "edge_sides": "all",
         "entry": "slide_right", "exit": "slide_right", "change": "count", "motion_ms": 520},
        "#EAF6FF #5EE0C5 #A9C4D8 #071B33", "#0B2540 #00574C #3C536B #F2F9FF",
        backing_colour_2=("#0E3B52", "#CFEAF2"), edge_colour=("#2F8F8B", "#7FB9C9"),
    ),
    _look(
        "Chalk", "Written by hand on a smudge of slate.",
        {"typeface": "Caveat", "weight": 700, "shape": "brush", "corner_px": 30, "padding_px": 30, "gap_px": 8,
         "backing_opacity_pct": 94, "line_height_pct": 105, "entry": "wipe", "exit": "fade", "change": "slide",
         "motion_ms": 600},
        "#F7F5EC #FFD98A #C5D3CB #24332E", "#26332F #A03A1C #55655E #F4EFE0",
    ),
    _look(
        "Telegram", "Typed, square and to the point.",
        {"typeface": "JetBrains Mono", "weight": 600, "corner_px": 0, "padding_px": 20, "gap_px": 12, "edge_px": 3,
         "edge_sides": "top", "backing_opacity_pct": 94, "entry": "cut", "exit": "cut", "change": "plain",
         "motion_ms": 0},
        "#E8F2E4 #9BE36D #9DB39A #0F1613", "#17211C #1F6B2F #4F5F54 #F3F7EE",
    ),
    _look(
        "Marquee", "Gold letters on velvet, for the big moments.",
        {"typeface": "Righteous", "weight": 400, "capitals": "capitals", "letter_spacing": 4, "shape": "ticket",
         "corner_px": 16, "padding_px": 30, "gap_px": 14, "backing": "gradient", "gradient_deg": 180,
         "backing_opacity_pct": 98, "glow_px": 10, "entry": "grow", "exit": "fade", "change": "flash",
         "motion_ms": 520, "easing": "springy"},
        "#FFE3A0 #FF9EC4 #E2BFD6 #4A1247", "#571153 #9A1750 #7B4472 #FFF1DA",
        backing_colour_2=("#2A0B3D", "#F9D3E4"), glow_colour=("#B3541E", "#FFFFFF"),
    ),
    _look(
        "Bare", "No backing at all: outlined letters straight on the picture.",
        {"typeface": "Space Grotesk", "weight": 700, "backing": "none", "padding_px": 6, "gap_px": 10,
         "outline_px": 6, "shadow_px": 0, "letter_spacing": 0, "entry": "fade", "exit": "fade", "change": "roll",
         "motion_ms": 300},
        "#FFFFFF #FFD24A #FFFFFF #14202C", "#14202C #9A2A10 #14202C #FFFFFF",
        outline_colour=("#14202C", "#FFFFFF"),
    ),
    _look(
        "Balloon", "A fat outline and a hard shadow; it cannot keep a straight face.",
        {"typeface": "DynaPuff", "weight": 600, "corner_px": 26, "padding_px": 26, "gap_px": 12, "edge_px": 5,
         "backing_opacity_pct": 100, "shadow_px": 8, "shadow_blur_px": 0, "shadow_opacity_pct": 100,
         "entry": "grow", "exit": "slide_down", "change": "roll", "motion_ms": 420, "easing": "springy"},
        "#FFF6DC #FF9C5B #E0D3F0 #4B2F7F", "#2B1B4B #B0325C #5D4E7C #FFF6DC",
        edge_colour=("#1D1036", "#2B1B4B"), shadow_colour=("#1D1036", "#2B1B4B"),
    ),
    _look(
        "Broadsheet", "Headlines, hairlines and a lot of white.",
        {"typeface": "Fraunces", "weight": 700, "corner_px": 0, "padding_px": 26, "gap_px": 12, "edge_px": 4,
         "edge_sides": "top", "backing_opacity_pct": 98, "entry": "slide_down", "exit": "slide_down",
         "change": "slide", "motion_ms": 520},
        "#F4EFE6 #E9B7A4 #B9B3A8 #191714", "#161412 #A3221A #5A554C #FCFAF5",
    ),
)  # fmt: skip
SHIPPED: Mapping[str, Look] = {look.id: look for look in _ALL}
