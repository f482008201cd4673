"""The scoreboard as viewers see it: seven arrangements."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.instruments.scoreboard.acts import SIDES
from tesoura.core.instruments.scoreboard.signals import MOST_SPANS
from tesoura.core.overlays.pieces.kind import SIZE, Choices, Part, PieceKind, PieceText, say


@dataclass(frozen=True, slots=True)
class BoardArrangement:
    """How a scoreboard is laid: the words for it, its size in pixels and that of its letters, when viewers see it."""

    words: str
    size: tuple[int, int]
    size_px: int
    when: str
    names: str
    """Which names it has room for: `short` or `name`."""
    rows: bool = True
    """Whether the sides stand one above the other."""


PLAYED, BREAK, END, ALWAYS, MATCH = "played", "break", "end", "always", "match"
ARRANGEMENTS: Mapping[str, BoardArrangement] = {
    "corner": BoardArrangement("corner strip: both sides in two rows", (400, 148), 40, PLAYED, "short"),
    "bar": BoardArrangement("wide bar: all in one line", (1200, 84), 40, PLAYED, "name", rows=False),
    "lower": BoardArrangement("lower third: large names and players", (1400, 190), 46, PLAYED, "name", rows=False),
    "break": BoardArrangement("between sets: one column per set", (1000, 320), 44, BREAK, "name"),
    "card": BoardArrangement("end card: winner, sets, course", (1100, 620), 48, END, "name"),
    "tall": BoardArrangement("vertical: one above the other, points large", (200, 440), 44, PLAYED, "short"),
    "clock": BoardArrangement("clock and period only", (280, 116), 44, PLAYED, "short"),
}
SIZED: Mapping[str, Mapping[str, Any]] = {
    name: {"width_px": one.size[0], "height_px": one.size[1], "size_px": one.size_px, "when": one.when}
    for name, one in ARRANGEMENTS.items()
}
"""The size that fits each arrangement, and when it is seen: they come with it."""
WHEN = (
    (PLAYED, "during the match"),
    (BREAK, "between sets and periods"),
    (END, "after the match"),
    (MATCH, "from the first point to the end"),
    (ALWAYS, "always"),
)
_SEEN = {
    PLAYED: "{0}.state == 'playing' or {0}.state == 'ready'",
    BREAK: "{0}.state == 'between'",
    END: "{0}.card",
    MATCH: "{0}.state != 'ready'",
    ALWAYS: "known({0}.state)",
}
NOTICES = (("below", "below it"), ("above", "above it"), ("none", "hidden"))
_STATES: Mapping[str, frozenset[str]] = {
    PLAYED: frozenset(("ready", "playing")),
    BREAK: frozenset(("between",)),
    END: frozenset(("over",)),
    MATCH: frozenset(("playing", "between", "over")),
    ALWAYS: frozenset(("ready", "playing", "between", "over")),
}
"""In which states of the match each is seen."""
_HOW = "Arrangement"
SMALL = 0.54
_WITH_SPANS = ("arranged", ("break", "card", "bar", "corner"))


def _parts(choices: Choices) -> Mapping[str, Part]:
    name, arranged = choices["scoreboard"], choices["arranged"]
    if not name:
        return {}

    def told(signal: str) -> Part:
        return say(f'{{coalesce({name}.{signal}, "")}}', choices)

    shown = [*_WANTS[arranged], *(_NOTICE if choices["notices"] != "none" else ())]
    parts: dict[str, Part] = {"": say(f'{{"1" if {_SEEN[choices["when"]].format(name)} else ""}}', choices)}
    parts |= {one: told(one) for one in ("colours", "serves", *shown)}
    if choices["swap"] == "yes":
        parts["ends"] = say(f'{{"swapped" if coalesce({name}.ends, False) else ""}}', choices)
    for side in SIDES:
        parts[f"{side}_name"] = told(f"{side}_{ARRANGEMENTS[arranged].names}")
        parts |= {f"{side}_{one}": told(f"{side}_{one}") for one in _OF_SIDE[arranged]}
        if choices["marks"] == "yes":
            parts[f"{side}_mark"] = told(f"{side}_mark")
    return parts


_NOTICE = ("notice_title", "notice")
_SPANS = tuple(f"span_{at}" for at in range(1, MOST_SPANS + 1))
_WANTS: Mapping[str, tuple[str, ...]] = {
    "corner": ("call", "clock", "span"),
    "bar": ("call", "clock", "span", "over_time"),
    "lower": ("call", "heading", "server", "clock", "span"),
    "break": ("heading", "call", "span"),
    "card": ("heading", "call", "score", "course"),
    "tall": ("call", "clock"),
    "clock": ("clock", "span", "over_time", "added"),
}
_OF_SIDE: Mapping[str, tuple[str, ...]] = {
    "corner": ("won", "points"),
    "bar": ("won", "points"),
    "lower": ("won", "points", "players", "country"),
    "break": ("won", *_SPANS),
    "card": ("won", "players", *_SPANS),
    "tall": ("won", "points"),
    "clock": (),
}


def _apart(one: Choices, other: Choices) -> bool:
    """Two of the same match that are seen in no state of it together."""
    return one["scoreboard"] == other["scoreboard"] and not _STATES[one["when"]] & _STATES[other["when"]]


def columns_of(choices: Choices) -> range:
    """The numbers of the columns for sets or periods."""
    return range(1, choices["columns"] + 1)


def _words(choices: Choices) -> Sequence[PieceText]:
    """What the fit check measures: names yield, figures need their room."""
    arranged = choices["arranged"]
    if arranged == "clock":
        return [PieceText("clock", 1.0, "colour"), PieceText("span", SMALL, "quiet", 1, yields=True)]
    if arranged in ("break", "card"):
        found = []
        for line, side in enumerate(SIDES):
            found.append(PieceText(f"{side}_name", 0.8, "colour", line, yields=True))
            found += [
                PieceText(f"{side}_span_{at}", 0.8, "colour", line, cell=at + 2, cells=choices["columns"] + 4)
                for at in columns_of(choices)
            ]
        return [
            *found,
            PieceText("call", SMALL, "accent", 2, yields=True),
            PieceText("heading", SMALL, "quiet", 3, yields=True),
        ]
    stacked = ARRANGEMENTS[arranged].rows
    found = []
    for at, side in enumerate(SIDES):
        found.append(PieceText(f"{side}_name", 1.0, "colour", at * stacked, yields=True))
        found.append(PieceText(f"{side}_points", 1.0, "colour", at * stacked, share=0.3))
    return [*found, PieceText("call", SMALL, "accent", 2 if stacked else 0, yields=True)]


PIECE = PieceKind(
    name="scoreboard",
    title="Scoreboard",
    about="The score of a match in seven layouts. Set breaks and the end card appear automatically.",
    fields={
        "scoreboard": Field("Instrument", text(60, empty=True), "", "", "instrument", group="Values", of="scoreboard"),
        "arranged": one_of(
            "Layout", tuple((name, one.words) for name, one in ARRANGEMENTS.items()), "corner", group=_HOW
        ),
        "when": one_of("Visible", WHEN, PLAYED, group=_HOW),
        "marks": switch("Team marks", "no", group=_HOW),
        "swap": switch("Swap places when ends change", "no", group=_HOW),
        "notices": one_of("Notices", NOTICES, "below", group=_HOW),
        "columns": number("Set columns", 1, MOST_SPANS, 5, group=_HOW, only_if=_WITH_SPANS),
        "floor_pct": number("Shrink long names to", 30, 100, 60, "%", group=_HOW),
        "size_px": SIZE,
    },
    parts=_parts,
    words=_words,
    apart=_apart,
    size=ARRANGEMENTS["corner"].size,
    first={"size_px": ARRANGEMENTS["corner"].size_px},
    style={"change": "roll"},
    wants="Choose a scoreboard. Create one under Instruments first.",
    template="instruments/scoreboard/piece.html",
    along={"arranged": SIZED},
    helpers={"columns": columns_of},
)
