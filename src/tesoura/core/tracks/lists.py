"""What was played, as lists to take along: XSPF, and lines with times for the description below a recording."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from urllib.parse import quote, urlsplit, urlunsplit
from xml.etree import ElementTree

NAMESPACE = "http://xspf.org/ns/0/"
_UNFIT = re.compile("[\x00-\x1f\ud800-\udfff\ufffe\uffff]")
"""What no XML may hold."""
_LONE = re.compile("%(?![0-9A-Fa-f]{2})")
_MAY_STAND = "/%:@!$&'()*+,;=~?"


@dataclass(frozen=True, slots=True)
class ListedTrack:
    """One track that was played, and when it began."""

    at: datetime
    title: str
    artists: str = ""
    album: str = ""
    length_s: float | None = None
    link: str = ""

    @property
    def words(self) -> str:
        """It in one line."""
        return " – ".join(part for part in (self.title, self.artists) if part)


def xspf(title: str, tracks: Sequence[ListedTrack]) -> str:
    """A playlist, the first played first (XSPF version 1, https://www.xspf.org/spec)."""
    ElementTree.register_namespace("", NAMESPACE)
    root = ElementTree.Element(f"{{{NAMESPACE}}}playlist", version="1")
    _add(root, "title", title)
    rows = ElementTree.SubElement(root, f"{{{NAMESPACE}}}trackList")
    for one in tracks:
        row = ElementTree.SubElement(rows, f"{{{NAMESPACE}}}track")
        _add(row, "title", one.title)
        _add(row, "creator", one.artists)
        _add(row, "annotation", one.at.isoformat())
        _add(row, "info", uri(one.link))
        _add(row, "album", one.album)
        if one.length_s:
            _add(row, "duration", str(round(one.length_s * 1000)))
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, "unicode") + "\n"


def _add(above: ElementTree.Element, name: str, words: str) -> None:
    if clean := _UNFIT.sub("", words):
        ElementTree.SubElement(above, f"{{{NAMESPACE}}}{name}").text = clean


def uri(link: str) -> str:
    """A web address as a valid URI (RFC 3986): what may not stand in one is escaped; empty for none."""
    try:
        parts = urlsplit(_UNFIT.sub("", link).strip())
        host, port = (parts.hostname or "").encode("idna").decode(), parts.port
    except ValueError:
        return ""
    if parts.scheme not in ("http", "https") or not host:
        return ""
    host = f"[{host}]" if ":" in host else quote(host)
    found = (quote(_LONE.sub("%25", part), safe=_MAY_STAND) for part in (parts.path, parts.query, parts.fragment))
    return urlunsplit((parts.scheme, host if port is None else f"{host}:{port}", *found))


def lines(tracks: Sequence[ListedTrack], began: datetime | None) -> str:
    """A line each, with its time in the stream: `0:12:05 Paper Weather – The Slow Kettles`."""
    return "".join(f"{stream_time(one.at, began)} {one.words}\n" for one in tracks)


def stream_time(at: datetime, began: datetime | None) -> str:
    """When something happened, counted from the stream's start; 0:00:00 for what had begun before it."""
    seconds = max(int((at - began).total_seconds()), 0) if began else 0
    return f"{seconds // 3600}:{seconds // 60 % 60:02}:{seconds % 60:02}"
