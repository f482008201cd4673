"""Asking a listening history for its last entries: what is listened to now, and what was before."""

from __future__ import annotations

import time
from collections.abc import Mapping
from datetime import datetime
from typing import Any

import httpx

from tesoura.core.instants import told_instant
from tesoura.core.tracks.reading import found_in
from tesoura.core.tracks.schema import START, STOP
from tesoura.core.values import from_json
from tesoura.errors import ResponseNotUnderstood
from tesoura.feeds.api import FetchContext, Fetched, Item
from tesoura.feeds.http.address import host
from tesoura.feeds.http.ask import get

NOW_WORDS = ("now_playing", "nowplaying", "playing", "is_playing", "now")
LISTS = ("tracks", "recent", "listens", "items", "history", "data", "track")


async def fetch(context: FetchContext) -> Fetched:
    """Ask once. Raises SourceError, whose message holds neither the key nor the account."""
    address, started = str(context.choices["address"]), time.monotonic()
    asked = httpx.URL(address).copy_merge_params({"user": str(context.choices["user"])})
    _, body = await get(context, str(asked), {"Authorization": f"Bearer {context.secrets.get('key', '')}"})
    took_ms = (time.monotonic() - started) * 1000
    try:
        entries = _entries(from_json(body))
    except ValueError:
        entries = None
    if entries is None:
        raise ResponseNotUnderstood(
            f"{host(address)} sent no list of tracks. Check the address.", body[:300].decode("utf-8", "replace")
        )
    return _fetched(context, entries, len(body), took_ms)


def _entries(payload: object, depth: int = 0) -> list[Mapping[str, Any]] | None:
    """The list of entries in an answer, the latest first."""
    if isinstance(payload, list):
        return [one for one in payload[:50] if isinstance(one, Mapping)]
    if not isinstance(payload, Mapping) or depth > 3:
        return None
    for name in LISTS:
        if name in payload and (found := _entries(payload[name], depth + 1)) is not None:
            return found
    return None


def _fetched(context: FetchContext, entries: list[Mapping[str, Any]], size: int, took_ms: float) -> Fetched:
    latest = entries[0] if entries else None
    told = _details(latest) if latest is not None and _is_now(latest) else {}
    at = _time(latest) if latest is not None else None
    known = f"{told.get('title', '')}|{'/'.join(told.get('artists', []))}|{at.isoformat() if at else ''}"
    before = str(context.memory.get("known", ""))
    rows = [{name: value for name, value in _details(one).items() if name != "cover"} for one in entries[:10]]
    items: tuple[Item, ...] = ()
    if told and known != before:
        items = (Item(START, {**told, "track": known[:200]}),)
    elif not told and before not in ("", "||"):
        items = (Item(STOP, {}),)
    note = (
        f"Receives {told['title']}. A listening history has no position, and arrives late."
        if told
        else "Nothing playing now."
    )
    memory = {"known": known} if known != before else None
    return Fetched(
        {"recent": rows, "now": told.get("title")}, size, took_ms, items=items, quiet=True, memory=memory, note=note
    )


def _details(entry: Mapping[str, Any]) -> dict[str, Any]:
    found = found_in(entry)
    return {name: found[name] for name in ("title", "artists", "album", "length_s", "cover", "link") if name in found}


def _is_now(entry: Mapping[str, Any]) -> bool:
    return any(entry.get(name) in (True, "true", "1", 1) for name in NOW_WORDS)


def _time(entry: Mapping[str, Any]) -> datetime | None:
    """When it began, if that is told: ISO 8601, or seconds since 1970."""
    for name in ("at", "time", "started_at", "listened_at", "date", "timestamp"):
        if (at := told_instant(entry.get(name))) is not None:
            return at
    return None
