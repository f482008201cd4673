"""A save in the place of the game's own, in one step: whoever looks finds the one or the other whole, never half."""

from __future__ import annotations

import contextlib
import ctypes
import os
import shutil
import sys
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path, PurePosixPath

from tesoura.errors import CommandRefused
from tesoura.saves.keeping import (
    EACH_SYNCED,
    Content,
    all_synced,
    copied,
    digest_of,
    folder_synced,
    object_at,
    refused,
    room_for,
    synced,
)
from tesoura.saves.looking import SaveSource, mode_of, usual_mode

NEW, BEFORE = "new", "before"
WINDOWS = os.name == "nt"
_HERE, _EXCHANGE = -100, 2


def put(
    objects: Path,
    content: Content,
    source: SaveSource,
    number: int,
    keeps_times: bool,
    told: Callable[[int], None] = lambda done: None,
    stopped: Callable[[], bool] = lambda: False,
) -> None:
    """Let a kept save take the place of the game's. What the game had stands beside it then, as `before_at` says.

    Raises CommandRefused when that cannot be; then the game has what it had.
    """
    new, before = source.beside(NEW), before_at(source, number)
    _must_have_names(content)
    try:
        room_for(source.at.parent, content.size)
        _away(new)
        _away(before)
        _staged(objects, content, new, source, keeps_times, told, stopped)
        if not source.at.exists():
            new.rename(source.at)
        elif source.folder:
            _exchanged(new, source.at, before)
        else:
            _linked(source.at, before)
            new.replace(source.at)
    except OSError as error:
        _away(before)
        raise refused(error, "Not restored") from error
    except CommandRefused:
        _away(before)
        raise
    finally:
        _away(new)
    with contextlib.suppress(OSError):
        # The one is in the place of the other already: whatever comes of this, that stays.
        folder_synced(source.at.parent)


def before_at(source: SaveSource, number: int) -> Path:
    """Where what the game had stands after a save took its place, until it is kept."""
    return source.beside(f"{BEFORE}-{number}")


def _staged(
    objects: Path,
    content: Content,
    new: Path,
    source: SaveSource,
    keeps_times: bool,
    told: Callable[[int], None],
    stopped: Callable[[], bool],
) -> None:
    """The save written whole beside the game's, on the disk and checked by its hashes."""
    if source.folder:
        new.mkdir()
        for empty in content.folders:
            (new / empty).mkdir(parents=True, exist_ok=True)
    done, single = 0, len(content.files) <= EACH_SYNCED
    with ThreadPoolExecutor(1) as other:
        for one in content.files:
            if stopped():
                raise CommandRefused("Stopped. Nothing was changed.")
            at = new / one.path if source.folder else new
            at.parent.mkdir(parents=True, exist_ok=True)
            kept = object_at(objects, one.digest)
            if not kept.is_file():
                raise CommandRefused("A file of this save is missing. Nothing was changed.")
            copied(kept, at)
            if keeps_times:
                os.utime(at, ns=(one.mtime_ns, one.mtime_ns))
            syncing = other.submit(synced, at) if single else None
            if digest_of(at) != one.digest:
                raise CommandRefused(f"{one.path or 'The file'} was changed after it was saved. Nothing was changed.")
            if syncing is not None:
                syncing.result()
            done += one.size
            told(done)
    _permit(content, new, source)
    if not single:
        all_synced()


def _permit(content: Content, new: Path, source: SaveSource) -> None:
    """Give files and folders the permissions that were kept with them, or else those of what they replace."""
    if WINDOWS:
        return
    kept = dict(content.modes or ())
    paths = {one.path or ".": False for one in content.files}
    if source.folder:
        inner = (*paths, *(f"{one}/x" for one in content.folders))
        paths |= {".": True, **{str(one): True for path in inner for one in PurePosixPath(path).parents}}
    for path, folder in paths.items():
        mode = kept.get(path, usual_mode(folder))
        if content.modes is None and (there := source.at / path).exists():
            mode = mode_of(there)
        # What nobody may write could not be replaced the next time.
        (new / path).chmod(mode | (0o700 if folder else 0o600))


def _must_have_names(content: Content) -> None:
    """Refuse paths that this system cannot write, or that would lead out of the save here."""
    if not WINDOWS:
        return
    for path in (*(one.path for one in content.files), *content.folders):
        if any(one in path for one in '\\:*?"<>|') or any(part.rstrip(" .") != part for part in path.split("/")):
            raise CommandRefused(
                f"“{path[:60]}” is not a valid file name on Windows. Restore this save on the system "
                "it came from. Nothing was changed."
            )


def _linked(at: Path, before: Path) -> None:
    """What the game has, under a second name too; copied where the disk knows no second names."""
    before.unlink(missing_ok=True)
    try:
        os.link(at, before)
    except OSError:
        copied(at, before)
        shutil.copystat(at, before)
        synced(before)


def _exchanged(new: Path, at: Path, before: Path) -> None:
    """One folder in the place of another: at once where the system can, else by two names, which `mend` knows.

    The new one has the name of what was before when they are exchanged: so a crash leaves nothing under a name that
    nobody looks for.
    """
    new.rename(before)
    if _swapped(before, at):
        return
    before.rename(new)
    at.rename(before)
    try:
        new.rename(at)
    except OSError:
        before.rename(at)
        raise


def _swapped(one: Path, other: Path) -> bool:
    """Two names exchanged in one step of the system; False where it cannot."""
    if sys.platform != "linux":
        return False
    rename = getattr(ctypes.CDLL(None, use_errno=True), "renameat2", None)
    if rename is None:
        return False
    return bool(rename(_HERE, os.fsencode(one), _HERE, os.fsencode(other), _EXCHANGE) == 0)


def mend(source: SaveSource, number: int) -> None:
    """After a crash in the middle of an exchange by two names: let the game have what it had, if it has nothing."""
    _away(source.beside(NEW))
    before = before_at(source, number)
    if source.folder and before.exists() and not source.at.exists():
        before.rename(source.at)


def _away(at: Path) -> None:
    if at.is_dir() and not at.is_symlink():
        shutil.rmtree(at, ignore_errors=True)
    else:
        at.unlink(missing_ok=True)


def let_go(at: Path) -> None:
    """Take away what stood beside a game's save once it is kept."""
    _away(at)


def left_beside(source: SaveSource) -> list[int]:
    """The numbers of what stands beside a game's save: what it had before, and was not taken away."""
    begin = before_at(source, 0).name[:-1]
    if not source.at.parent.is_dir():
        return []
    numbers = [one.name.removeprefix(begin) for one in source.at.parent.iterdir() if one.name.startswith(begin)]
    return sorted(int(one) for one in numbers if one.isdecimal())
