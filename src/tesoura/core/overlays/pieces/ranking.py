"""A ranking: the first places of a window, a row each."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, switch
from tesoura.core.overlays.pieces.kind import SIZE, Choices, Part, PieceKind, PieceText, say, wording_or_nothing

MOST_ROWS = 10
TITLE_SCALE = 0.8


def _parts(choices: Choices) -> Mapping[str, Part]:
    parts: dict[str, Part] = {"title": say(choices["title"], choices)} if choices["title"] else {}
    if choices["ranking"]:
        for row in range(1, choices["rows"] + 1):
            place = f"{choices['ranking']}.top_{row}"
            parts[f"name_{row}"] = say(f"{{{place}_name}}", choices)
            parts[f"amount_{row}"] = say(f"{{{place}_amount:,}}", choices)
    return parts


def _words(choices: Choices) -> Sequence[PieceText]:
    found = [PieceText("title", TITLE_SCALE, "accent")] if choices["title"] else []
    first = len(found)
    for row in range(1, choices["rows"] + 1):
        line = first + row - 1
        if choices["places"] == "yes":
            found.append(PieceText("", 1.0, "quiet", line, fixed=f"{row}"))
        found.append(PieceText(f"name_{row}", 1.0, "colour", line))
        if choices["amounts"] == "yes":
            found.append(PieceText(f"amount_{row}", 1.0, "accent", line))
    return found


KIND = PieceKind(
    name="ranking",
    title="Ranking",
    about="The top of a ranking, in rows.",
    fields={
        "ranking": Field("Ranking", text(60, empty=True), "", "", "ranking", group="Values"),
        "rows": number("Rows", 1, MOST_ROWS, 3, group="Values"),
        "places": switch("Places", group="Values"),
        "amounts": switch("Amounts", group="Values"),
        "title": Field("Title", wording_or_nothing, "", "", "wording", group="Words"),
        "size_px": SIZE,
    },
    parts=_parts,
    words=_words,
    size=(480, 260),
)
