"""The kinds of instrument. A kind is one module beside this one that names an `InstrumentKind` as `KIND`."""

from __future__ import annotations

import importlib
import pkgutil

from tesoura.core import instruments
from tesoura.core.instruments.kind import InstrumentKind


def _found() -> dict[str, InstrumentKind]:
    kinds = {}
    for module in pkgutil.iter_modules(instruments.__path__):
        kind = getattr(importlib.import_module(f"{instruments.__name__}.{module.name}"), "KIND", None)
        if kind is not None:
            kinds[kind.name] = kind
    return dict(sorted(kinds.items(), key=lambda one: one[1].order))


KINDS: dict[str, InstrumentKind] = _found()
"""Every kind, by name."""
