"""The wished seconds of a clip, packet by packet: nothing is made anew, so it takes no time and loses nothing."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from av.error import FFmpegError

from tesoura.clips.probing import MICRO, ClipFacts, go_to, opened, picture_of
from tesoura.errors import FileRefused

WEBM = frozenset({"vp8", "vp9"})
TYPES: Mapping[str, str] = {"mp4": "video/mp4", "webm": "video/webm"}


@dataclass(frozen=True, slots=True)
class CutFile:
    """A file with a part of a clip. `offset` is where in it the wished seconds begin, `length` how long it is; µs."""

    offset: int
    length: int


def ending_of(facts: ClipFacts) -> str:
    """What a file of these is kept as: WebM for what only it holds well, else MP4."""
    return "webm" if facts.codec in WEBM and facts.sound in ("", "opus", "vorbis") else "mp4"


def cut(source: Path, target: Path, begin: int, end: int) -> CutFile:
    """Write the packets from the key picture at or before `begin` to `end`, µs after the first picture.

    Raises FileRefused, and OSError when it cannot be written.
    """
    with opened(source) as container:
        picture = picture_of(container)
        sound = container.streams.audio[0] if container.streams.audio else None
        start = _start(container, picture)
        options = {"movflags": "+faststart"} if target.suffix == ".mp4" else {}
        try:
            with av.open(str(target), "w", options=options) as out:
                return _copied(container, out, picture, sound, start + begin, start + end)
        except FFmpegError as error:
            if isinstance(error, OSError) and error.errno and not isinstance(error, ValueError):
                raise OSError(error.errno, error.strerror) from error
            raise FileRefused(f"The clip can't be cut ({error.strerror}).") from None


def _start(container: Any, picture: Any) -> int:
    """The time stamp of the first picture, µs."""
    base = picture.time_base or Fraction(1, MICRO)
    found: list[int] = []
    for packets, packet in enumerate(container.demux(picture)):
        if packet.pts is not None:
            found.append(int(packet.pts * base * MICRO))
        if packets >= 60:
            break
    if not found:
        raise FileRefused("The clip has no timestamps.")
    return min(found)


def _copied(container: Any, out: Any, picture: Any, sound: Any, begin: int, end: int) -> CutFile:
    tracks = {picture.index: out.add_stream_from_template(picture)}
    if sound is not None:
        tracks[sound.index] = out.add_stream_from_template(sound)
    go_to(container, picture, begin)
    key: int | None = None
    last, done = 0, set[int]()
    bases = {one.index: one.time_base for one in (picture, sound) if one is not None}
    for packet in container.demux([one for one in (picture, sound) if one is not None]):
        if packet.pts is None or packet.dts is None:
            continue
        index = packet.stream.index
        base = bases[index]
        at, due = int(packet.pts * base * MICRO), int(packet.dts * base * MICRO)
        if due >= end:
            done.add(index)
            if len(done) == len(tracks) or picture.index in done:
                break
            continue
        if key is None:
            if index != picture.index or not packet.is_keyframe:
                continue
            key = at
        if at < key:
            # It leans on a picture before the first one, which is not there.
            continue
        shift = int(key / (base * MICRO))
        packet.pts, packet.dts = packet.pts - shift, packet.dts - shift
        lasts = int((packet.duration or 0) * base * MICRO)
        packet.stream = tracks[index]
        out.mux(packet)
        if index == picture.index:
            last = max(last, at + lasts)
    if key is None:
        raise FileRefused("The clip contains none of the requested seconds.")
    return CutFile(max(begin - key, 0), last - key)
