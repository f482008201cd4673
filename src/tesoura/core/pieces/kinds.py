"""The kinds of piece. A kind is one module beside this one that names a `Kind` as `KIND`, or an instrument's own."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping

from tesoura.core import pieces
from tesoura.core.instruments.kinds import KINDS as INSTRUMENTS
from tesoura.core.pieces.kind import Kind

_ORDER = ("text", "slots", "bar", "ring", "chart", "ranking", "latest", "picture", "video", "backing")


def _found() -> dict[str, Kind]:
    kinds = {}
    for module in pkgutil.iter_modules(pieces.__path__):
        kind = getattr(importlib.import_module(f"{pieces.__name__}.{module.name}"), "KIND", None)
        if kind is not None:
            kinds[kind.name] = kind
    ordered = sorted(kinds.items(), key=lambda one: _ORDER.index(one[0]) if one[0] in _ORDER else len(_ORDER))
    return {**dict(ordered), **{kind.name: kind for one in INSTRUMENTS.values() for kind in one.pieces}}


KINDS: Mapping[str, Kind] = _found()
