"""What is in a file of video: how long it is, how large, and whether a browser plays it as it is."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from av.container import InputContainer
from av.error import FFmpegError
from av.video.stream import VideoStream

from tesoura.errors import FileRefused

MICRO = 1_000_000
PICTURES = ("h264", "vp8", "vp9", "av1")
SOUNDS = ("aac", "opus")
PLAIN = ("yuv420p", "yuvj420p")
"""The ways of keeping colours that every browser plays."""
HDR = (16, 18)
"""The transfer curves of HDR: PQ and HLG (ITU-T H.273, table 3)."""
MOST_PIXELS = 1920 * 1200
MOST_FRAMES_PER_S = 61.0
FARTHEST = 60 * MICRO
"""Key pictures are no farther apart than this."""
LEAST_SIDE_PX, MOST_SIDE_PX = 16, 8_192
FORMATS = ("mov", "mp4", "matroska", "webm", "mpegts")
"""What is opened at all: a list of other files, which its reader would open with it, or a picture, is no clip."""
_OPTIONS = {"protocol_whitelist": "file", "format_whitelist": ",".join(FORMATS), "enable_drefs": "0"}


@dataclass(frozen=True, slots=True)
class ClipFacts:
    """What a file of video is. Lengths in µs; `width_px` and `height_px` as it is seen, upright.

    `begins` is the time stamp of its first picture. `made_anew` says why no browser plays it as it is; empty when one
    does. `turned` is by how many degrees its picture must be turned to the left.
    """

    length: int
    begins: int
    width_px: int
    height_px: int
    codec: str
    sound: str
    frames_per_s: float
    size: int
    made_anew: str = ""
    turned: int = 0

    @property
    def words(self) -> str:
        """It, in words: `0:24, 1920 × 1080, h264 and aac`."""
        minutes, seconds = divmod(round(self.length / MICRO), 60)
        what = f"{self.codec} and {self.sound}" if self.sound else f"{self.codec}, no sound"
        return f"{minutes}:{seconds:02d}, {self.width_px} × {self.height_px}, {what}"


@contextlib.contextmanager
def opened(path: Path) -> Iterator[InputContainer]:
    """A file of video, open. Raises FileRefused, whose words say what it is instead."""
    try:
        size = path.stat().st_size
    except OSError as error:
        raise FileRefused(f"The clip no longer exists ({error.strerror or error}).") from None
    if size == 0:
        raise FileRefused("The clip is empty (0 bytes). Check the program that writes it.")
    try:
        container = av.open(str(path), options=_OPTIONS)
    except (FFmpegError, ValueError, OSError):
        raise FileRefused(_no_video(path, size)) from None
    with container:
        yield container


def _no_video(path: Path, size: int) -> str:
    try:
        with path.open("rb") as file:
            head = file.read(64)
    except OSError:
        head = b""
    if head[4:8] == b"ftyp":
        return (
            "The MP4 is incomplete: its index was never written. Wait until the program finishes it,  or record as MKV."
        )
    if head.lstrip()[:1] == b"<":
        return "This is a web page, not a clip."
    return f"Not a readable video ({size:,} bytes). Give MP4, WebM, MKV or MPEG-TS."


def picture_of(container: InputContainer) -> VideoStream:
    """The track of the picture. Raises FileRefused when there is none."""
    found = [one for one in container.streams.video if not _is_cover(one)]
    if not found:
        raise FileRefused("The clip has sound but no picture.")
    return found[0]


def _is_cover(stream: VideoStream) -> bool:
    return "attached_pic" in stream.disposition.name.lower() if stream.disposition else False


def probe(path: Path) -> ClipFacts:
    """What a file is. Raises FileRefused."""
    with opened(path) as container:
        begins, length = _span(container, picture_of(container))
    with opened(path) as container:
        stream = picture_of(container)
        first = _first(container, stream)
        width, height = first.width, first.height
        if not (min(width, height) >= LEAST_SIDE_PX and max(width, height) <= MOST_SIDE_PX):
            raise FileRefused(f"The clip's picture has {width} × {height} pixels, which can't be displayed.")
        turned = int(getattr(first, "rotation", 0) or 0) % 360
        sound = container.streams.audio[0].codec_context.name if container.streams.audio else ""
        rate = float(stream.average_rate or stream.guessed_rate or 0)
        if turned in (90, 270):
            width, height = height, width
        codec = _plain(stream.codec_context.name)
        why = _made_anew(codec, _plain(sound), first, rate, turned)
        return ClipFacts(
            length, begins, width, height, codec, _plain(sound), round(rate, 3), path.stat().st_size, why, turned
        )


def _plain(codec: str) -> str:
    return {"libdav1d": "av1", "libopus": "opus", "libvpx": "vp8", "libvpx-vp9": "vp9"}.get(codec, codec)


def _made_anew(codec: str, sound: str, first: Any, rate: float, turned: int) -> str:
    kept_as = first.format.name
    if codec not in PICTURES:
        return f"browsers can't play {codec}"
    if sound and sound not in SOUNDS:
        return f"browsers can't play {sound}"
    if int(first.color_trc or 0) in HDR:
        return "it is HDR"
    if kept_as not in PLAIN:
        return f"its colour format is {kept_as}"
    if first.width * first.height > MOST_PIXELS:
        return f"{first.width} × {first.height} is larger than a stream"
    if rate > MOST_FRAMES_PER_S:
        return f"{rate:.0f} frames per second are more than a stream shows"
    return "the picture is rotated" if turned else ""


def _first(container: InputContainer, stream: VideoStream) -> Any:
    try:
        for frame in container.decode(stream):
            return frame
    except (FFmpegError, ValueError) as error:
        raise FileRefused(f"The clip's picture can't be read ({_why(error)}).") from None
    raise FileRefused("The clip's video track is empty.")


def _why(error: Exception) -> str:
    return str(getattr(error, "strerror", "") or error)[:120]


def _span(container: InputContainer, stream: VideoStream) -> tuple[int, int]:
    """When its first picture is, by its own time stamps, and how long it goes on from there; µs.

    What the file says of its length is not believed: one that still grows says nothing, or what was true once.
    """
    base = stream.time_base or Fraction(1, MICRO)
    begins: int | None = None
    ends, steps, step = 0, 0, 0
    try:
        for packet in _packets_of_ends(container, stream):
            if packet.pts is None:
                continue
            at = int(packet.pts * base * MICRO)
            begins = at if begins is None else min(begins, at)
            lasts = int((packet.duration or 0) * base * MICRO)
            step, steps = max(step, lasts), steps + 1
            ends = max(ends, at + lasts)
    except FFmpegError as error:
        if begins is None:
            raise FileRefused(f"The clip can't be read ({_why(error)}).") from None
    if begins is None:
        raise FileRefused("The clip has no timestamps. Record it again.")
    rate = float(stream.average_rate or 0)
    if step == 0 and rate:
        ends += int(MICRO / rate)
    return begins, max(ends - begins, 0)


def _packets_of_ends(container: InputContainer, stream: VideoStream) -> Iterator[Any]:
    """The packets at the beginning, and those at the end; all of them where the end cannot be gone to."""
    for packets, one in enumerate(container.demux(stream)):
        yield one
        if packets >= 60:
            break
    length = container.duration
    if length and length > 20 * MICRO:
        with contextlib.suppress(FFmpegError):
            container.seek((container.start_time or 0) + length - 5 * MICRO, backward=True)
    yield from container.demux(stream)


def go_to(container: InputContainer, picture: VideoStream, at: int) -> None:
    """Go to where reading leads by a key picture at or before a time stamp, µs.

    A transport stream has no index: going somewhere in it may end between two key pictures, behind the wished one.
    """
    base = picture.time_base or Fraction(1, MICRO)
    back = 0
    while True:
        to = max(at - back, container.start_time or 0)
        try:
            container.seek(to, backward=True)
            keys = (
                int(one.pts * base * MICRO)
                for one in container.demux(picture)
                if one.is_keyframe and one.pts is not None
            )
            first = next(keys, None)
            if (first is not None and first <= at) or to <= (container.start_time or 0) or back > FARTHEST:
                container.seek(to, backward=True)
                return
        except FFmpegError as error:
            if back > FARTHEST or to <= (container.start_time or 0):
                raise FileRefused(f"The clip can't be read at that point ({_why(error)}).") from None
        back = back * 2 + MICRO
