"""Covers of tracks: whatever came from outside, made a small picture; and a handful of its pixels, for its colours."""

from __future__ import annotations

import io
import warnings

from PIL import Image, ImageOps, UnidentifiedImageError

from tesoura.errors import FileRefused

SIDE_PX = 640
MOST_PIXELS = 24_000_000
FORMATS = ("PNG", "JPEG", "WEBP", "GIF")
SAMPLE_PX = 48
Pixels = list[tuple[int, int, int]]


def small_cover(data: bytes) -> tuple[bytes, Pixels]:
    """A cover as a JPEG of at most 640 pixels a side, and pixels from all over it. Raises FileRefused."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            image = Image.open(io.BytesIO(data), formats=list(FORMATS))
            if image.width * image.height > MOST_PIXELS:
                raise FileRefused(f"it has {image.width:,} × {image.height:,} pixels, far more than a cover needs")
            image.draft("RGB", (SIDE_PX, SIDE_PX))
            small = ImageOps.exif_transpose(image).convert("RGBA")
    except (UnidentifiedImageError, Image.DecompressionBombError):
        raise FileRefused("the response is not a picture") from None
    except FileRefused:
        raise
    except Exception as error:
        raise FileRefused(f"the picture is damaged ({type(error).__name__})") from None
    small.thumbnail((SIDE_PX, SIDE_PX), Image.Resampling.LANCZOS)
    flat = Image.new("RGB", small.size, "#808080")
    flat.paste(small, mask=small.getchannel("A"))
    kept = io.BytesIO()
    flat.save(kept, "JPEG", quality=88)
    sample = flat.resize((min(SAMPLE_PX, flat.width), min(SAMPLE_PX, flat.height)), Image.Resampling.BOX).tobytes()
    return kept.getvalue(), list(zip(sample[::3], sample[1::3], sample[2::3], strict=True))
