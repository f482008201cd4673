"""Looks: named sets of style choices that pieces wear, each in a light and a dark form."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

from tesoura.core.forms.checks import line
from tesoura.core.forms.fields import Field, checked, hue, number, one_of
from tesoura.core.overlays.typefaces import TYPEFACES, WEIGHT_WORDS
from tesoura.errors import InvalidField, InvalidPiece

FORMS = ("light", "dark")
ENTRIES = (
    ("cut", "at once"),
    ("fade", "fade"),
    ("slide_left", "slide from the left"),
    ("slide_right", "slide from the right"),
    ("slide_up", "slide from above"),
    ("slide_down", "slide from below"),
    ("grow", "grow"),
    ("wipe", "wipe"),
)
EXITS = (
    ("cut", "at once"),
    ("fade", "fade"),
    ("slide_left", "slide to the left"),
    ("slide_right", "slide to the right"),
    ("slide_up", "slide upward"),
    ("slide_down", "slide downward"),
    ("grow", "shrink"),
    ("wipe", "wipe"),
)
CHANGES = (
    ("plain", "at once"),
    ("count", "count up or down"),
    ("roll", "roll the digits"),
    ("flash", "flash"),
    ("slide", "slide"),
)
EASINGS = (("soft", "soft"), ("even", "even"), ("springy", "springy"), ("late", "ease in"))
SHAPES = (
    ("box", "box"),
    ("slant", "slanted box"),
    ("notch", "box with cut corners"),
    ("ribbon", "ribbon"),
    ("ticket", "ticket"),
    ("brush", "hand-drawn"),
)
BACKINGS = (("none", "nothing"), ("solid", "one colour"), ("gradient", "gradient"))
EDGES = (("all", "all around"), ("left", "at the left"), ("bottom", "at the bottom"), ("top", "at the top"))
CAPITALS = (("as_written", "as written"), ("capitals", "capitals"))
_FAMILY = re.compile(r"[\w][\w .+-]{0,60}")
_BACKED = ("backing", ("solid", "gradient"))


def _family(raw: object) -> str:
    typed = " ".join(str(raw).split())
    for face in TYPEFACES:
        if face.family.casefold() == typed.casefold():
            return face.family
    if not _FAMILY.fullmatch(typed):
        raise InvalidField(f"“{typed[:40]}” is not a typeface. Choose one from the list.")
    return typed


STYLE_FIELDS: Mapping[str, Field] = {
    "typeface": Field("Typeface", _family, "", "Atkinson Hyperlegible", "typeface", group="Type"),
    "weight": Field(
        "Weight",
        number("", 100, 900, 600).check,
        "",
        600,
        "weight",
        [(str(value), words) for value, words in WEIGHT_WORDS.items()],
        "Type",
    ),
    "capitals": one_of("Letters", CAPITALS, "as_written", group="Type"),
    "letter_spacing": number("Letter spacing", -10, 60, 0, "% em", group="Type"),
    "line_height_pct": number("Line height", 80, 220, 115, "%", group="Type"),
    "colour": hue("Colour", "#FFFDF8", group="Colours"),
    "accent": hue("Accent", "#E8B04B", group="Colours"),
    "quiet": hue("Labels", "#D9CFBC", group="Colours"),
    "outline_px": number("Text outline", 0, 20, 0, "px", group="Colours"),
    "outline_colour": hue("Outline colour", "#14202C", group="Colours"),
    "backing": one_of("Backing", BACKINGS, "solid", group="Backing"),
    "shape": one_of("Shape", SHAPES, "box", group="Backing", only_if=_BACKED),
    "backing_colour": hue("Backing colour", "#1E2A38", group="Backing", only_if=_BACKED),
    "backing_colour_2": hue("To", "#2F6B5E", group="Backing", only_if=("backing", ("gradient",))),
    "gradient_deg": number("Direction", 0, 360, 90, "°", group="Backing", only_if=("backing", ("gradient",))),
    "backing_opacity_pct": number("Opacity", 0, 100, 90, "%", group="Backing", only_if=_BACKED),
    "corner_px": number("Corners", 0, 500, 8, "px", group="Backing", only_if=_BACKED),
    "padding_px": number("Padding", 0, 500, 20, "px", group="Backing"),
    "gap_px": number("Gap", 0, 200, 10, "px", group="Backing"),
    "edge_px": number("Edge", 0, 40, 0, "px", group="Edge and light"),
    "edge_sides": one_of("Edge position", EDGES, "all", group="Edge and light"),
    "edge_colour": hue("Edge colour", "#E8B04B", group="Edge and light"),
    "shadow_px": number("Shadow offset", -60, 60, 0, "px", group="Edge and light"),
    "shadow_blur_px": number("Shadow softness", 0, 120, 0, "px", group="Edge and light"),
    "shadow_colour": hue("Shadow colour", "#14202C", group="Edge and light"),
    "shadow_opacity_pct": number("Shadow opacity", 0, 100, 40, "%", group="Edge and light"),
    "glow_px": number("Text glow", 0, 60, 0, "px", group="Edge and light"),
    "glow_colour": hue("Glow colour", "#FFD98A", group="Edge and light"),
    "entry": one_of("Comes", ENTRIES, "fade", group="Motion"),
    "exit": one_of("Goes", EXITS, "fade", group="Motion"),
    "change": one_of("Value change", CHANGES, "plain", group="Motion"),
    "motion_ms": number("Takes", 0, 5_000, 400, "ms", group="Motion"),
    "easing": one_of("Pace", EASINGS, "soft", group="Motion"),
}
COLOURS = tuple(name for name, one in STYLE_FIELDS.items() if one.kind == "colour")
DEFAULTS: Mapping[str, Any] = MappingProxyType({name: one.default for name, one in STYLE_FIELDS.items()})
PLAIN = "plain"
"""The look without a name: what a piece wears whose own look is gone."""


@dataclass(frozen=True, slots=True)
class Look:
    """A look. `values` holds what both forms share, `forms` the colours of each; what neither names is the default."""

    id: str
    name: str
    about: str = ""
    values: Mapping[str, Any] = field(default_factory=dict)
    forms: Mapping[str, Mapping[str, str]] = field(default_factory=dict)

    def style(self, form: str) -> dict[str, Any]:
        """All style choices, in the light or the dark form."""
        return {**DEFAULTS, **self.values, **self.forms.get(form, {})}

    def choices(self, form: str) -> dict[str, Any]:
        """All that can be changed of it, in the light or the dark form, as it is stored."""
        return {**self.style(form), "name": self.name, "about": self.about}

    def changed(self, choices: Mapping[str, object], form: str) -> Look:
        """The look with these choices checked and made; colours in this form alone. Raises InvalidPiece."""
        wrong = {name: "No such setting for a look." for name in choices if name not in _LOOK_FIELDS}
        if wrong:
            raise InvalidPiece(wrong)
        good = checked(_LOOK_FIELDS, choices)
        shared = {name: value for name, value in good.items() if name in STYLE_FIELDS and name not in COLOURS}
        colours = {name: value for name, value in good.items() if name in COLOURS}
        forms = {one: {**self.forms.get(one, {}), **(colours if one == form else {})} for one in FORMS}
        return replace(
            self,
            name=good.get("name", self.name),
            about=good.get("about", self.about),
            values={**self.values, **shared},
            forms=forms,
        )


_LOOK_FIELDS: Mapping[str, Field] = {
    **STYLE_FIELDS,
    "name": Field("Name", line(60)),
    "about": Field("About", lambda raw: " ".join(str(raw).split())[:200]),
}


def to_document(look: Look) -> dict[str, Any]:
    """The look as it is stored."""
    forms = {form: dict(look.forms.get(form, {})) for form in FORMS}
    return {"name": look.name, "about": look.about, "values": dict(look.values), "forms": forms}


def from_document(look_id: str, document: Mapping[str, Any]) -> Look:
    """The look that was stored; choices that this version does not know, or cannot use, are left out."""
    forms = document.get("forms", {})
    return Look(
        look_id,
        str(document.get("name", look_id)),
        str(document.get("about", "")),
        _usable(document.get("values", {})),
        {form: _usable(forms.get(form, {}), colours=True) for form in FORMS},
    )


def _usable(values: Mapping[str, object], colours: bool = False) -> dict[str, Any]:
    kept = {}
    for name, raw in values.items():
        if name not in STYLE_FIELDS or (colours and name not in COLOURS):
            continue
        try:
            kept[name] = STYLE_FIELDS[name].check(raw)
        except InvalidField:
            continue
    return kept
