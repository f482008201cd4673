"""Whether a save can be touched now: nobody writes it or locks it, and it may be written; who holds it, if told."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable, Iterable
from pathlib import Path

from tesoura.errors import CommandRefused
from tesoura.plain_files import open_plain
from tesoura.saves.looking import FoundFile, SaveSource, files_of

QUIET_S, LOOK_EVERY_S = 0.7, 0.2
"""A save is still being written for so long after its last change; it is looked at again so often."""
_ACCESS = 3
"""Which of a descriptor's flags tell whether it writes."""


def wait_until_settled(
    source: SaveSource, wait_s: float, stopped: Callable[[], bool] = lambda: False
) -> list[FoundFile]:
    """The files of a save once nobody writes them. Raises CommandRefused, with who holds it where the system tells."""
    until, before, why = time.monotonic() + wait_s, None, ""
    while True:
        found = files_of(source)
        held = holder_of(source, found)
        if not held and (found == before or not _fresh(found)):
            return found
        why = held or "still being written"
        before = found
        if stopped():
            raise CommandRefused("Stopped. Nothing was changed.")
        if time.monotonic() >= until:
            raise CommandRefused(f"{source.at.name} wasn't ready after {wait_s:g} s: {why}. Nothing was changed.")
        time.sleep(LOOK_EVERY_S)


def _fresh(found: Iterable[FoundFile]) -> bool:
    last = max((one.mtime_ns for one in found), default=0) / 1e9
    return 0 <= time.time() - last < QUIET_S


def holder_of(source: SaveSource, found: Iterable[FoundFile]) -> str:
    """Who has the save open to write it, or locks it, in words; nothing when nobody does, or nobody can tell."""
    files = [one.at for one in found]
    if sys.platform == "linux":
        if told := _writers(source.at, source.folder):
            return told
        return next((f"{one.name} is locked by another program" for one in files[:64] if _locked(one)), "")
    if sys.platform == "win32":
        return next((f"another program is using {one.name}" for one in files[:256] if not _opens(one)), "")
    return next((f"{one.name} is locked by another program" for one in files[:64] if _locked(one)), "")


def _writers(at: Path, folder: bool) -> str:
    """Programs of this user that have it open to write, as the system's table of processes tells."""
    wanted, below, own = str(at), f"{at}{os.sep}", os.getpid()
    for process in Path("/proc").iterdir():
        if not process.name.isdigit() or int(process.name) == own:
            continue
        try:
            descriptors = list((process / "fd").iterdir())
        except OSError:
            continue
        for one in descriptors:
            try:
                leads = os.readlink(one)
                if leads != wanted and not (folder and leads.startswith(below)):
                    continue
                flags = (process / "fdinfo" / one.name).read_text().partition("flags:")[2].split()[0]
                if int(flags, 8) & _ACCESS:
                    called = (process / "comm").read_text().strip()
                    return f"{called} (process {process.name}) has it open to write"
            except (OSError, IndexError, ValueError):
                continue
    return ""


def _locked(at: Path) -> bool:
    try:
        import fcntl
    except ImportError:
        return False
    try:
        with open_plain(at) as file:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            fcntl.flock(file, fcntl.LOCK_UN)
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False


def _opens(at: Path) -> bool:
    try:
        with at.open("r+b"):
            return True
    except PermissionError:
        return bool(at.stat().st_mode & 0o200) is False
    except OSError:
        return True


def must_be_writable(source: SaveSource, found: Iterable[FoundFile]) -> None:
    """See that a save may be replaced. Raises CommandRefused."""
    if not source.at.parent.is_dir():
        raise CommandRefused(
            f"The folder {source.at.parent.name} no longer exists. Start the game once, or choose its save again."
        )
    if not os.access(source.at.parent, os.W_OK | os.X_OK):
        raise CommandRefused(f"Nothing can be written to {source.at.parent.name}: you don't have permission.")
    for one in found:
        if not one.at.stat().st_mode & 0o200:
            raise CommandRefused(f"{one.at.name} is read-only. Change that first if it may be replaced.")
