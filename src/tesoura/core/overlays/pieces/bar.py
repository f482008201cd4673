"""A bar that fills toward a goal."""

from __future__ import annotations

from collections.abc import Mapping

from tesoura.core.forms.fields import Field, one_of
from tesoura.core.overlays.pieces.kind import (
    SIZE,
    Choices,
    Part,
    PieceKind,
    PieceText,
    formula,
    say,
    share,
    wording_or_nothing,
)

TOWARD = (("right", "to the right"), ("up", "upward"))
LEVEL_FIELDS: Mapping[str, Field] = {
    "value": Field("Progress", formula, "", "50", "formula", group="Values"),
    "low": Field("Start value", formula, "", "0", "formula", group="Values"),
    "high": Field("Goal", formula, "", "100", "formula", group="Values"),
    "label": Field("Label", wording_or_nothing, "", "", "wording", group="Words"),
    "figure": Field("Figure", wording_or_nothing, "", "", "wording", group="Words"),
}


def level_parts(choices: Choices) -> Mapping[str, Part]:
    """What a bar or a ring says: how full it is, its label and its figure."""
    parts: dict[str, Part] = {"level": share(choices["value"], choices["low"], choices["high"], choices)}
    for name in ("label", "figure"):
        if choices[name]:
            parts[name] = say(choices[name], choices)
    return parts


def side_by_side(choices: Choices) -> list[PieceText]:
    """A label at the left and a figure at the right of one line."""
    return [
        PieceText(name, 1.0, "quiet" if name == "label" else "colour") for name in ("label", "figure") if choices[name]
    ]


KIND = PieceKind(
    name="bar",
    title="Bar",
    about="A bar that fills toward a goal.",
    fields={**LEVEL_FIELDS, "toward": one_of("Fills", TOWARD, "right", group="Place"), "size_px": SIZE},
    parts=level_parts,
    words=side_by_side,
    size=(560, 110),
    extra_em=0.45,
)
