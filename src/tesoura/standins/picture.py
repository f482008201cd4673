"""A made-up picture of Tail & Twine that never ends: the last minute of it is kept, and any seconds of that can be had.

The instant that is seen is drawn in twice: as a clock to read, and as a row of forty black and white blocks, so that a
program can tell which second it sees. A cut flashes, is counted, and sounds. It shares no code with what reads it.
"""

from __future__ import annotations

import math
import threading
import time
from array import array
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime
from fractions import Fraction
from functools import lru_cache
from io import BytesIO
from pathlib import Path
from typing import Any, NamedTuple

import av
from PIL import Image, ImageDraw, ImageFont

WIDTH, HEIGHT, FPS = 640, 360, 30
BLOCKS, BLOCK = 40, 16
"""A row of so many blocks, so many pixels wide and high, is the instant: milliseconds since 1970 in binary."""
FLASH_MS, SOUND_RATE = 300, 48_000
MICRO = 1_000_000
GROWING: Mapping[str, tuple[str, Mapping[str, str]]] = {
    "": ("mpegts", {}),
    ".mkv": ("matroska", {"cluster_time_limit": "500"}),
    ".mp4": ("mp4", {"movflags": "frag_keyframe+empty_moov+default_base_moof"}),
}
"""What a recording that goes on is written as, by the ending of its name."""
_SKY, _INK, _LINE, _GOLD, _RED = "#cfe3e8", "#1e2a38", "#7a8b99", "#e0a526", "#c23a22"
_TONE = array("h", (int(2_500 * math.sin(2 * math.pi * 220 * n / SOUND_RATE)) for n in range(SOUND_RATE)))
_BEEP = array("h", (int(12_000 * math.sin(2 * math.pi * 880 * n / SOUND_RATE)) for n in range(SOUND_RATE)))


def drawn(at_ms: int, cuts: Sequence[int]) -> Image.Image:
    """What is seen at an instant, ms since 1970; `cuts` are when lines were cut."""
    image = Image.new("RGB", (WIDTH, HEIGHT), _SKY)
    pen = ImageDraw.Draw(image)
    for place in range(BLOCKS):
        bit = at_ms >> (BLOCKS - 1 - place) & 1
        pen.rectangle((place * BLOCK, 0, place * BLOCK + BLOCK - 1, BLOCK - 1), "white" if bit else "black")
    second = at_ms / 1000
    for one, colour in ((0.0, _RED), (2.1, "#2f6b5e")):
        x = WIDTH / 2 + 190 * math.sin(second * 0.7 + one)
        y = 165 + 70 * math.sin(second * 1.1 + 2 * one)
        pen.line((x, y + 26, WIDTH / 2 + 60 * (one - 1), HEIGHT), _LINE, 2)
        pen.polygon(((x, y - 34), (x + 24, y), (x, y + 34), (x - 24, y)), colour)
    done = [one for one in cuts if one <= at_ms]
    if done and at_ms - done[-1] < FLASH_MS:
        pen.rectangle((0, HEIGHT - 120, WIDTH, HEIGHT - 70), _GOLD)
        pen.text((WIDTH / 2, HEIGHT - 95), f"line cut: {len(done)}", _INK, _font(30), "mm")
    clock = datetime.fromtimestamp(second, UTC).strftime("%H:%M:%S.%f")[:-5]
    pen.rectangle((0, HEIGHT - 60, WIDTH, HEIGHT), "#f6f1e7")
    pen.text((20, HEIGHT - 30), clock, _INK, _font(34), "lm")
    pen.text((WIDTH - 20, HEIGHT - 30), f"cuts {len(done)}", _INK, _font(34), "rm")
    return image


@lru_cache(maxsize=4)
def _font(size: int) -> Any:
    return ImageFont.load_default(size)


def read_blocks(image: Image.Image) -> int:
    """The instant that a picture shows, ms since 1970, as far as forty bits go."""
    grey, wide = image.convert("L"), image.width / WIDTH
    found = 0
    for place in range(BLOCKS):
        x, y = (place + 0.5) * BLOCK * wide, BLOCK / 2 * wide
        found = found << 1 | (int(str(grey.getpixel((int(x), int(y))))) > 127)
    return found


