"""The end of a recording that still grows, as a file of its own: its head, and what was written last.

A recording that goes on does not say how long it is, and may be of many gigabytes: nobody reads all of it for its end.
"""

from __future__ import annotations

from pathlib import Path
from typing import BinaryIO

from tesoura.errors import FileRefused
from tesoura.plain_files import open_plain

HEAD = 4_000_000
"""What stands before the first picture is no longer than this."""
_EBML, _CLUSTER = b"\x1aE\xdf\xa3", b"\x1fC\xb6u"
_TS_PACKET, _TS_SYNC = 188, 0x47


def excerpt(source: Path, target: Path, size: int) -> None:
    """Write about so many last bytes of a recording as a file that can be read. Raises FileRefused, and OSError."""
    with open_plain(source) as file:
        whole = file.seek(0, 2)
        file.seek(0)
        head = file.read(min(HEAD, whole))
        begin = max(whole - size, 0)
        if not head:
            raise FileRefused("The recording is still empty.")
        if head.startswith(_EBML):
            first, at = head.find(_CLUSTER), _found(file, _CLUSTER, begin, whole)
            if first < 0:
                raise FileRefused("Nothing recorded yet.")
            _copy(file, target, head[:first], max(at, first), whole)
        elif head[4:8] == b"ftyp":
            first = _fragment(head)
            if first < 0:
                raise FileRefused(
                    "This MP4 can't be read until it is finished. Record as MKV, MPEG-TS, or fragmented MP4."
                )
            at = first if begin <= first else _found(file, b"moof", begin, whole) - 4
            _copy(file, target, head[:first], max(at, first), whole)
        elif head[0] == _TS_SYNC:
            _copy(file, target, b"", begin - begin % _TS_PACKET, whole)
        else:
            raise FileRefused(
                "This format can't be read while it is being recorded. Record as MKV, MPEG-TS or fragmented MP4."
            )


def _fragment(head: bytes) -> int:
    """Where the first fragment of an MP4 begins; -1 where there is none."""
    at = 0
    while at + 8 <= len(head):
        size, name = int.from_bytes(head[at : at + 4], "big"), head[at + 4 : at + 8]
        if name == b"moof":
            return at
        if size < 8 or name == b"mdat":
            return -1
        at += size
    return -1


def _found(file: BinaryIO, mark: bytes, begin: int, end: int) -> int:
    """Where a mark stands first from some place on; the place itself where it does not."""
    at, kept = begin, b""
    file.seek(begin)
    while at < end and (data := file.read(1 << 20)):
        place = (kept + data).find(mark)
        if place >= 0:
            return at - len(kept) + place
        at += len(data)
        kept = data[-len(mark) + 1 :]
    return begin


def _copy(file: BinaryIO, target: Path, head: bytes, begin: int, end: int) -> None:
    file.seek(begin)
    left = end - begin
    with target.open("wb") as out:
        out.write(head)
        while left > 0 and (data := file.read(min(1 << 20, left))):
            out.write(data)
            left -= len(data)
