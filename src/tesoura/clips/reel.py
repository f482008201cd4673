"""A reel: a title card and clips one after the other in one file, with captions in the picture, and chapters."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from av.error import FFmpegError
from PIL import Image, ImageDraw, ImageFont

from tesoura.clips.encoding import SOUND_RATE, ReelWriter, copy_into
from tesoura.clips.probing import MICRO, probe
from tesoura.errors import FileRefused

TITLE_US, TITLE_FPS = 2_500_000, 15
CAPTION_US = 4_000_000
PAPER, INK, THREAD, MAT = "#F6F1E7", "#1E2A38", "#C23A22", "#2F6B5E"
Tell = Callable[[float], None]


@dataclass(frozen=True, slots=True)
class ReelClip:
    """One clip of a reel: its file, which part of it, µs, and its caption."""

    file: str
    begin: int
    end: int
    caption: str


def make(folder: Path, plan: Mapping[str, Any], target: Path, tell: Tell) -> int:
    """Write the reel; how long it is, µs. Raises FileRefused, and OSError when it cannot be written."""
    clips = [ReelClip(one["file"], one["begin"], one["end"], one["caption"]) for one in plan["clips"]]
    size = (int(plan["width_px"]), int(plan["height_px"]))
    whole = TITLE_US + sum(one.end - one.begin for one in clips)
    first = target.with_name(f"{target.name}.first.webm")
    writer = ReelWriter(first, *size, sounds=True)
    chapters: list[tuple[int, str]] = []
    try:
        at = _title(writer, size, str(plan["title"]), str(plan["under"]), str(plan.get("font", "")))
        for one in clips:
            source = folder / one.file
            if not source.exists():
                raise FileRefused("One of the clips no longer exists. Choose again.")
            chapters.append((at, one.caption))
            over = _captioned(size, one.caption, str(plan.get("font", "")))
            at = copy_into(
                writer,
                source,
                probe(source),
                (one.begin, one.end),
                size,
                at,
                _share_of(tell, at, one.end - one.begin, whole),
                over,
            )
        writer.close()
        _with_chapters(first, target, chapters, at)
    except FFmpegError as error:
        writer.drop()
        if isinstance(error, OSError) and error.errno and not isinstance(error, ValueError):
            raise OSError(error.errno, error.strerror) from error
        raise FileRefused(f"The reel can't be created ({error.strerror}).") from None
    except BaseException:
        writer.drop()
        raise
    finally:
        first.unlink(missing_ok=True)
    return at


def _share_of(tell: Tell, begun: int, length: int, whole: int) -> Tell:
    """What tells how much of all is done, told how much of one clip is."""
    return lambda share: tell((begun + share * length) / whole)


def _font(path: str, size: int) -> Any:
    return ImageFont.truetype(path, size) if path else ImageFont.load_default(size)


def _title(writer: ReelWriter, size: tuple[int, int], title: str, under: str, font: str) -> int:
    """The card at the beginning; until when it is seen, µs."""
    width, height = size
    image = Image.new("RGB", size, PAPER)
    pen = ImageDraw.Draw(image)
    pen.text((width / 2, height * 0.44), title, INK, _fitting(font, title, width * 0.86, height // 9), "mm")
    pen.text((width / 2, height * 0.58), under, MAT, _fitting(font, under, width * 0.8, height // 20), "mm")
    pen.line((width * 0.42, height * 0.67, width * 0.58, height * 0.67), THREAD, max(height // 120, 2))
    silence: Any = av.AudioFrame("s16", "stereo", SOUND_RATE // TITLE_FPS)
    silence.planes[0].update(bytes(silence.planes[0].buffer_size))
    silence.sample_rate = SOUND_RATE
    for one in range(TITLE_US * TITLE_FPS // MICRO):
        at = one * MICRO // TITLE_FPS
        writer.picture(av.VideoFrame.from_image(image).reformat(format="yuv420p"), at)
        writer.sound(silence, at)
    return TITLE_US


def _fitting(font: str, text: str, width: float, size: int) -> Any:
    while size > 10 and _font(font, size).getlength(text) > width:
        size -= 2
    return _font(font, size)


def _captioned(size: tuple[int, int], caption: str, font: str) -> Callable[[Any, int], Any]:
    """What draws a clip's caption onto its first pictures."""
    if not caption:
        return lambda frame, at: frame
    width, height = size
    drawn = _fitting(font, caption, width * 0.8, height // 18)
    left, top, right, bottom = drawn.getbbox(caption)
    pad = height // 60
    strip = Image.new("RGB", (int(right - left) + 4 * pad, int(bottom - top) + 2 * pad), PAPER)
    pen = ImageDraw.Draw(strip)
    pen.rectangle((0, 0, pad // 2, strip.height), THREAD)
    pen.text((2 * pad - left, pad - top), caption, INK, drawn)
    place = (width // 24, height - height // 12 - strip.height)

    def over(frame: Any, at: int) -> Any:
        if at >= CAPTION_US:
            return frame
        image = frame.to_image()
        image.paste(strip, place)
        return av.VideoFrame.from_image(image).reformat(format="yuv420p")

    return over


def _with_chapters(source: Path, target: Path, chapters: Sequence[tuple[int, str]], ends: int) -> None:
    """The same file with chapters, which its writer could know only at the end."""
    with av.open(str(source)) as read, av.open(str(target), "w", format="webm") as out:
        tracks = {one.index: out.add_stream_from_template(one) for one in read.streams}
        starts = [at for at, _ in chapters] + [ends]
        out.set_chapters(
            [
                {
                    "id": place + 1,
                    "start": at // 1000,
                    "end": starts[place + 1] // 1000,
                    "time_base": Fraction(1, 1000),
                    "metadata": {"title": words},
                }
                for place, (at, words) in enumerate(chapters)
            ]
        )
        for packet in read.demux():
            if packet.dts is None:
                continue
            packet.stream = tracks[packet.stream.index]
            out.mux(packet)
