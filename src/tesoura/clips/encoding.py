"""A part of a clip made anew as VP9 and Opus, which every browser plays: upright, 8 bits, no larger than a stream."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from av.error import FFmpegError

from tesoura.clips.probing import MICRO, MOST_FRAMES_PER_S, ClipFacts, go_to, opened, picture_of
from tesoura.errors import FileRefused

TICK = Fraction(1, 1000)
"""What WebM counts time in."""
SOUND_RATE = 48_000
MOST_WIDTH, MOST_HEIGHT = 1920, 1080
QUICK = {"deadline": "realtime", "cpu-used": "8", "row-mt": "1", "crf": "32", "b": "0", "static-thresh": "0"}
TURNS = {90: "transpose=2", 180: "hflip,vflip", 270: "transpose=1"}
Tell = Callable[[float], None]
"""Told how much is done, 0 to 1."""


def size_of(width: int, height: int) -> tuple[int, int]:
    """How large it is made: no larger than a stream's picture, both sides even."""
    by = min(1.0, MOST_WIDTH / width, MOST_HEIGHT / height)
    return max(round(width * by / 2) * 2, 2), max(round(height * by / 2) * 2, 2)


class ReelWriter:
    """Writes one file of VP9 and Opus, picture after picture, wherever they come from."""

    def __init__(self, target: Path, width: int, height: int, sounds: bool) -> None:
        self._out: Any = av.open(str(target), "w", format="webm")
        picture: Any = self._out.add_stream("libvpx-vp9", rate=60, options=dict(QUICK))
        picture.width, picture.height, picture.pix_fmt = width, height, "yuv420p"
        picture.codec_context.time_base, picture.time_base = TICK, TICK
        picture.codec_context.gop_size = 60
        self._picture, self._last = picture, -1
        self._sound: Any = self._out.add_stream("libopus", rate=SOUND_RATE, layout="stereo") if sounds else None
        self._heard = 0

    def picture(self, frame: Any, at: int) -> None:
        """A picture, as it is to be kept, at a time; µs. One at a time that is past already is passed over."""
        tick = round(at / 1000)
        if tick <= self._last:
            return
        self._last = tick
        frame.pts, frame.time_base = tick, TICK
        frame.pict_type = 0
        self._out.mux(self._picture.encode(frame))

    def sound(self, frame: Any, at: int) -> None:
        """Sound as samples of the right kind, at a time; µs. What overlaps what was heard is passed over."""
        if self._sound is None:
            return
        begins = round(at * SOUND_RATE / MICRO)
        if begins < self._heard - 960:
            return
        frame.pts, frame.time_base = max(begins, self._heard), Fraction(1, SOUND_RATE)
        self._heard = frame.pts + frame.samples
        self._out.mux(self._sound.encode(frame))

    def close(self) -> None:
        """Write what is left. Raises OSError."""
        self._out.mux(self._picture.encode(None))
        if self._sound is not None:
            self._out.mux(self._sound.encode(None))
        self._out.close()

    def drop(self) -> None:
        """Leave it: what was written is no file."""
        self._out.close()


def encode(source: Path, target: Path, facts: ClipFacts, begin: int, end: int, tell: Tell) -> ClipFacts:
    """Write what lies between, µs after the first picture, anew; what it is then.

    Raises FileRefused, and OSError when it cannot be written.
    """
    width, height = size_of(facts.width_px, facts.height_px)
    writer = ReelWriter(target, width, height, bool(facts.sound))
    try:
        length = copy_into(writer, source, facts, (begin, end), (width, height), 0, tell)
        writer.close()
    except FFmpegError as error:
        writer.drop()
        if isinstance(error, OSError) and error.errno and not isinstance(error, ValueError):
            raise OSError(error.errno, error.strerror) from error
        raise FileRefused(f"The clip can't be converted ({error.strerror}).") from None
    except BaseException:
        writer.drop()
        raise
    return replace(
        facts,
        length=length,
        begins=0,
        width_px=width,
        height_px=height,
        codec="vp9",
        sound="opus" if facts.sound else "",
        frames_per_s=min(facts.frames_per_s, 60.0),
        size=target.stat().st_size,
        made_anew="",
        turned=0,
    )


def copy_into(
    writer: ReelWriter,
    source: Path,
    facts: ClipFacts,
    part: tuple[int, int],
    size: tuple[int, int],
    at: int,
    tell: Tell,
    over: Callable[[Any, int], Any] = lambda frame, seconds: frame,
) -> int:
    """Write a part of a clip behind what is there, from `at` on; until when it goes on. µs.

    `over` may draw onto each picture, told it and how far into the part it is.
    """
    begin, end = part
    with opened(source) as container:
        picture = picture_of(container)
        sound = container.streams.audio[0] if container.streams.audio else None
        go_to(container, picture, facts.begins + begin)
        turn = _turning(picture, facts.turned)
        resampler = av.AudioResampler("s16", "stereo", SOUND_RATE)
        last, least = 0, MICRO / MOST_FRAMES_PER_S
        kept_at = -MICRO
        for frame in container.decode(*(one for one in (picture, sound) if one is not None)):
            if frame.pts is None:
                continue
            now = int(frame.pts * frame.time_base * MICRO) - facts.begins
            if now >= end and isinstance(frame, av.VideoFrame):
                break
            if now < begin or now >= end:
                continue
            if isinstance(frame, av.VideoFrame):
                if now - kept_at < least * 0.9:
                    continue
                kept_at, last = now, now - begin
                writer.picture(over(_fitted(turn(frame), size), now - begin), at + now - begin)
                tell(min((now - begin) / max(end - begin, 1), 1.0))
            else:
                frame.pts = None
                for one in resampler.resample(frame):
                    writer.sound(one, at + now - begin)
    if kept_at < 0:
        raise FileRefused("The clip contains none of the requested seconds.")
    return at + last + int(MICRO / max(min(facts.frames_per_s, 60.0), 1.0))


def _turning(picture: Any, turned: int) -> Callable[[Any], Any]:
    if turned not in TURNS:
        return lambda frame: frame
    graph = av.filter.Graph()
    chain = [graph.add_buffer(template=picture)]
    for one in TURNS[turned].split(","):
        name, _, given = one.partition("=")
        chain.append(graph.add(name, given or None))
    chain.append(graph.add("buffersink"))
    graph.link_nodes(*chain).configure()

    def turn(frame: Any) -> Any:
        graph.push(frame)
        return graph.pull()

    return turn


def _fitted(frame: Any, size: tuple[int, int]) -> Any:
    """The picture in this size and 8 bits, with edges where its shape is another."""
    width, height = size
    by = min(width / frame.width, height / frame.height)
    inner = max(round(frame.width * by / 2) * 2, 2), max(round(frame.height * by / 2) * 2, 2)
    if inner == size:
        return frame.reformat(width, height, "yuv420p")
    from PIL import Image

    whole = Image.new("RGB", size)
    whole.paste(frame.to_image(width=inner[0], height=inner[1]), ((width - inner[0]) // 2, (height - inner[1]) // 2))
    return av.VideoFrame.from_image(whole).reformat(format="yuv420p")
