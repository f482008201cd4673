"""Files that were sent, checked and shown, and wait to be imported."""

from __future__ import annotations

import secrets
import shutil
import time
from pathlib import Path

from werkzeug.datastructures import FileStorage

from tesoura.archives import INCOMING, WAITING

KEPT_S = 3_600
"""So long one waits."""
GONE = "The file is no longer here. Choose it again."


def take_in(sent: FileStorage, folder: Path) -> tuple[str, Path]:
    """Save a file that was sent; its token, and where it is. Those that waited too long are deleted. Raises OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    for one in folder.glob(f"{INCOMING}*"):
        if time.time() - one.stat().st_mtime > KEPT_S:
            shutil.rmtree(one) if one.is_dir() else one.unlink(missing_ok=True)
    token = secrets.token_hex(16)
    at = folder / f"{INCOMING}{token}.zip"
    try:
        sent.save(at)
    except OSError:
        at.unlink(missing_ok=True)
        raise
    return token, at


def waiting(token: str, folder: Path) -> Path | None:
    """Return where the file of this token waits, or None when there is none."""
    at = folder / f"{INCOMING}{token}.zip"
    return at if WAITING.fullmatch(at.name) and at.is_file() else None
