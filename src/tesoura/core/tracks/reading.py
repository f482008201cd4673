"""Finding a track in what a player answers, whatever it calls its fields."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from tesoura.core.computed.occurrence import amount_of, number
from tesoura.core.tracks.course import PlayerReport
from tesoura.core.tracks.track import artists_of, seconds_of, time_text, where_text, words_of

NAMES: Mapping[str, tuple[str, ...]] = {
    "title": ("title", "track_title", "song", "song_title", "name"),
    "artists": ("artists", "artist", "performers", "performer", "creator", "band", "by"),
    "album": ("album", "record", "release"),
    "length_s": ("length_s", "length", "duration", "length_ms", "duration_ms", "total", "total_ms"),
    "position_s": (
        "position_s",
        "position",
        "elapsed",
        "progress",
        "position_ms",
        "progress_ms",
        "elapsed_ms",
        "current_time",
    ),
    "cover": ("cover", "cover_url", "art", "art_url", "artwork", "image", "images", "thumbnail", "picture"),
    "link": ("link", "url", "page", "href"),
    "kind": ("kind", "type"),
    "track": ("track_id", "id", "uri"),
    "playing": ("playing", "is_playing", "state", "status", "paused", "is_paused"),
    "player": ("player", "device", "source"),
}
"""What each field is called by players, the likeliest first; case, blanks and dashes do not count."""
INSIDE = ("track", "song", "item", "current", "now_playing", "current_track", "music", "media", "metadata", "data")
"""Under which names a group with the track is found."""
NEXT = ("next", "next_track", "up_next", "coming", "next_song")
PLAYING_WORDS, STILL_WORDS = (
    ("playing", "play", "yes", "true", "on", "running"),
    ("paused", "pause", "stopped", "stop", "idle", "no", "false", "off", "ended"),
)
MILLISECONDS_FROM = 10_000.0
"""A length of so much or more is taken for milliseconds: nobody plays a track of three hours."""
WAYS = tuple(NAMES)


def _plain_key(key: object) -> str:
    return str(key).strip().casefold().replace("-", "_").replace(" ", "_")


def _groups(payload: object, depth: int = 0) -> Iterator[dict[str, Any]]:
    """The groups in which a track may be told, the likeliest first."""
    if not isinstance(payload, Mapping) or depth > 3:
        return
    group = {_plain_key(key): value for key, value in list(payload.items())[:60]}
    for name in INSIDE:
        yield from _groups(group.get(name), depth + 1)
    yield group


def found_in(payload: object) -> dict[str, Any]:
    """The fields of a track that a payload seems to tell, by our names; `playing` as it was told."""
    groups = list(_groups(payload))
    titled = next((one for one in groups if _name_in(one)), None)
    if titled is None:
        return {}
    told: dict[str, Any] = {}
    for wanted, names in NAMES.items():
        own = wanted in ("playing", "position_s", "player")
        for group in [*reversed(groups)] if own else [titled, *(one for one in groups if one is not titled)]:
            name = next((one for one in names if _tells(wanted, group.get(one))), None)
            if name is not None:
                told[wanted] = _value(wanted, name, group[name])
                break
    after = next((one[name] for one in groups for name in NEXT if one.get(name)), None)
    return told | _next(after)


def _name_in(group: Mapping[str, Any]) -> bool:
    return any(isinstance(group.get(name), str) and group[name].strip() for name in NAMES["title"])


def _tells(wanted: str, value: object) -> bool:
    if value is None or value == "":
        return False
    if wanted in ("length_s", "position_s"):
        return _number(value) is not None
    if wanted == "artists":
        return bool(_names(value))
    if wanted == "cover":
        return bool(_address(value))
    return isinstance(value, str | int | bool) if wanted == "playing" else isinstance(value, str | int)


def _value(wanted: str, name: str, value: Any) -> Any:
    if wanted == "artists":
        return list(_names(value))
    if wanted == "cover":
        return _address(value)
    if wanted in ("length_s", "position_s"):
        told = _number(value) or 0.0
        return told / 1_000 if name.endswith("_ms") else told
    if wanted == "playing" and name in ("paused", "is_paused") and isinstance(value, bool):
        return not value
    return value


def _number(raw: object) -> float | None:
    """A length or a place as it was told, in whatever unit."""
    millionths = None if isinstance(raw, bool) else amount_of(raw)
    return float(number(millionths)) if millionths is not None and millionths >= 0 else None


def _names(value: object) -> tuple[str, ...]:
    told = value if isinstance(value, list) else [value]
    return artists_of([one.get("name") if isinstance(one, Mapping) else one for one in told])


def _address(value: object) -> str:
    """The address of a picture: itself, or the first of a list, or what a group calls its address."""
    if isinstance(value, list):
        return next((found for one in value[:10] if (found := _address(one))), "")
    if isinstance(value, Mapping):
        return next((found for name in ("url", "src", "href") if (found := _address(value.get(name)))), "")
    if isinstance(value, str) and ("://" in value or value.startswith("data:")):
        return value
    return ""


def _next(after: object) -> dict[str, Any]:
    if isinstance(after, list):
        after = after[0] if after else None
    if isinstance(after, str):
        return {"next_title": after}
    told = found_in(after) if isinstance(after, Mapping) else {}
    return {f"next_{name}": told[name] for name in ("title", "artists") if name in told}


def report_of(told: Mapping[str, Any], unit: str = "guess") -> PlayerReport:
    """How a player stands, from the fields of its track; `unit` is that of its times: `s`, `ms`, or `guess`."""
    details = {name: value for name, value in told.items() if name not in ("playing", "position_s", "player")}
    if "artists" in details:
        details["artists"] = list(_names(details["artists"]))
    length, place = _number(details.get("length_s")), _number(told.get("position_s"))
    if unit == "ms" or (unit == "guess" and (length or place or 0) >= MILLISECONDS_FROM):
        length, place = (one / 1_000 if one is not None else None for one in (length, place))
    details.pop("length_s", None)
    if length and (length := seconds_of(length)):
        details["length_s"] = round(length, 3)
    return PlayerReport(details, _plays(told.get("playing")), seconds_of(place))


def _plays(told: object) -> bool:
    """Whether it plays; what says nothing of it plays, since it tells of a track."""
    word = _plain_key(told)
    return word not in STILL_WORDS if word not in PLAYING_WORDS else True


def heard(report: PlayerReport) -> str:
    """What was heard, in one line: `Paper Weather – The Slow Kettles, 1:12 of 3:40`."""
    if report.nothing:
        return "Nothing is played there now."
    details = report.details
    words = words_of(str(details.get("title", ""))[:80], artists_of(details.get("artists")))
    length = seconds_of(details.get("length_s"))
    where = where_text(report.position_s, length)
    told = f", {where}" if where else f", {time_text(length)} long" if length else ""
    return f"{words}{told}{'' if report.playing else ', paused'}"
