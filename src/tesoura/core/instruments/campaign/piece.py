"""The card of a read: the sponsor's mark and words, above every other piece while it is seen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, one_of
from tesoura.core.overlays.pieces.kind import SIZE, Choices, Part, PieceKind, PieceText, say

_HOW = "The card"
WHERE = (("left", "left of the text"), ("above", "above the text"))


def _parts(choices: Choices) -> Mapping[str, Part]:
    name = choices["campaign"]
    if not name:
        return {}
    return {
        "": say(f'{{"1" if coalesce({name}.card, False) else ""}}', choices),
        "words": say(f'{{coalesce({name}.card_words, "")}}', choices),
        "mark": say(f'{{coalesce({name}.mark, "")}}', choices),
    }


def _words(choices: Choices) -> Sequence[PieceText]:
    return (PieceText("words", yields=True),)


PIECE = PieceKind(
    name="read_card",
    title="Card of a read",
    about="A sponsor's mark and text during a read; always on top.",
    fields={
        "campaign": Field("Campaign", text(60, empty=True), "", "", "instrument", group="Values", of="campaign"),
        "mark_stands": one_of("Mark", WHERE, "left", group=_HOW),
        "size_px": SIZE,
    },
    parts=_parts,
    words=_words,
    size=(620, 180),
    first={"size_px": 44, "x": 650, "y": 830},
    fills=True,
    shows_marks=True,
    on_top=True,
    at_times=" during a read",
    wants="Choose a campaign. Create one under Instruments first.",
    template="instruments/campaign/piece.html",
    overlay_size=(1920, 1080),
)
