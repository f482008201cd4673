"""The piece that draws a countdown or a clock: its text, and if wished how much of the time has gone."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, one_of
from tesoura.core.overlays.pieces.kind import ALIGNMENTS, SIZE, Choices, Part, PieceKind, PieceText, say

SHARES = (("none", "nothing"), ("empties", "a bar that empties"), ("fills", "a bar that fills"))


def _parts(choices: Choices) -> Mapping[str, Part]:
    name = choices["countdown"]
    if not name:
        return {}
    parts: dict[str, Part] = {"": say(f"{{{name}.text}}", choices)}
    if choices["bar"] != "none":
        share = f"{name}.share" if choices["bar"] == "fills" else f"1 - {name}.share"
        parts["level"] = say(f"{{{share}:.4f}}", choices, "0")
    return parts


def _words(choices: Choices) -> Sequence[PieceText]:
    return (PieceText(""),)


PIECE = PieceKind(
    name="countdown",
    title="Countdown or clock",
    about="The text of a countdown.",
    fields={
        "countdown": Field("Instrument", text(60, empty=True), "", "", "instrument", group="Values", of="countdown"),
        "bar": one_of("Under it", SHARES, "none", group="Values"),
        "align": one_of("Alignment", ALIGNMENTS, "centre", group="Place"),
        "size_px": SIZE,
    },
    parts=_parts,
    words=_words,
    size=(420, 130),
    style={"change": "plain"},
    wants="Choose a countdown. Create one under Instruments first.",
    extra_em=0.45,
    template="instruments/countdown/piece.html",
)
