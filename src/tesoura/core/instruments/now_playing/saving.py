"""How now playing is stored, and made of what was stored."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, fields
from datetime import datetime, timedelta
from typing import Any, TypeVar, get_type_hints

from tesoura.core.instruments.now_playing.play import Cover, Play, Played
from tesoura.core.instruments.now_playing.sources import Anchor, MusicSource
from tesoura.core.instruments.now_playing.state import Music
from tesoura.core.tracks.track import Track

T = TypeVar("T")
_PARTS: Mapping[str, type[Any]] = {"track": Track, "anchor": Anchor}


def saved(it: Music) -> dict[str, Any]:
    """How it stands, as JSON."""
    return {
        "sources": [_plain(one) for one in it.sources.values()],
        "order": list(it.order),
        "silent": sorted(it.silent),
        "hidden": dict(it.hidden),
        "play": _plain(it.play) if it.play else None,
        "recent": [_plain(one) for one in it.recent],
        "waits": it.waits,
        "owed": [_plain(one) for one in it.owed],
        "announced": it.announced,
        "before": [_plain(one) for one in it.before],
        "count": it.count,
        "covers": {key: _plain(one) for key, one in it.covers.items()},
        "asked_until": _value(it.asked_until),
        "scene": it.scene,
        "driven_at": _value(it.driven_at),
    }


def kept(told: Mapping[str, Any]) -> dict[str, Any]:
    """What was stored, by the names of its fields."""
    sources = [_made(MusicSource, one) for one in told["sources"]]
    return {
        "sources": {one.key: one for one in sources},
        "order": tuple(told["order"]),
        "silent": frozenset(told["silent"]),
        "hidden": dict(told["hidden"]),
        "play": _made(Play, told["play"]) if told["play"] else None,
        "recent": tuple(_made(Play, one) for one in told["recent"]),
        "waits": told["waits"],
        "owed": tuple(_made(Play, one) for one in told["owed"]),
        "announced": told["announced"],
        "before": tuple(_made(Played, one) for one in told["before"]),
        "count": told["count"],
        "covers": {key: _made(Cover, one) for key, one in told["covers"].items()},
        "asked_until": _instant(told["asked_until"]),
        "scene": told["scene"],
        "driven_at": _instant(told["driven_at"]),
    }


def _plain(one: Any) -> dict[str, Any]:
    return {name: _value(value) for name, value in asdict(one).items()}


def _value(value: Any) -> Any:
    if isinstance(value, datetime):
        return value.isoformat()
    if isinstance(value, timedelta):
        return value / timedelta(microseconds=1)
    if isinstance(value, tuple):
        return list(value)
    return {name: _value(each) for name, each in value.items()} if isinstance(value, dict) else value


def _made(kind: type[T], told: Mapping[str, Any]) -> T:
    hints = get_type_hints(kind)
    values: dict[str, Any] = {}
    for one in fields(kind):  # type: ignore[arg-type]
        raw, hint = told[one.name], str(hints[one.name])
        if one.name in _PARTS:
            values[one.name] = _made(_PARTS[one.name], raw)
        elif "timedelta" in hint:
            values[one.name] = timedelta(microseconds=raw)
        elif "datetime" in hint:
            values[one.name] = _instant(raw)
        else:
            values[one.name] = tuple(raw) if isinstance(raw, list) else raw
    return kind(**values)


def _instant(raw: str | None) -> datetime | None:
    return datetime.fromisoformat(raw) if raw else None
