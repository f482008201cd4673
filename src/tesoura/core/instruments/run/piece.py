"""A run as viewers see it, in five arrangements."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.instruments.run.signals import AFTER, BEFORE
from tesoura.core.overlays.pieces.kind import SIZE, Choices, MeasuredText, Part, PieceKind, PieceText, say


@dataclass(frozen=True, slots=True)
class RunArrangement:
    """How a run is laid: the words for it, its size in pixels, that of its letters, what it tells."""

    words: str
    size: tuple[int, int]
    size_px: int
    tells: tuple[str, ...]


LIST, TRACK, HAND, LINE, COUNT = "list", "track", "hand", "line", "count"
ARRANGEMENTS: Mapping[str, RunArrangement] = {
    LIST: RunArrangement(
        "list: last, current and next splits",
        (640, 640),
        34,
        ("rows", "longest", "route", "number", "count", "difference_text", "time", "clean"),
    ),
    TRACK: RunArrangement(
        "track: a mark per split, the current one above",
        (900, 150),
        38,
        ("track", "split", "count", "difference_text", "time", "clean"),
    ),
    HAND: RunArrangement(
        "current split, large",
        (620, 260),
        56,
        (
            "split",
            "split_hits",
            "split_best",
            "count",
            "difference_text",
            "next_split",
            "time",
            "split_time",
            "clean",
            "picture",
        ),
    ),
    LINE: RunArrangement("one line", (900, 72), 38, ("number", "split", "count", "difference_text", "time", "clean")),
    COUNT: RunArrangement("number with its word", (320, 96), 56, ("count", "clean")),
}
SIZED: Mapping[str, Mapping[str, Any]] = {
    name: {"width_px": one.size[0], "height_px": one.size[1], "size_px": one.size_px}
    for name, one in ARRANGEMENTS.items()
}
ROW_EM, HEAD_EM, FOOT_EM, HAND_SCALE, NAME_SCALE, BESIDE_EM = 1.45, 1.3, 1.9, 1.35, 1.15, 7.4
"""The list in the size of its letters: how high a row, its head and its foot are; how much higher the row in hand is,
and how much larger its name; what stands beside the names."""
WHEN = (("always", "always"), ("running", "during a run"))
GROUPS = (("folded", "one row each"), ("spread", "show their splits"))
_HOW, _ROWS = "Arrangement", "The list"
_LISTED = ("arranged", (LIST,))
_NUMBERS = ("split_hits", "split_best")


def _parts(choices: Choices) -> Mapping[str, Part]:
    name, arranged = choices["run"], choices["arranged"]
    if not name:
        return {}
    seen = f"known({name}.state)" if choices["when"] == "always" else f'coalesce({name}.state, "ready") != "ready"'
    parts: dict[str, Part] = {"": say(f'{{"1" if {seen} else ""}}', choices)}
    rows = "folded" if choices["groups"] == "folded" else "list"
    for one in ARRANGEMENTS[arranged].tells:
        if one == "number":
            parts[one] = say(f'attempt {{coalesce({name}.attempt, "")}}', choices)
        elif one == "clean":
            parts[one] = say(f'{{"clean" if coalesce({name}.clean, True) else "over"}}', choices)
        elif one in _NUMBERS:
            parts[one] = say(f'{{{name}.{one} if known({name}.{one}) else ""}}', choices)
        else:
            parts[one] = say(f'{{coalesce({name}.{rows if one == "rows" else one}, "")}}', choices)
    return parts


def _words(choices: Choices) -> Sequence[PieceText]:
    """What is measured beside the rows: names yield, figures need their room."""
    arranged = choices["arranged"]
    if arranged == COUNT:
        return [PieceText("count")]
    if arranged == HAND:
        return [
            PieceText("split", 1.0, yields=True),
            PieceText("count", 0.6, line=1, cell=0, cells=2),
            PieceText("time", 0.6, "quiet", line=1, cell=1, cells=2),
        ]
    if arranged == LIST:
        return [
            PieceText("count", 0.9, line=0, cell=0, cells=2),
            PieceText("time", 0.9, "quiet", line=0, cell=1, cells=2),
        ]
    found = [PieceText("split", 1.0, yields=True, share=0.5), PieceText("count", 0.9, share=0.25)]
    return [*found, PieceText("time", 0.8, "quiet", share=0.25)]


def _too_long(choices: Choices, says: Mapping[str, str], measure: MeasuredText) -> Iterator[str]:
    """The list's rows that have no room, and the names that are longer than their place, a sentence each."""
    if choices["arranged"] == TRACK:
        count = len(says.get("track") or "")
        wide = choices["width_px"] / max(count, 1)
        if wide < 4:
            yield f"{count} marks have {wide:.1f} px each, too small to tell apart. Use the list layout."
        return
    if choices["arranged"] != LIST:
        return
    size, rows = choices["size_px"], choices["before"] + choices["after"]
    needs = size * (rows * ROW_EM + ROW_EM * HAND_SCALE + HEAD_EM + FOOT_EM)
    if needs > choices["height_px"] + 0.5:
        fits = int((choices["height_px"] / size - ROW_EM * HAND_SCALE - HEAD_EM - FOOT_EM) / ROW_EM)
        yield (
            f"{rows + 1} rows need {round(needs)} px of height, and there are {choices['height_px']}: "
            f"{max(fits, 0)} rows beside the current one fit."
        )
    wide = max(choices["width_px"] - size * BESIDE_EM, 0)
    for name in _listed(says.get("longest", "")):
        width, _ = measure(name, size * NAME_SCALE)
        if width > wide:
            yield (
                f"“{name[:40]}” needs {round(width)} px as the current split, but the space is {round(wide)}: "
                "it will be cut off."
            )
            return


def _listed(raw: str) -> list[str]:
    try:
        found = json.loads(raw or "[]")
    except ValueError:
        return []
    return [str(one) for one in found] if isinstance(found, list) else []


PIECE = PieceKind(
    name="run",
    title="Run",
    about="Hits per split against the best, the position, the time; or just a count.",
    fields={
        "run": Field("Instrument", text(60, empty=True), "", "", "instrument", group="Values", of="run"),
        "arranged": one_of("Layout", tuple((name, one.words) for name, one in ARRANGEMENTS.items()), LIST, group=_HOW),
        "when": one_of("Visible", WHEN, "always", group=_HOW),
        "with_time": switch("Show time", group=_HOW),
        "before": number("Previous splits", 0, BEFORE, 3, "splits", group=_ROWS, only_if=_LISTED),
        "after": number("Next splits", 0, AFTER, 6, "splits", group=_ROWS, only_if=_LISTED),
        "groups": one_of("Other groups", GROUPS, "folded", group=_ROWS, only_if=_LISTED),
        "size_px": SIZE,
    },
    parts=_parts,
    words=_words,
    fits=_too_long,
    size=ARRANGEMENTS[LIST].size,
    first={"size_px": ARRANGEMENTS[LIST].size_px, "x": 60, "y": 160},
    style={"backing": "solid"},
    wants="Choose a run. Create one under Instruments first.",
    template="instruments/run/piece.html",
    overlay_size=(1920, 1080),
    along={"arranged": SIZED},
)
