"""Contents of saved games, each stored once by its hash: kept so that a crash leaves either all of a save or none."""

from __future__ import annotations

import contextlib
import errno
import hashlib
import os
import shutil
import stat
import time
import uuid
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple

from tesoura.errors import CommandRefused
from tesoura.plain_files import blocks_of, open_below
from tesoura.saves.looking import FoundFile, SaveSource, folders_of, modes_of, reason

FOLDER = "saves"
BLOCK = 1 << 20
EACH_SYNCED = 48
"""More files than this are brought to the disk together and not one by one."""
FREE_BYTES = 200_000_000
"""So much stays free on a disk."""


class SavedFile(NamedTuple):
    """A file of a save that is kept: its path below the save, bytes, when it changed, the hash of its content."""

    path: str
    size: int
    mtime_ns: int
    digest: str


class Content(NamedTuple):
    """What a save is: its files, the folders in it that have none, and the permissions that are not the usual ones.

    `modes` has those of files and folders by path, `.` for the save itself; None where permissions are not known.
    """

    files: tuple[SavedFile, ...]
    folders: tuple[str, ...] = ()
    modes: tuple[tuple[str, int], ...] | None = None

    @property
    def size(self) -> int:
        """Bytes of all files."""
        return sum(one.size for one in self.files)

    @property
    def same(self) -> str:
        """What two saves of the same content have in common, whenever they were written."""
        told = "\n".join([*(f"{one.path}\0{one.digest}" for one in self.files), *self.folders])
        return hashlib.blake2b(told.encode("utf-8", "surrogateescape"), digest_size=16).hexdigest()

    @property
    def changed_ns(self) -> int:
        """When it last changed."""
        return max((one.mtime_ns for one in self.files), default=0)

    def plain(self) -> dict[str, Any]:
        """It, to be stored."""
        modes = {} if self.modes is None else {"modes": dict(self.modes)}
        return {"files": [list(one) for one in self.files], "folders": list(self.folders), **modes}


def content_of(told: dict[str, Any]) -> Content:
    """It, as it was stored."""
    modes = tuple(told["modes"].items()) if "modes" in told else None
    return Content(tuple(SavedFile(*one) for one in told["files"]), tuple(told["folders"]), modes)


class StillWritten(Exception):
    """A save changed while it was copied: it is to be waited for."""


def object_at(folder: Path, digest: str) -> Path:
    """Where a content lies."""
    return folder / digest[:2] / digest


def digest_of(at: Path) -> str:
    """The hash of a file's content."""
    found = hashlib.blake2b(digest_size=32)
    with at.open("rb", buffering=0) as file:
        while block := file.read(BLOCK):
            found.update(block)
    return found.hexdigest()


def keep(
    folder: Path, source: SaveSource, found: Sequence[FoundFile], told: Callable[[int], None] = lambda done: None
) -> Content:
    """Store the files of a save; what it is. `told` hears how many bytes are done.

    Raises StillWritten when it changed meanwhile, and CommandRefused when the disk is full or it cannot be read.
    """
    folder.mkdir(parents=True, exist_ok=True)
    room_for(folder, sum(one.size for one in found))
    parts, done, single = list[tuple[FoundFile, Path, str]](), 0, len(found) <= EACH_SYNCED
    try:
        with ThreadPoolExecutor(1) as other:
            for one in found:
                part = folder / f".{uuid.uuid4().hex}.part"
                parts.append((one, part, ""))
                copied_as_found(source, one, part)
                # The hash is that of what was written; meanwhile that goes to the disk.
                syncing = other.submit(synced, part) if single else None
                digest = digest_of(part)
                if syncing is not None:
                    syncing.result()
                parts[-1] = (one, part, digest)
                done += one.size
                told(done)
        if not single:
            all_synced()
        if any(_changed(one) for one, _, _ in parts):
            raise StillWritten
        folders, modes = folders_of(source), modes_of(source, found)
        for one, part, digest in parts:
            at = object_at(folder, digest)
            at.parent.mkdir(exist_ok=True)
            if at.exists() and at.stat().st_size == one.size:
                part.unlink()
            else:
                part.replace(at)
                if single:
                    folder_synced(at.parent)
                    folder_synced(folder)
        if not single:
            all_synced()
    except FileNotFoundError as error:
        raise StillWritten from error
    except OSError as error:
        raise refused(error, "Not saved") from error
    finally:
        for _, part, _ in parts:
            part.unlink(missing_ok=True)
    files = tuple(SavedFile(one.path, one.size, one.mtime_ns, digest) for one, _, digest in parts)
    return Content(files, tuple(folders), modes)


def _changed(one: FoundFile) -> bool:
    now = one.at.lstat()
    return not stat.S_ISREG(now.st_mode) or (now.st_size, now.st_mtime_ns) != (one.size, one.mtime_ns)


def copied_as_found(source: SaveSource, one: FoundFile, to: Path) -> None:
    """Copy a file of a save as it was found. Raises StillWritten if a link, a pipe or another file has replaced it."""
    try:
        file = open_below(source.at, one.path)
    except OSError as error:
        if error.errno in (errno.ELOOP, errno.EINVAL, errno.ENXIO, errno.ENOTDIR, errno.EISDIR):
            raise StillWritten from error
        raise
    with file, to.open("wb") as out:
        now = os.fstat(file.fileno())
        if (now.st_size, now.st_mtime_ns) != (one.size, one.mtime_ns):
            raise StillWritten
        _copy(file, out, now.st_size)


def _copy(file: BinaryIO, out: BinaryIO, size: int) -> None:
    """By the system's quickest way, which on some disks copies nothing."""
    if hasattr(os, "copy_file_range"):
        with contextlib.suppress(OSError):
            while os.copy_file_range(file.fileno(), out.fileno(), min(size, 1 << 30)):
                pass
    for block in blocks_of(file):
        out.write(block)


def copied(at: Path, to: Path) -> None:
    """A file's content, copied by the system's quickest way."""
    shutil.copyfile(at, to)


def synced(at: Path) -> None:
    """A file's content, brought to the disk."""
    handle = os.open(at, os.O_RDWR)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def folder_synced(at: Path) -> None:
    """What a folder holds, brought to the disk, where the system can."""
    if os.name == "nt":
        return
    handle = os.open(at, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def all_synced() -> None:
    """All that was written, brought to the disk."""
    if hasattr(os, "sync"):
        os.sync()


def room_for(folder: Path, size: int) -> None:
    """See that a disk has room. Raises CommandRefused."""
    free = shutil.disk_usage(folder).free
    if free - size < FREE_BYTES:
        raise CommandRefused(
            f"The disk has {free / 1e9:.1f} GB free; this needs {size / 1e9:.1f}. "
            "Free some space and try again. Nothing was changed."
        )


def refused(error: OSError, what: str) -> CommandRefused:
    """What to say when files could not be written."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return CommandRefused(f"{what}: the disk is full. Free some space and try again. Nothing was changed.")
    return CommandRefused(f"{what}: {reason(error)}. Nothing was changed.")


def sweep(folder: Path, needed: Iterable[str]) -> int:
    """Take away contents that nothing needs, and what a crash left; how many went."""
    wanted, gone = set(needed), 0
    if not folder.is_dir():
        return 0
    for at in folder.iterdir():
        if at.name.endswith(".part"):
            at.unlink(missing_ok=True)
        elif at.is_dir():
            for one in at.iterdir():
                if one.name not in wanted and time.time() - one.stat().st_mtime > 60:
                    one.unlink(missing_ok=True)
                    gone += 1
    return gone
