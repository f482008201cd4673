"""Typefaces that are added: TTF, OTF and WOFF2, read whole before they are kept, and kept as WOFF2."""

from __future__ import annotations

import io
import logging
import struct
import zlib
from collections.abc import Callable, Iterator
from typing import Any

import brotli
from fontTools.ttLib.woff2 import WOFF2DirectoryEntry

from tesoura.errors import FileRefused
from tesoura.uploads.added import Added

RESTRICTED, PREVIEW, EDITABLE = 0x0002, 0x0004, 0x0008
NO_SUBSETTING, BITMAPS_ONLY = 0x0100, 0x0200
STARTS = (b"\x00\x01\x00\x00", b"OTTO", b"true", b"wOF2", b"wOFF")
WEIGHT_STEP = 100
MOST_UNPACKED, PIECE = 40_000_000, 1_000_000
"""Bytes that a typeface may unpack to, and how many are unpacked at a time to find out."""


def check(data: bytes) -> Added:
    """A typeface. Raises FileRefused, also when its own licence flag forbids that pages carry it."""
    if data[:4] == b"ttcf":
        raise FileRefused("This file has several typefaces. Add one as TTF, OTF or WOFF2.")
    if not data.startswith(STARTS):
        raise FileRefused("This is not a typeface. Add a TTF, OTF or WOFF2.")
    from fontTools.ttLib import TTFont

    logging.getLogger("fontTools").setLevel(logging.ERROR)
    try:
        _check_unpacked(data)
        font = TTFont(io.BytesIO(data), lazy=False)
        facts = _facts(font)
        kept = _as_woff2(font)
    except FileRefused:
        raise
    except Exception as error:
        why = str(error)[:120] or type(error).__name__
        raise FileRefused(f"The typeface is damaged and can't be read ({why}). Download it again and add it.") from None
    return Added(kept, "woff2", "font/woff2", facts=facts)


def _check_unpacked(data: bytes) -> None:
    """Whether a packed typeface unpacks to no more than fits, found out without keeping it. Raises FileRefused."""
    total = 0
    for unpack in _packed_parts(data):
        while piece := unpack():
            total += len(piece)
            if total > MOST_UNPACKED:
                raise FileRefused(
                    f"The typeface unpacks to more than {MOST_UNPACKED // 1_000_000} MB, too much for a page. "
                    "Choose one with fewer letters."
                )


def _packed_parts(data: bytes) -> Iterator[Callable[[], bytes]]:
    """What gives the next bytes of each packed part of a WOFF or WOFF2 file, and nothing at its end.

    Where the parts stand: W3C, WOFF File Format 1.0, sections 3, 4 and 6; WOFF File Format 2.0, sections 4 and 5.
    """
    if data[:4] == b"wOFF":
        tables, (meta_at, meta_size) = struct.unpack(">H", data[12:14])[0], struct.unpack(">II", data[24:32])
        for at in range(44, 44 + 20 * tables, 20):
            start, packed, size = struct.unpack(">III", data[at + 4 : at + 16])
            if packed < size:
                yield _deflated(data[start : start + packed])
        yield _deflated(data[meta_at : meta_at + meta_size])
    elif data[:4] == b"wOF2":
        tables, (size,) = struct.unpack(">H", data[12:14])[0], struct.unpack(">I", data[20:24])
        meta_at, meta_size = struct.unpack(">II", data[28:36])
        directory = io.BytesIO(data)
        directory.seek(48)
        for _ in range(tables):
            WOFF2DirectoryEntry().fromFile(directory)
        start = directory.tell()
        yield _brotli(data[start : start + size])
        yield _brotli(data[meta_at : meta_at + meta_size])


def _deflated(data: bytes) -> Callable[[], bytes]:
    unpacking, left = zlib.decompressobj(), [data]

    def piece() -> bytes:
        out = unpacking.decompress(left[0], PIECE) if left[0] else b""
        left[0] = unpacking.unconsumed_tail
        return out

    return piece


def _brotli(data: bytes) -> Callable[[], bytes]:
    unpacking, left = brotli.Decompressor(), [data]

    def piece() -> bytes:
        given, left[0] = left[0], b""
        return (
            bytes(unpacking.process(given, output_buffer_limit=PIECE)) if given or not unpacking.is_finished() else b""
        )

    return piece


def _as_woff2(font: Any) -> bytes:
    out = io.BytesIO()
    font.flavor = "woff2"
    font.save(out)
    return out.getvalue()


def _facts(font: Any) -> dict[str, Any]:
    for table in ("cmap", "head", "hhea", "hmtx", "maxp", "name"):
        if table not in font:
            raise FileRefused(f"The typeface has no table “{table}”, which browsers need.")
    if "glyf" not in font and "CFF " not in font and "CFF2" not in font:
        raise FileRefused("The typeface has only bitmaps, which can't be scaled.")
    letters = font.getBestCmap() or {}
    if not letters:
        raise FileRefused("The typeface has no letters.")
    flags = font["OS/2"].fsType if "OS/2" in font else 0
    told = _embedding(flags)
    names = font["name"]
    given = names.getBestFamilyName() or ""
    plain = "".join(char if char.isalnum() or char in " -." else " " for char in given)
    family = " ".join(plain.split())[:50] or "My typeface"
    weight = min(max(int(font["OS/2"].usWeightClass if "OS/2" in font else 400), 1), 1000)
    weights = [max(round(weight / WEIGHT_STEP), 1) * WEIGHT_STEP]
    if "fvar" in font and (axes := [axis for axis in font["fvar"].axes if axis.axisTag == "wght"]):
        low, high = (round(end / WEIGHT_STEP) * WEIGHT_STEP for end in (axes[0].minValue, axes[0].maxValue))
        weights = list(range(max(low, 100), min(high, 900) + 1, 100)) or weights
    licence = names.getDebugName(13) or names.getDebugName(0) or ""
    return {
        "family": family,
        "weights": weights,
        "letters": len(letters),
        "embedding": told,
        "licence": " ".join(licence.split())[:300],
    }


def _embedding(flags: int) -> str:
    """What the typeface's embedding flag (OS/2 `fsType`) says, for who adds it. Raises FileRefused."""
    if flags & BITMAPS_ONLY:
        raise FileRefused("The typeface's licence allows only bitmaps to be embedded, so it can't be used.")
    if flags & RESTRICTED and not flags & (PREVIEW | EDITABLE):
        raise FileRefused(
            "The typeface's licence doesn't allow embedding (“restricted licence”), which overlays "
            "need. Get a web licence, or choose another typeface."
        )
    if flags & PREVIEW and not flags & EDITABLE:
        return "Its licence allows embedding for viewing, which covers overlays."
    return "Its licence allows embedding."
