"""Pictures out of a clip: one that stands for it, and a strip of eight from its beginning to its end."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from av.error import FFmpegError
from PIL import Image

from tesoura.clips.probing import MICRO, go_to, opened, picture_of
from tesoura.errors import FileRefused

STILL_WIDTH, STRIP_HEIGHT, ON_STRIP = 480, 90, 8


def stills(source: Path, times: Sequence[int], width: int, begins: int = 0, turned: int = 0) -> list[Image.Image]:
    """The pictures that are seen at these times, µs after the first one, this wide. Raises FileRefused."""
    found: list[Image.Image] = []
    with opened(source) as container:
        picture = picture_of(container)
        for at in times:
            try:
                go_to(container, picture, begins + at)
                best = None
                for frame in container.decode(picture):
                    now = int((frame.pts or 0) * (frame.time_base or 0) * MICRO) - begins
                    if best is not None and now > at:
                        break
                    best = frame
                if best is None:
                    continue
                wide = width if turned not in (90, 270) else round(width * best.width / best.height)
                image = best.to_image(width=wide, height=max(round(wide * best.height / best.width), 1))
                found.append(image.rotate(turned, expand=True) if turned else image)
            except FFmpegError:
                continue
    if not found:
        raise FileRefused("No frame of the clip can be read.")
    return found


def keep_still(source: Path, target: Path, at: int) -> None:
    """Write the picture that is seen at this time, as WebP."""
    stills(source, [at], STILL_WIDTH)[0].save(target, "WEBP", quality=80)


def keep_strip(source: Path, target: Path, begin: int, end: int) -> None:
    """Write eight pictures beside each other, from the middle of the first eighth to that of the last, as WebP."""
    eighth = max(end - begin, 1) / ON_STRIP
    times = [begin + int(eighth * (one + 0.5)) for one in range(ON_STRIP)]
    first = stills(source, times[:1], STRIP_HEIGHT * 16 // 9)[0]
    width = max(round(STRIP_HEIGHT * first.width / first.height), 1)
    strip = Image.new("RGB", (width * ON_STRIP, STRIP_HEIGHT))
    for place, image in enumerate(stills(source, times, width)):
        strip.paste(image.resize((width, STRIP_HEIGHT)), (place * width, 0))
    strip.save(target, "WEBP", quality=75)
