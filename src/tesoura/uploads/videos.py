"""Videos: WebM and MP4, told by their first bytes; how large they are is read from their headers."""

from __future__ import annotations

import struct
from collections.abc import Iterator

from tesoura.errors import FileRefused
from tesoura.uploads.added import Added

_EBML = b"\x1aE\xdf\xa3"
_INSIDE_MP4 = (b"moov", b"trak")
_INSIDE_WEBM = (0x18538067, 0x1654AE6B, 0xAE, 0xE0)
_WIDTH, _HEIGHT, _DOCTYPE = 0xB0, 0xBA, 0x4282


def check(data: bytes) -> Added:
    """A video. Raises FileRefused."""
    if data.startswith(_EBML) and b"webm" in data[:64]:
        width, height = _webm_size(data)
        return _with_size(data, "webm", "video/webm", width, height)
    if data[4:8] == b"ftyp":
        width, height = _mp4_size(data)
        return _with_size(data, "mp4", "video/mp4", width, height)
    raise FileRefused("This is neither WebM nor MP4. Save it as one of these.")


def _with_size(data: bytes, ending: str, kind: str, width: int, height: int) -> Added:
    if not (0 < width <= 8_192 and 0 < height <= 8_192):
        raise FileRefused("The video has no picture size. It may be damaged or contain only sound.")
    return Added(data, ending, kind, width, height)


def _mp4_size(data: bytes) -> tuple[int, int]:
    """The largest track's size: the last two 16.16 numbers of its header (ISO/IEC 14496-12, `tkhd`)."""
    best = (0, 0)
    for header in _mp4_boxes(data, 0, len(data)):
        width, height = struct.unpack(">II", header[-8:])
        best = max(best, (width >> 16, height >> 16))
    return best


def _mp4_boxes(data: bytes, start: int, end: int) -> Iterator[bytes]:
    at = start
    while at + 8 <= end:
        size, name = struct.unpack(">I4s", data[at : at + 8])
        head = 8
        if size == 1 and at + 16 <= end:
            size, head = struct.unpack(">Q", data[at + 8 : at + 16])[0], 16
        size = size or end - at
        if size < head or at + size > end:
            return
        if name in _INSIDE_MP4:
            yield from _mp4_boxes(data, at + head, at + size)
        elif name == b"tkhd" and size - head >= 84:
            yield data[at + head : at + size]
        at += size


def _webm_size(data: bytes) -> tuple[int, int]:
    found = {_WIDTH: 0, _HEIGHT: 0}
    for name, value in _webm_numbers(data, 0, len(data)):
        if name in found and not found[name]:
            found[name] = value
        if all(found.values()):
            break
    return found[_WIDTH], found[_HEIGHT]


def _webm_numbers(data: bytes, start: int, end: int) -> Iterator[tuple[int, int]]:
    """The elements that hold numbers, inside those that hold the tracks (RFC 8794)."""
    at = start
    while at < end:
        name, at = _variable(data, at, keep_marker=True)
        size, at = _variable(data, at, keep_marker=False)
        if name is None or size is None:
            return
        stop = min(at + size, end)
        if name in _INSIDE_WEBM:
            yield from _webm_numbers(data, at, stop)
        elif name in (_WIDTH, _HEIGHT) and size <= 8:
            yield name, int.from_bytes(data[at:stop], "big")
        at = stop


def _variable(data: bytes, at: int, keep_marker: bool) -> tuple[int | None, int]:
    if at >= len(data) or data[at] == 0:
        return None, at
    length = 9 - data[at].bit_length()
    raw = data[at : at + length]
    number = int.from_bytes(raw, "big")
    if not keep_marker:
        number &= (1 << 7 * length) - 1
        if number == (1 << 7 * length) - 1:
            # Of unknown size: it lasts as long as what it lies in.
            number = len(data)
    return number, at + length
