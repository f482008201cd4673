"""A rotation as viewers see it: one slot, or two side by side or stacked, each with a mark that is never cropped."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of
from tesoura.core.overlays.pieces.kind import SIZE, Choices, Part, PieceKind, PieceText, say

_HOW = "The slots"
STANDS = (("beside", "two beside each other"), ("stacked", "two on top of each other"))
CHANGE = (("fade", "one fades into the next"), ("cut", "at once"))


def _parts(choices: Choices) -> Mapping[str, Part]:
    name = choices["rotation"]
    if not name:
        return {}
    return {
        "": say(f'{{"1" if coalesce({name}.there, False) else ""}}', choices),
        "face": say(f'{{coalesce({name}.face, "[]")}}', choices),
        "ahead": say(f'{{coalesce({name}.ahead, "[]")}}', choices),
    }


def _words(choices: Choices) -> Sequence[PieceText]:
    return ()


PIECE = PieceKind(
    name="sponsor",
    title="Sponsors, by turns",
    about="What a rotation shows: marks, videos and words of sponsors, one after another.",
    fields={
        "rotation": Field("Which rotation", text(60, empty=True), "", "", "instrument", group="Values", of="rotation"),
        "stands": one_of("With two", STANDS, "beside", group=_HOW),
        "room_pct": number("Free around each", 0, 30, 8, "%", group=_HOW),
        "turns": one_of("It changes", CHANGE, "fade", group=_HOW),
        "size_px": SIZE,
    },
    parts=_parts,
    words=_words,
    size=(420, 180),
    first={"size_px": 40, "x": 1400, "y": 820},
    style={"backing": "solid"},
    fills=True,
    at_times=" while a sponsor is seen",
    wants="Choose which rotation it shows. Make one under Instruments first.",
    template="instruments/rotation/piece.html",
    overlay_size=(1920, 1080),
)  # fmt: skip
