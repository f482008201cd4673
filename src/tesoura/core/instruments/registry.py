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
    }
)
"""Every kind by name, in the order in which they are offered."""
