"""The card of what plays: six arrangements, with a cover, its title, who made it, and how far it has come."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.overlays.pieces.kind import SIZE, Choices, Part, PieceKind, PieceText, say


@dataclass(frozen=True, slots=True)
class Arrangement:
    """How a card is laid: the words for it, its size in pixels, that of its letters, and what it has room for."""

    words: str
    size: tuple[int, int]
    size_px: int
    lines: int
    """How many lines of words stand under each other."""


ARRANGEMENTS: Mapping[str, Arrangement] = {
    "strip": Arrangement("strip: all in one line", (360, 48), 18, 1),
    "plate": Arrangement("plate: cover on the left, text beside it", (520, 132), 30, 2),
    "band": Arrangement("band along the screen", (960, 92), 30, 1),
    "stamp": Arrangement("stamp: text on the cover", (260, 260), 22, 2),
    "tower": Arrangement("tower: text under the cover", (300, 420), 24, 3),
    "poster": Arrangement("poster: large cover, large text", (640, 400), 40, 3),
}
SIZED: Mapping[str, Mapping[str, Any]] = {
    name: {"width_px": one.size[0], "height_px": one.size[1], "size_px": one.size_px}
    for name, one in ARRANGEMENTS.items()
}
"""The size that fits each arrangement: it comes with it."""
_ARRANGED = tuple((name, one.words) for name, one in ARRANGEMENTS.items())
SMALLER = 0.72
"""The size of all but the title, as a share of its."""
COVERS = (("square", "square"), ("round", "round"), ("turning", "round, spinning while playing"), ("none", "none"))
PROGRESS = (("bar", "a bar"), ("ring", "a ring around the cover"), ("none", "nothing"))
TIMES = (("none", "none"), ("position", "elapsed"), ("left", "remaining"), ("both", "elapsed and length"))
TRAVELS = (("no", "end in …"), ("once", "scroll once, then end in …"), ("on", "scroll"))
COLOURED = (("look", "from the look"), ("cover", "from the cover, kept readable"))
_CARD, _LONG = "Card", "Long text"
_WITH_COVER = ("cover", ("square", "round", "turning"))
_TRAVELLING = ("travel", ("once", "on"))


def _parts(choices: Choices) -> Mapping[str, Part]:
    name = choices["now_playing"]
    if not name:
        return {}

    def told(signal: str) -> Part:
        return say(f'{{coalesce({name}.{signal}, "")}}', choices)

    parts: dict[str, Part] = {
        "": say(f'{{"1" if coalesce({name}.there, False) else ""}}', choices),
        "title": told("title"),
        "motion": told("motion"),
    }
    for wished in ("artists", "album"):
        if choices[wished] == "yes":
            parts[wished] = told(wished)
    if choices["next"] == "yes":
        follows = f"{name}.next"
        parts["next"] = say(f'{{join("{choices["next_word"]} ", {follows}) if known({follows}) else ""}}', choices)
    if choices["cover"] != "none" or choices["behind"] == "yes":
        parts["cover"] = told("cover")
    if choices["coloured"] == "cover":
        parts["tint"] = told("tint")
    return parts


def _words(choices: Choices) -> Sequence[PieceText]:
    """What the fit check measures: the words yield, by shrinking and travelling, and never stick out."""
    stacked = ARRANGEMENTS[choices["arranged"]].lines > 1
    found = [PieceText("title", 1.0, "colour", yields=True)]
    smaller = [name for name in ("artists", "album", "next") if choices[name] == "yes"]
    found += [
        PieceText(name, SMALLER, "accent" if name == "next" else "quiet", line if stacked else 0, yields=True)
        for line, name in enumerate(smaller, 1)
    ]
    if choices["time"] != "none":
        below = len(smaller) + 1 if choices["arranged"] in ("plate", "poster", "tower") else 0
        found.append(PieceText("", SMALLER, "quiet", below, fixed="8:88 / 8:88", yields=True))
    return found


def _word(raw: object) -> str:
    typed = text(20, empty=True)(raw).strip()
    return "".join(char for char in typed if char not in '"{}\\\n')


PIECE = PieceKind(
    name="song_card",
    title="Song card",
    about="Current track: cover, title, artists and progress.",
    fields={
        "now_playing": Field(
            "Instrument", text(60, empty=True), "", "", "instrument", group="Values", of="now_playing"
        ),
        "arranged": one_of("Layout", _ARRANGED, "plate", group=_CARD),
        "cover": one_of("Cover", COVERS, "square", group=_CARD),
        "soft": switch("Fade cover edge", "no", group=_CARD, only_if=_WITH_COVER),
        "behind": switch("Blurred cover as background", "no", group=_CARD),
        "artists": switch("Artists", group=_CARD),
        "album": switch("Album", "no", group=_CARD),
        "progress": one_of("Progress", PROGRESS, "bar", group=_CARD),
        "time": one_of("Time", TIMES, "none", group=_CARD),
        "next": switch("Up next", "no", group=_CARD),
        "next_word": Field("Prefix", _word, "", "next:", group=_CARD, only_if=("next", ("yes",))),
        "coloured": one_of("Colours", COLOURED, "look", group=_CARD),
        "floor_pct": number("Shrink to", 30, 100, 70, "%", group=_LONG),
        "travel": one_of("Still too long", TRAVELS, "on", group=_LONG),
        "speed_px_s": number("Scroll speed", 10, 400, 40, "px a second", group=_LONG, only_if=_TRAVELLING),
        "pause_s": number("Pause at the ends", 0, 20, 2, "s", group=_LONG, only_if=_TRAVELLING),
        "size_px": SIZE,
    },
    parts=_parts,
    words=_words,
    size=ARRANGEMENTS["plate"].size,
    first={"size_px": ARRANGEMENTS["plate"].size_px},
    style={"change": "slide"},
    wants="Choose a now-playing instrument. Create one under Instruments first.",
    template="instruments/now_playing/piece.html",
    overlay_size=(640, 400),
    along={"arranged": SIZED},
)
