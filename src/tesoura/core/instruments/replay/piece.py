"""A replay as viewers see it: a box of any size with the clip in it, its words, and a bar of what is left."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.overlays.pieces.kind import SIZE, Choices, Part, PieceKind, PieceText, say

_HOW = "The replay"
FITTED = (("cover", "fill the box, crop edges"), ("contain", "show all, leave edges free"))
SOUND = (("off", "off"), ("quiet", "quieter"), ("on", "on"))
NOTE_SHARE = 0.75
WORDS = (("under", "below"), ("over", "above"), ("none", "none"))


def _parts(choices: Choices) -> Mapping[str, Part]:
    name = choices["replays"]
    if not name:
        return {}
    parts: dict[str, Part] = {"": say(f'{{"1" if coalesce({name}.there, False) else ""}}', choices)}
    for one in ("motion", "note", *(("caption",) if choices["words"] != "none" else ())):
        parts[one] = say(f'{{coalesce({name}.{one}, "")}}', choices)
    return parts


def _words(choices: Choices) -> Sequence[PieceText]:
    found = [PieceText("note", NOTE_SHARE, "accent", 1, yields=True)]
    return [PieceText("caption", 1.0, "colour", yields=True), *found] if choices["words"] != "none" else found


_FIRST: Mapping[str, Any] = {"size_px": 30, "x": 1248, "y": 96}

PIECE = PieceKind(
    name="replay",
    title="Replay",
    about="Plays replay clips in a box of any size. Empty between replays.",
    fields={
        "replays": Field("Instrument", text(60, empty=True), "", "", "instrument", group="Values", of="replay"),
        "fitted": one_of("Picture", FITTED, "cover", group=_HOW),
        "words": one_of("Caption", WORDS, "under", group=_HOW),
        "bar": switch("Progress bar", group=_HOW),
        "round_px": number("Corner radius", 0, 200, 10, "px", group=_HOW),
        "edge_px": number("Edge width", 0, 30, 0, "px", group=_HOW),
        "own_sound": one_of("Clip sound", SOUND, "off", group=_HOW),
        "own_sound_pct": number("Volume", 5, 95, 30, "%", group=_HOW, only_if=("own_sound", ("quiet",))),
        "size_px": SIZE,
    },
    fills=True,
    at_times=" during a replay",
    parts=_parts,
    words=_words,
    size=(640, 410),
    first=_FIRST,
    wants="Choose a replay instrument. Create one under Instruments first.",
    template="instruments/replay/piece.html",
    overlay_size=(1920, 1080),
)