def _as_frame(image: Image.Image) -> Any:
    """A picture as an encoder takes it; by far quicker than the library's own way, which is an exact one."""
    frame: Any = av.VideoFrame(WIDTH, HEIGHT, "yuv420p")
    bright, blue, red = image.convert("YCbCr").split()
    half = (WIDTH // 2, HEIGHT // 2)
    for plane, one in zip(frame.planes, (bright, blue.reduce(2), red.reduce(2)), strict=True):
        wide = WIDTH if one.size != half else half[0]
        data = one.tobytes()
        if plane.line_size != wide:
            data = b"".join(data[at : at + wide].ljust(plane.line_size, b"\0") for at in range(0, len(data), wide))
        plane.update(data.ljust(plane.buffer_size, b"\0"))
    return frame


class _Kept(NamedTuple):
    """A packet that is kept: of the picture or the sound, whether others lean on it, at which second it comes."""

    picture: bool
    pts: int
    key: bool
    data: bytes
    at: float


class RollingPicture:
    """The picture, encoded as it goes on, second by second.

    `late_s` is by how much the picture that is composed lags behind the game; it has `fps` pictures a second.
    """

    def __init__(
        self, keeps_s: float = 60.0, late_s: float = 0.0, clock: Callable[[], float] = time.time, fps: int = FPS
    ) -> None:
        self.keeps_s, self.late_s, self._clock, self.fps = keeps_s, late_s, clock, fps
        self.cuts: deque[int] = deque(maxlen=500)
        self._kept: deque[_Kept] = deque()
        self._lock, self._stopped = threading.Lock(), threading.Event()
        self._thread: threading.Thread | None = None
        self._begin_ms: int | None = None
        self._frames = 0
        self.most_behind_s = 0.0
        """By how much it lagged behind the clock at worst, while it went on by itself."""
        self._encoders: tuple[Any, Any] | None = None
        self._recording: tuple[Any, Any, Any, int] | None = None
        self._recording_begun = False

    def cut(self, at_ms: int | None = None) -> None:
        """A line is cut, now or at an instant."""
        self.cuts.append(int(self._clock() * 1000) if at_ms is None else at_ms)

    # Going on

    def start(self) -> None:
        """Let it go on by itself, with the clock."""
        self._thread = threading.Thread(target=self._go_on, name="made-up picture", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End it."""
        self._stopped.set()
        if self._thread is not None:
            self._thread.join(5)

    def _go_on(self) -> None:
        while not self._stopped.wait(1 / self.fps):
            self.most_behind_s = max(self.most_behind_s, self.behind_s())
            self.fill(int(self._clock() * 1000))

    def fill(self, until_ms: int, from_ms: int | None = None) -> None:
        """Make what is missing up to an instant; from another one on, where nothing is there yet."""
        if self._begin_ms is None:
            self._open(from_ms if from_ms is not None else until_ms - 1000 // self.fps)
        begin = self._begin_ms or 0
        while (at := begin + self._frames * 1000 // self.fps) < until_ms:
            self._make(at)

    def _open(self, begin_ms: int) -> None:
        self._begin_ms = begin_ms
        picture: Any = av.CodecContext.create("libx264", "w")
        picture.width, picture.height, picture.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        picture.framerate, picture.time_base = Fraction(self.fps), Fraction(1, self.fps)
        picture.options = {"preset": "ultrafast", "tune": "zerolatency"}
        picture.gop_size, picture.thread_count = self.fps, 1
        sound: Any = av.CodecContext.create("aac", "w")
        sound.sample_rate, sound.layout, sound.format = SOUND_RATE, "mono", "fltp"
        sound.time_base = Fraction(1, SOUND_RATE)
        self._encoders, self._resampler = (picture, sound), av.AudioResampler("fltp", "mono", SOUND_RATE, 1024)

    def _make(self, at_ms: int) -> None:
        number, self._frames = self._frames, self._frames + 1
        seen_ms = at_ms - int(self.late_s * 1000)
        frame = _as_frame(drawn(seen_ms, tuple(self.cuts)))
        frame.pts, frame.time_base = number, Fraction(1, self.fps)
        samples = SOUND_RATE // self.fps
        beeps = any(0 <= seen_ms - one < FLASH_MS for one in self.cuts)
        begin = number * samples % (SOUND_RATE - samples)
        heard: Any = av.AudioFrame("s16", "mono", samples)
        heard.planes[0].update((_BEEP if beeps else _TONE)[begin : begin + samples].tobytes())
        heard.sample_rate, heard.pts, heard.time_base = SOUND_RATE, number * samples, Fraction(1, SOUND_RATE)
        assert self._encoders is not None
        pictures, sounds = self._encoders
        came = [_Kept(True, one.pts, one.is_keyframe, bytes(one), one.pts / self.fps) for one in pictures.encode(frame)]
        for part in self._resampler.resample(heard):
            came += [_Kept(False, one.pts, False, bytes(one), one.pts / SOUND_RATE) for one in sounds.encode(part)]
        with self._lock:
            self._kept += came
            while self._kept[0].at < (number / self.fps - self.keeps_s):
                self._kept.popleft()
            if self._recording is not None:
                self._recording_begun = self._recording_begun or any(one.key for one in came)
                if self._recording_begun:
                    _write(came, *self._recording)

    def behind_s(self) -> float:
        """By how much what is made lags behind the clock; while it goes on by itself it is next to nothing."""
        begin = self._begin_ms
        return math.inf if begin is None else self._clock() - (begin / 1000 + self._frames / self.fps)

    # Having some of it

    def record(self, path: Path | None) -> None:
        """Let a file grow with the picture from the next key picture on; with None it grows no longer.

        It is MPEG-TS, MKV or fragmented MP4, as its name says.
        """
        with self._lock:
            if self._recording is not None:
                self._recording[0].close()
                self._recording = None
            if path is not None:
                self._recording, self._recording_begun = _transport(str(path), self.fps), False

    def save(self, path: Path, seconds: float) -> tuple[float, datetime]:
        """Write the last seconds to a file, from a key picture on; how long it is, and when it ends.

        What was made ahead of the clock has not been yet.
        """
        now = self._clock() - (self._begin_ms or 0) / 1000
        with self._lock:
            kept = [one for one in self._kept if one.at < now]
        ends = max((one.at for one in kept if one.picture), default=0.0) + 1 / self.fps
        keys = [place for place, one in enumerate(kept) if one.key]
        if not keys:
            raise LookupError("No picture stored yet")
        first = max((place for place in keys if kept[place].at <= ends - seconds), default=keys[0])
        target = BytesIO()
        out, *tracks = _transport(target, self.fps)
        _write(kept[first:], out, *tracks)
        out.close()
        remuxed(target.getvalue(), path)
        ends_ms = (self._begin_ms or 0) + round(ends * 1000)
        return ends - kept[first].at, datetime.fromtimestamp(ends_ms / 1000, UTC)


def _transport(where: Any, fps: int) -> tuple[Any, Any, Any, int]:
    """A file to write into piece by piece, with a track for the picture and one for the sound."""
    form, options = GROWING.get(Path(where).suffix if isinstance(where, str) else "", GROWING[""])
    out: Any = av.open(where, "w", format=form, options={"flush_packets": "1", **options})
    picture = out.add_stream("libx264", rate=fps, options={"preset": "ultrafast", "tune": "zerolatency"})
    picture.width, picture.height, picture.pix_fmt = WIDTH, HEIGHT, "yuv420p"
    sound = out.add_stream("aac", rate=SOUND_RATE, layout="mono")
    return out, picture, sound, fps


def _write(kept: Sequence[_Kept], out: Any, picture: Any, sound: Any, fps: int) -> None:
    for one in kept:
        packet: Any = av.Packet(one.data)
        packet.stream = picture if one.picture else sound
        packet.time_base = Fraction(1, fps if one.picture else SOUND_RATE)
        packet.pts = packet.dts = one.pts
        packet.duration = 1 if one.picture else 1024
        packet.is_keyframe = one.key or not one.picture
        out.mux(packet)


def remuxed(transport: bytes, path: Path) -> None:
    """Write a transport stream as the container that the file's name asks for, whole or not at all."""
    part = path.with_name(f".{path.name}.part")
    form = {".mkv": "matroska", ".ts": "mpegts", ".webm": "webm"}.get(path.suffix, "mp4")
    try:
        with av.open(BytesIO(transport)) as source, av.open(str(part), "w", format=form) as out:
            tracks = {
                one.index: out.add_stream_from_template(one) for one in source.streams if one.type in ("video", "audio")
            }
            first: float | None = None
            for packet in source.demux():
                if packet.pts is None or packet.dts is None or packet.stream.index not in tracks:
                    continue
                base: Any = packet.time_base
                if first is None:
                    if packet.stream.type != "video":
                        continue
                    first = float(packet.pts * base)
                shift = round(first / base)
                if packet.pts < shift:
                    continue
                packet.pts, packet.dts = packet.pts - shift, packet.dts - shift
                packet.stream = tracks[packet.stream.index]
                out.mux(packet)
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)
