"""A text: a wording, as large as its words unless it is given a width."""

from __future__ import annotations

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of
from tesoura.core.language.wording import MAX_GROWTH
from tesoura.core.overlays.pieces.kind import ALIGNMENTS, SIZE, Choices, PieceKind, PieceText, say, wording

SIDES = (("right", "right"), ("left", "left"), ("both", "both sides"))

KIND = PieceKind(
    name="text",
    title="Text",
    about="Text and values: a count, a name, a song.",
    fields={
        "wording": Field("Wording", wording, "", "Your text here", "wording", group="Words"),
        "nothing_yet": Field("Nothing yet", text(200, empty=True), "", "—", group="Words"),
        "size_px": SIZE,
        "align": one_of("Lines", ALIGNMENTS, "left", group="Place"),
        "grow_toward": one_of("Grows toward", SIDES, "right", group="Place"),
        "grow_digits": number("Reserve", 0, MAX_GROWTH, 1, "more digits", group="Place"),
    },
    parts=lambda choices: {"": say(choices["wording"], choices, choices["nothing_yet"])},
    words=lambda choices: [PieceText("")],
    sized="text",
    size=(0, 0),
)


def anchored(choices: Choices) -> float:
    """The share of its width by which a text stands to the left of where it is held."""
    return {"right": 0.0, "left": 1.0, "both": 0.5}[choices["grow_toward"]]
