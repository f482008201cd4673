"""The kinds of piece. A kind is one module here that names a `Kind` as `KIND`; it is found by itself."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping

from tesoura.core.pieces.kind import Kind

_ORDER = ("text", "slots", "bar", "ring", "chart", "ranking", "latest", "picture", "video", "backing")


def _found() -> dict[str, Kind]:
    kinds = {}
    for module in pkgutil.iter_modules(__path__):
        kind = getattr(importlib.import_module(f"{__name__}.{module.name}"), "KIND", None)
        if kind is not None:
            kinds[kind.name] = kind
    return dict(sorted(kinds.items(), key=lambda one: _ORDER.index(one[0]) if one[0] in _ORDER else len(_ORDER)))


KINDS: Mapping[str, Kind] = _found()
