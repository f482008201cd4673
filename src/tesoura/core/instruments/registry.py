"""The kinds of instrument: one module or folder beside this one each, which names an `InstrumentKind` as `KIND`."""

from __future__ import annotations

from tesoura.core.instruments.base import InstrumentKind
from tesoura.core.kinds import Kinds

_HERE = "tesoura.core.instruments"

KINDS: Kinds[InstrumentKind] = Kinds(
    {
        "countdown": f"{_HERE}.countdown",
        "statistics": f"{_HERE}.statistics",
        "map": f"{_HERE}.map",
        "now_playing": f"{_HERE}.now_playing",
        "scoreboard": f"{_HERE}.scoreboard",
        "wheel": f"{_HERE}.wheel",
        "replay": f"{_HERE}.replay",
        "campaign": f"{_HERE}.campaign",
        "rotation": f"{_HERE}.rotation",
        "run": f"{_HERE}.run",
        "cue": "tesoura.core.cues",
    }
)
"""Every kind by name, in the order in which they are offered."""


def of_room(room: str) -> list[InstrumentKind]:
    """The kinds that are set up on these pages."""
    return [kind for kind in KINDS.values() if kind.room == room]
