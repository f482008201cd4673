"""A replay as viewers see it: a box of any size with the clip in it, its words, and a bar of what is left."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.overlays.pieces.kind import SIZE, Choices, Part, PieceKind, PieceText, say

_HOW = "The replay"
FITTED = (("cover", "fills the box; what stands over is cut off"), ("contain", "all of it is seen; edges stay free"))
SOUND = (("off", "off"), ("quiet", "quieter"), ("on", "on"))
NOTE_SHARE = 0.75
WORDS = (("under", "under it"), ("over", "over it"), ("none", "none"))


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
    about="The clip of a moment, in a box of any size; nothing is seen of it until there is one.",
    fields={
        "replays": Field("Which ones", text(60, empty=True), "", "", "instrument", group="Values", of="replay"),
        "fitted": one_of("The picture", FITTED, "cover", group=_HOW),
        "words": one_of("Its words stand", WORDS, "under", group=_HOW),
        "bar": switch("A bar of what is left", group=_HOW),
        "round_px": number("Its corners are rounded by", 0, 200, 10, "px", group=_HOW),
        "edge_px": number("Its edge is", 0, 30, 0, "px", group=_HOW),
        "own_sound": one_of("The clip's own sound", SOUND, "off", group=_HOW),
        "own_sound_pct": number("Quieter means", 5, 95, 30, "%", group=_HOW, only_if=("own_sound", ("quiet",))),
        "size_px": SIZE,
    },
    fills=True,
    at_times=" while a replay is seen",
    parts=_parts,
    words=_words,
    size=(640, 410),
    first=_FIRST,
    wants="Choose which replays it shows. Set them up under Instruments first.",
    template="instruments/replay/piece.html",
    overlay_size=(1920, 1080),
)
