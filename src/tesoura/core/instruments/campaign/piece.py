"""The card of a read: the sponsor's mark and words, above every other piece while it is seen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, one_of
from tesoura.core.overlays.pieces.kind import SIZE, Choices, Part, PieceKind, PieceText, say

_HOW = "The card"
WHERE = (("left", "left of its words"), ("above", "above its words"))


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
    about="A sponsor's mark and words while it is read; it stands above everything else.",
    fields={
        "campaign": Field("Which campaign", text(60, empty=True), "", "", "instrument", group="Values", of="campaign"),
        "mark_stands": one_of("Its mark stands", WHERE, "left", group=_HOW),
        "size_px": SIZE,
    },
    parts=_parts,
    words=_words,
    size=(620, 180),
    first={"size_px": 44, "x": 650, "y": 830},
    fills=True,
    shows_marks=True,
    on_top=True,
    at_times=" while it is read",
    wants="Choose which campaign it shows. Make one under Instruments first.",
    template="instruments/campaign/piece.html",
    overlay_size=(1920, 1080),
)
