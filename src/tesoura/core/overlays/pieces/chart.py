"""A small chart of a signal's last minutes."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of
from tesoura.core.overlays.pieces.bar import side_by_side
from tesoura.core.overlays.pieces.kind import SIZE, ChartLine, Choices, Part, PieceKind, say, wording_or_nothing

UNTIL_S = 5.0
"""How often a chart moves on by itself."""
DRAWN = (("line", "a line"), ("area", "an area"))


def _parts(choices: Choices) -> Mapping[str, Part]:
    parts: dict[str, Part] = {"line": ChartLine(choices["signal"], choices["minutes"])}
    for name in ("label", "figure"):
        if choices[name]:
            parts[name] = say(choices[name], choices)
    return parts


def drawn(points: Sequence[tuple[float, float]], until: float, minutes: int) -> str:
    """The line through points `(unix seconds, value)` as an SVG path in a square of 100 by 100, oldest left.

    The scale runs from the least to the greatest value, with a little air; a single value is a level line.
    """
    since = until - minutes * 60
    shown = [(at, value) for at, value in points if at >= since]
    if not shown:
        return ""
    low, high = min(value for _, value in shown), max(value for _, value in shown)

    def place(at: float, value: float) -> str:
        across = (at - since) / (minutes * 60) * 100
        down = 50 if high == low else 4 + 92 * (high - value) / (high - low)
        return f"{across:.1f} {down:.1f}"

    return "M" + "L".join(place(at, value) for at, value in [*shown, (until, shown[-1][1])])


def made_up(minutes: int) -> str:
    """A line as it might be."""
    points = [
        (float(at), 40 + at / 9 + 9 * math.sin(at / 23) + 5 * math.sin(at / 7)) for at in range(0, minutes * 60, 6)
    ]
    return drawn(points, minutes * 60.0, minutes)


KIND = PieceKind(
    name="chart",
    title="Chart",
    about="A signal over the last minutes.",
    fields={
        "signal": Field("Signal", text(120, empty=True), "", "", "signal", group="Values"),
        "minutes": number("The last", 1, 10, 10, "min", group="Values"),
        "drawn": one_of("Layout", DRAWN, "area", group="Values"),
        "label": Field("Label", wording_or_nothing, "", "", "wording", group="Words"),
        "figure": Field("Figure", wording_or_nothing, "", "", "wording", group="Words"),
        "size_px": SIZE,
    },
    parts=_parts,
    words=side_by_side,
    size=(460, 190),
    extra_em=1.0,
)
