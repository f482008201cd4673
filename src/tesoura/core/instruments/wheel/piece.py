"""The wheel as viewers see it: two looks of wheel, and a list that drops."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from math import pi, sin
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.overlays.pieces.kind import SIZE, Choices, MeasuredText, Part, PieceKind, PieceText, say


@dataclass(frozen=True, slots=True)
class WheelArrangement:
    """How a wheel is drawn: the words for it, its size in pixels, that of its letters."""

    words: str
    size: tuple[int, int]
    size_px: int


PLATE, RING, DROP = "plate", "ring", "drop"
ARRANGEMENTS: Mapping[str, WheelArrangement] = {
    PLATE: WheelArrangement("plate: text from the rim inward, pegs on the rim", (840, 900), 40),
    RING: WheelArrangement("ring: result in the middle", (900, 900), 40),
    DROP: WheelArrangement("list in a window", (760, 420), 52),
}
SIZED: Mapping[str, Mapping[str, Any]] = {
    name: {"width_px": one.size[0], "height_px": one.size[1], "size_px": one.size_px}
    for name, one in ARRANGEMENTS.items()
}
WHEN = (("spin", "during a spin and its result"), ("always", "always"))
HOLE: Mapping[str, float] = {PLATE: 0.16, RING: 0.42}
"""The share of the radius at which words end towards the middle."""
RIM = 0.93
"""The share of the radius at which they begin."""
ROWS_SEEN = 5
"""So many rows of the list are seen in its window."""
_HOW = "The wheel"


def _parts(choices: Choices) -> Mapping[str, Part]:
    name = choices["wheel"]
    if not name:
        return {}
    shown = f"coalesce({name}.there, False)" if choices["when"] == "spin" else f"known({name}.state)"
    parts: dict[str, Part] = {"": say(f'{{"1" if {shown} else ""}}', choices)}
    for one in ("face", "motion", "note", *(("text",) if choices["result"] == "yes" else ())):
        parts[one] = say(f'{{coalesce({name}.{one}, "")}}', choices)
    return parts


def _words(choices: Choices) -> Sequence[PieceText]:
    found = [PieceText("note", 0.6, "accent", 1, yields=True)]
    return [PieceText("text", 0.9, "colour", yields=True), *found] if choices["result"] == "yes" else found


def _too_long(choices: Choices, says: Mapping[str, str], measure: MeasuredText) -> Iterator[str]:
    """The fields whose words have no room in them at the least size that is chosen, a sentence each."""
    try:
        rows = json.loads(says.get("face") or "[]")
    except ValueError:
        return
    least = max(round(choices["size_px"] * choices["floor_pct"] / 100), 1)
    begun, lost = 0.0, []
    for words, edge, *_ in rows:
        wide, high = room_of(choices, edge - begun, len(rows))
        begun = edge
        width, height = measure(words, least)
        if edge and high and (width > wide or height > high):
            lost.append(words)
    if lost:
        named = "”, “".join(one[:30] for one in lost[:3])
        more = f" and {len(lost) - 3} more" if len(lost) > 3 else ""
        yield f"At {least} px the field is too small for: “{named}”{more}."


def room_of(choices: Choices, share: float, fields: int) -> tuple[float, float]:
    """How long and how high the words of a field may be that has this share of the wheel; pixels."""
    width, height = choices["width_px"], choices["height_px"]
    if choices["arranged"] == DROP:
        return width * 0.9, height / ROWS_SEEN
    if share <= 0:
        return 0.0, 0.0
    radius = min(width, height) / 2
    inner = HOLE[choices["arranged"]]
    # Where the words are widest apart from the middle, a field is as high as its chord; half way in is what counts.
    middle = (RIM + inner) / 2 * radius
    high = 2 * middle * sin(min(share, 0.5) * pi)
    return (RIM - inner) * radius, high


PIECE = PieceKind(
    name="wheel",
    title="Wheel",
    about="A wheel with fields sized by chance that spins to the drawn result.",
    fields={
        "wheel": Field("Instrument", text(60, empty=True), "", "", "instrument", group="Values", of="wheel"),
        "arranged": one_of("Layout", tuple((name, one.words) for name, one in ARRANGEMENTS.items()), PLATE, group=_HOW),
        "when": one_of("Visible", WHEN, "spin", group=_HOW),
        "result": switch("Result text", group=_HOW),
        "floor_pct": number("Shrink text to", 20, 100, 40, "%", group=_HOW),
        "sound": switch("It sounds", group=_HOW),
        "size_px": SIZE,
    },
    parts=_parts,
    words=_words,
    fits=_too_long,
    size=ARRANGEMENTS[PLATE].size,
    first={"size_px": ARRANGEMENTS[PLATE].size_px, "x": 540, "y": 90},
    wants="Choose a wheel. Create one under Instruments first.",
    template="instruments/wheel/piece.html",
    overlay_size=(1920, 1080),
    along={"arranged": SIZED},
)
