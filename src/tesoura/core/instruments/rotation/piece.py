"""A rotation as viewers see it: one slot, or two side by side or stacked, each with a mark that is never cropped."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from math import ceil

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of
from tesoura.core.overlays.pieces.kind import SIZE, Choices, MeasuredText, Part, PieceKind, say

_HOW = "Slots"
STANDS = (("beside", "side by side"), ("stacked", "one above the other"))
CHANGE = (("fade", "by fading"), ("cut", "at once"))


def _parts(choices: Choices) -> Mapping[str, Part]:
    name = choices["rotation"]
    if not name:
        return {}
    return {
        "": say(f'{{"1" if coalesce({name}.there, False) else ""}}', choices),
        "face": say(f'{{coalesce({name}.face, "[]")}}', choices),
        "ahead": say(f'{{coalesce({name}.ahead, "[]")}}', choices),
    }


def _too_long(choices: Choices, says: Mapping[str, str], measure: MeasuredText) -> Iterator[str]:
    """The words that have no room in a slot, a sentence each."""
    face, ahead = (_listed(says.get(one, "")) for one in ("face", "ahead"))
    beside, stacked = (2, 1) if choices["stands"] == "beside" else (1, 2)
    across, down = (beside, stacked) if len(face) > 1 else (1, 1)
    free = 1 - 2 * choices["room_pct"] / 100
    wide, high = choices["width_px"] / across * free, choices["height_px"] / down * free
    for words in dict.fromkeys(str(one[3]) for one in (*face, *ahead) if len(one) > 3 and one[3]):
        width, height = measure(words, choices["size_px"])
        lines = ceil(width / wide) if wide > 0 else 1
        if lines * height > high:
            count = "one line" if lines == 1 else f"{lines} lines"
            yield f"“{words[:40]}” needs {count} of {choices['size_px']} px, for which a slot has no room."


def _listed(raw: str) -> list[list[str]]:
    try:
        found = json.loads(raw or "[]")
    except ValueError:
        return []
    return found if isinstance(found, list) else []


PIECE = PieceKind(
    name="sponsor",
    title="Sponsor rotation",
    about="Shows a rotation: marks, videos and texts of sponsors in turn.",
    fields={
        "rotation": Field("Rotation", text(60, empty=True), "", "", "instrument", group="Values", of="rotation"),
        "stands": one_of("Two sponsors", STANDS, "beside", group=_HOW),
        "room_pct": number("Padding", 0, 30, 8, "%", group=_HOW),
        "turns": one_of("Transition", CHANGE, "fade", group=_HOW),
        "size_px": SIZE,
    },
    parts=_parts,
    fits=_too_long,
    size=(420, 180),
    first={"size_px": 40, "x": 1400, "y": 820},
    style={"backing": "solid"},
    fills=True,
    shows_marks=True,
    at_times=" while a sponsor is on screen",
    wants="Choose a rotation. Create one under Instruments first.",
    template="instruments/rotation/piece.html",
    overlay_size=(1920, 1080),
)
