"""Asking a statistics service for a player by name, and for the matches since the last one known."""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import Any
from urllib.parse import quote

from tesoura.core.instants import iso_instant
from tesoura.core.values import from_json
from tesoura.errors import ResponseNotUnderstood, SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched, Item
from tesoura.feeds.http.address import host
from tesoura.feeds.http.ask import get

MATCH_FIELDS = (
    "result",
    "rating",
    "rating_before",
    "kills",
    "deaths",
    "assists",
    "shots",
    "hits",
    "duration_s",
    "opponent",
    "arena",
)


async def fetch(context: FetchContext) -> Fetched:
    """Ask once. Raises SourceError."""
    base, name = str(context.choices["address"]).rstrip("/"), str(context.choices["player"])
    started = time.monotonic()
    found = await _json(context, f"{base}/players?name={quote(name, safe='')}")
    player = _player(found, name, host(base))
    since = str(context.memory.get("after", ""))
    asked = f"{base}/players/{quote(str(player['id']), safe='')}/matches"
    told = await _json(context, f"{asked}?after={quote(since, safe='')}" if since else asked)
    matches = told.get("matches")
    if not isinstance(matches, list):
        raise _strange(host(base), told)
    items = tuple(_item(one, str(player["name"])) for one in matches if isinstance(one, dict) and "id" in one)
    after = items[-1].id if items else since
    took_ms = (time.monotonic() - started) * 1000
    return Fetched({"player": player}, took_ms=took_ms, items=items, memory={"after": after}, note=_note(player, name))


async def _json(context: FetchContext, address: str) -> dict[str, Any]:
    _, body = await get(context, address, {})
    try:
        told = from_json(body)
    except ValueError:
        told = None
    if not isinstance(told, dict):
        raise _strange(host(address), body[:200].decode("utf-8", "replace"))
    return told


def _strange(where: str, told: object) -> ResponseNotUnderstood:
    return ResponseNotUnderstood(f"{where} is not a statistics service. Check the address.", str(told)[:300])


def _player(found: Mapping[str, Any], name: str, where: str) -> Mapping[str, Any]:
    players = found.get("players")
    if not isinstance(players, list):
        raise _strange(where, found)
    known = [one for one in players if isinstance(one, dict) and {"id", "name"} <= set(one)]
    wanted = name.casefold()
    for one in known:
        names = [one["name"], *(one.get("formerly") or [])]
        if any(str(other).casefold() == wanted for other in names):
            return one
    near = ", ".join(str(one["name"]) for one in known[:4])
    hint = f"Known: {near}." if near else "Check the spelling."
    raise SourceUnavailable(f"{where} has no player {name}. {hint}")


def _note(player: Mapping[str, Any], name: str) -> str:
    rating = player.get("rating")
    rated = f", rating {rating:,}" if isinstance(rating, int | float) and not isinstance(rating, bool) else ""
    renamed = str(player["name"]).casefold() != name.casefold()
    return f"Found: {player['name']}{rated}{f' (formerly {name})' if renamed else ''}"


def _item(match: Mapping[str, Any], name: str) -> Item:
    data = {field: match[field] for field in MATCH_FIELDS if field in match}
    return Item(
        "match.end",
        {"match": str(match["id"]), "actor": name, **data},
        str(match["id"]),
        iso_instant(match.get("ended_at")),
    )
