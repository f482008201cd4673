"""Pictures: PNG, JPEG, WebP, GIF, animated PNG; and SVG, of which only what draws is kept."""

from __future__ import annotations

import io
import warnings
from typing import Any

from PIL import Image, UnidentifiedImageError

from tesoura.core.overlays.fit.colours import luminance
from tesoura.errors import FileRefused
from tesoura.uploads.added import Added
from tesoura.uploads.svg import looks_like_svg, safe_svg

MAX_PIXELS = 40_000_000
MAX_FRAMES_PIXELS = 400_000_000
MAX_SIDE_PX = 12_000
FORMATS = {
    "PNG": ("png", "image/png"),
    "JPEG": ("jpg", "image/jpeg"),
    "WEBP": ("webp", "image/webp"),
    "GIF": ("gif", "image/gif"),
}
GRID = (48, 27)
"""Into how many parts a scene picture is cut to learn what is darkest and lightest in each."""


def check(data: bytes) -> Added:
    """A picture for an overlay. Raises FileRefused."""
    if looks_like_svg(data):
        clean, width, height = safe_svg(data)
        return Added(clean, "svg", "image/svg+xml", width, height)
    with _opened(data) as image:
        frames = _frames(image)
        if image.width * image.height * frames > MAX_FRAMES_PIXELS:
            raise FileRefused(
                f"The animation has {frames} pictures of {image.width} × {image.height} pixels, more than a page can "
                "hold. Make it smaller or shorter."
            )
        ending, kind = FORMATS[str(image.format)]
        facts = {"frames": frames} if frames > 1 else {}
        width, height = image.size
        _decoded(image)
    return Added(data, ending, kind, width, height, facts)


def check_scenery(data: bytes) -> Added:
    """A picture to lay overlays over, with what is darkest and lightest in each part of it. Raises FileRefused."""
    if looks_like_svg(data):
        raise FileRefused("A scene picture is a screenshot. Add a PNG, JPEG or WebP.")
    with _opened(data) as image:
        ending, kind = FORMATS[str(image.format)]
        width, height = image.size
        facts = {"grid": extremes(_decoded(image))}
    return Added(data, ending, kind, width, height, facts)


def _opened(data: bytes) -> Image.Image:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            image = Image.open(io.BytesIO(data), formats=list(FORMATS))
    except Image.DecompressionBombError:
        raise FileRefused("The picture has far more pixels than a screen, so it was not opened.") from None
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError):
        raise FileRefused(
            f"This is not a picture; it begins with {_beginning(data)}. Add a PNG, JPEG, WebP, GIF or SVG."
        ) from None
    if image.width * image.height > MAX_PIXELS or max(image.size) > MAX_SIDE_PX:
        raise FileRefused(
            f"The picture has {image.width:,} × {image.height:,} pixels; at most {MAX_SIDE_PX:,} a side and "
            f"{MAX_PIXELS / 1e6:.0f} million in total are allowed. Make it smaller and add it again."
        )
    return image


def _frames(image: Image.Image) -> int:
    try:
        return int(getattr(image, "n_frames", 1))
    except Exception as error:
        raise _damaged(error) from None


def _damaged(error: Exception) -> FileRefused:
    return FileRefused(f"The picture is damaged and can't be displayed ({error}). Save it again and re-add it.")


def _decoded(image: Image.Image) -> Image.Image:
    try:
        image.load()
    except Exception as error:
        raise _damaged(error) from None
    return image


def _beginning(data: bytes) -> str:
    text = "".join(chr(byte) if 32 <= byte < 127 else "·" for byte in data[:12])
    return f"“{text}”"


def extremes(image: Image.Image) -> dict[str, Any]:
    """The darkest and the lightest colour in each part of a picture, by luminance; transparent counts as nothing."""
    columns, rows = GRID
    small = image.convert("RGB")
    small.thumbnail((columns * 16, rows * 16))
    darkest, lightest = [], []
    for row in range(rows):
        for column in range(columns):
            box = (
                column * small.width // columns,
                row * small.height // rows,
                max((column + 1) * small.width // columns, column * small.width // columns + 1),
                max((row + 1) * small.height // rows, row * small.height // rows + 1),
            )
            colours: set[Any] = {colour for _, colour in small.crop(box).getcolors(65_536) or [(1, (128, 128, 128))]}
            darkest.append(min(colours, key=luminance))
            lightest.append(max(colours, key=luminance))
    return {"columns": columns, "rows": rows, "darkest": darkest, "lightest": lightest}
