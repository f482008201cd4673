"""Covers that were fetched: small pictures in the data folder, the newest few hundred of them."""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
from pathlib import Path

FOLDER = "covers"
MOST = 300
NAME = re.compile(r"[0-9a-f]{32}\.jpg")


def keep(folder: Path, data: bytes) -> str:
    """Write a cover whole, and let go of the oldest when there are too many; its name, which is its fingerprint."""
    place = folder / FOLDER
    place.mkdir(exist_ok=True)
    name = f"{hashlib.sha256(data).hexdigest()[:32]}.jpg"
    part = place / f".{name}.{os.getpid()}.part"
    try:
        part.write_bytes(data)
        part.replace(place / name)
    finally:
        part.unlink(missing_ok=True)
    ages = sorted((one.stat().st_mtime_ns, one) for one in place.iterdir() if NAME.fullmatch(one.name))
    for _, old in ages[:-MOST]:
        with contextlib.suppress(OSError):
            old.unlink()
    return name


def path_of(folder: Path, name: str) -> Path | None:
    """Where a cover lies; None for one that is not kept."""
    path = folder / FOLDER / name
    return path if NAME.fullmatch(name) and path.is_file() else None
