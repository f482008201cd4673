"""Programs that ship as examples for the scripts folder."""

from __future__ import annotations

import contextlib
import os
from importlib import resources
from pathlib import Path

SKIPPED = (".md", ".txt", ".json", ".pyc")


def programs(folder: Path) -> list[str]:
    """The programs in the scripts folder, by name."""
    if not folder.is_dir():
        return []
    return sorted(
        one.name
        for one in folder.iterdir()
        if one.is_file() and not one.name.startswith((".", "_")) and one.suffix not in SKIPPED
    )


def put(folder: Path) -> int:
    """Put the examples into the folder, but not over what is there; how many were put."""
    folder.mkdir(parents=True, exist_ok=True)
    count = 0
    for one in resources.files("tesoura.bundles.examples").joinpath("scripts").iterdir():
        path = folder / one.name
        if one.name.endswith((".py", ".sh")) and not path.exists():
            path.write_bytes(one.read_bytes())
            with contextlib.suppress(OSError):
                os.chmod(path, 0o700)
            count += 1
    return count
