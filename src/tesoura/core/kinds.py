"""Tables of kinds: each is named with the module that has it, and that module is imported when it is first needed."""

from __future__ import annotations

import importlib
from collections.abc import Iterator, Mapping, MutableMapping
from typing import Generic, TypeVar

K = TypeVar("K")


class Kinds(MutableMapping[str, K], Generic[K]):
    """Kinds by name, in the table's order. A place is a module with a `KIND`, or `module:NAME`."""

    def __init__(self, places: Mapping[str, str]) -> None:
        self._places = dict(places)
        self._loaded: dict[str, K] = {}

    def __getitem__(self, name: str) -> K:
        if name not in self._loaded:
            module, _, attribute = self._places[name].partition(":")
            self._loaded[name] = getattr(importlib.import_module(module), attribute or "KIND")
        return self._loaded[name]

    def __setitem__(self, name: str, kind: K) -> None:
        self._places.setdefault(name, "")
        self._loaded[name] = kind

    def __delitem__(self, name: str) -> None:
        del self._places[name]
        self._loaded.pop(name, None)

    def __contains__(self, name: object) -> bool:
        return name in self._places

    def __iter__(self) -> Iterator[str]:
        return iter(self._places)

    def __len__(self) -> int:
        return len(self._places)
