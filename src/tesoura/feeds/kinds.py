"""The kinds of feed there are: every folder beside this file that has a `KIND`."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping

import tesoura.feeds
from tesoura.feeds.kind import FeedKind


def _found() -> dict[str, FeedKind]:
    kinds: dict[str, FeedKind] = {}
    for module in sorted(pkgutil.iter_modules(tesoura.feeds.__path__), key=lambda one: one.name):
        if module.ispkg:
            kind: FeedKind = importlib.import_module(f"tesoura.feeds.{module.name}").KIND
            kinds[kind.name] = kind
    return kinds


KINDS: Mapping[str, FeedKind] = _found()
