"""What a file that is added must be; the one door for all kinds."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from tesoura.errors import FileRefused
from tesoura.uploads.added import Added

MAX_BYTES: Mapping[str, int] = {
    "picture": 20_000_000,
    "scenery": 20_000_000,
    "video": 80_000_000,
    "typeface": 10_000_000,
    "sound": 5_000_000,
    "overlay": 150_000_000,
}
MAX_UPLOAD = max(MAX_BYTES.values())


def checked(kind: str, data: bytes) -> Added:
    """The file, checked by its content. Raises FileRefused."""
    if not data:
        raise FileRefused("The file is empty.")
    if len(data) > MAX_BYTES[kind]:
        raise FileRefused(too_large(kind, len(data)))
    return _checks()[kind](data)


def too_large(kind: str, size: int) -> str:
    """What to say of a file that is too large."""
    most = MAX_BYTES[kind] / 1e6
    return f"The file has {size / 1e6:,.0f} MB; at most {most:,.0f} MB are allowed. Make it smaller and add it again."


def _checks() -> Mapping[str, Callable[[bytes], Added]]:
    from tesoura.uploads import pictures, sounds, typefaces, videos

    return {
        "picture": pictures.check,
        "scenery": pictures.check_scenery,
        "video": videos.check,
        "typeface": typefaces.check,
        "sound": sounds.check,
    }
