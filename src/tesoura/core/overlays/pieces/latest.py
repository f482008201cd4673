"""The latest events of a type, a row each, with up to three columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number
from tesoura.core.overlays.pieces.kind import SIZE, Choices, Latest, Part, PieceKind, PieceText, say, wording_or_nothing
from tesoura.core.overlays.pieces.ranking import TITLE_SCALE

MOST_ROWS = 10
COLUMNS = (1, 2, 3)


def filled(choices: Choices) -> list[int]:
    """The columns that say something."""
    return [column for column in COLUMNS if choices[f"column_{column}"]]


def _parts(choices: Choices) -> Mapping[str, Part]:
    parts: dict[str, Part] = {"title": say(choices["title"], choices)} if choices["title"] else {}
    columns = tuple(say(choices[f"column_{column}"], choices) for column in filled(choices))
    return {**parts, "rows": Latest(choices["type"], choices["rows"], columns)}


def column_colour(place: int, columns: int) -> str:
    """The style choice that colours a column."""
    return "colour" if place == 1 else "accent" if place == columns else "quiet"


def _words(choices: Choices) -> Sequence[PieceText]:
    found = [PieceText("title", TITLE_SCALE, "accent")] if choices["title"] else []
    first, columns = len(found), len(filled(choices))
    return found + [
        PieceText(f"rows_{row}_{place}", 1.0, column_colour(place, columns), first + row - 1)
        for row in range(1, choices["rows"] + 1)
        for place in range(1, columns + 1)
    ]


KIND = PieceKind(
    name="latest",
    title="Latest",
    about="The latest events as a table.",
    fields={
        "type": Field("Events", text(120, empty=True), "", "gift", "event", group="Values"),
        "rows": number("Rows", 1, MOST_ROWS, 3, group="Values"),
        **{
            f"column_{column}": Field(f"Column {column}", wording_or_nothing, "", first, "wording", group="Values")
            for column, first in zip(COLUMNS, ("{gift.name}", "", "{gift.amount:,}"), strict=True)
        },
        "title": Field("Title", wording_or_nothing, "", "", "wording", group="Words"),
        "size_px": SIZE,
    },
    parts=_parts,
    words=_words,
    size=(480, 260),
)
