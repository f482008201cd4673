"""What a player tells of itself over MPRIS, as reports of tracks."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.core.tracks.course import PlayerReport

NAME = "org.mpris.MediaPlayer2"
PATH = "/org/mpris/MediaPlayer2"
PLAYER, PROPERTIES, BUS = f"{NAME}.Player", "org.freedesktop.DBus.Properties", "org.freedesktop.DBus"
MICRO = 1_000_000


def report(told: Mapping[str, Any]) -> PlayerReport:
    """How a player stands, from its properties; what is of another type than it should be is left out."""
    status, metadata = told.get("PlaybackStatus"), told.get("Metadata")
    if status not in ("Playing", "Paused") or not isinstance(metadata, Mapping):
        return PlayerReport()
    artists = metadata.get("xesam:artist")
    length, position = _whole(metadata.get("mpris:length")), _whole(told.get("Position"))
    link, track = str(metadata.get("xesam:url") or ""), str(metadata.get("mpris:trackid") or "")
    details: dict[str, Any] = {
        "title": str(metadata.get("xesam:title") or ""),
        "artists": [str(one) for one in artists] if isinstance(artists, list) else [str(artists)] if artists else [],
        "album": str(metadata.get("xesam:album") or ""),
        "cover": str(metadata.get("mpris:artUrl") or ""),
        "link": link if link.startswith(("http://", "https://")) else "",
        "track": "" if track.endswith("/NoTrack") else track,
    }
    if length:
        details["length_s"] = round(length / MICRO, 3)
    # What plays without a title is told by its file's name, if there is one.
    if not details["title"] and link:
        details["title"] = link.rpartition("/")[2][:120]
    place = position / MICRO if position is not None and position >= 0 else None
    return PlayerReport(details, status == "Playing", place)


def _whole(raw: object) -> int | None:
    return int(raw) if isinstance(raw, int | float) and not isinstance(raw, bool) and -1e15 < raw < 1e15 else None
