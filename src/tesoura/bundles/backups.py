"""A whole data folder as one file: written while Tesoura runs, and brought back into a folder of its own."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import sqlite3
import tempfile
import zipfile
from collections.abc import Iterator
from datetime import datetime
from itertools import count
from pathlib import Path
from typing import NamedTuple

import tesoura
from tesoura.archives import Archive, in_own_process
from tesoura.errors import DataFolderError, FileRefused, NewerDocument
from tesoura.store.adopting import NO_DATABASE, adopt, switch_off
from tesoura.store.database import FILE_NAME as DATABASE
from tesoura.store.database import HEAD, damaged, read_only
from tesoura.store.guarding import LOCK, FolderLock
from tesoura.store.secrets import FILE_NAME as KEY_FILE
from tesoura.store.store import RESERVE

KIND, VERSION, LIST = "tesoura.backup", 1, "backup.json"
MOST_FILES, MOST_BYTES, MOST_LIST = 2_000_000, 2_000_000_000_000, 100_000
LEFT_OUT = (LOCK, RESERVE, f"{DATABASE}-wal", f"{DATABASE}-shm", f"{DATABASE}-journal", DATABASE)
"""What no copy needs: the database is copied in a way of its own, with all that was committed until then."""
_PACKED = (".zip", ".png", ".jpg", ".jpeg", ".webp", ".gif", ".mp4", ".webm", ".mp3", ".ogg", ".woff2")
"""What is packed already, and would only cost time."""


def write(folder: Path, to: Path, at: datetime, with_key: bool = True) -> tuple[int, int]:
    """Write a data folder into a file that is not there yet; how many files, and bytes of them.

    Raises DataFolderError when there is no data folder, and FileRefused when the file cannot be written.
    """
    if not (folder / DATABASE).is_file():
        raise DataFolderError(f"{folder} is not a Tesoura data folder. Choose it with --data.")
    if to.exists():
        raise FileRefused(f"{to} already exists. Choose another name.")
    part, files, size = to.with_name(f".{to.name}.part"), 0, 0
    try:
        with (
            tempfile.TemporaryDirectory(dir=to.parent) as place,
            os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file,
        ):
            copy = Path(place) / DATABASE
            _database(folder / DATABASE, copy)
            with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as packed:
                told = {
                    "kind": KIND,
                    "version": VERSION,
                    "tesoura": tesoura.__version__,
                    "database": HEAD,
                    "made_at": at.isoformat(timespec="seconds"),
                    "key": with_key,
                }
                packed.writestr(LIST, json.dumps(told))
                packed.write(copy, DATABASE)
                for path in _files(folder, to, part):
                    if path.name == KEY_FILE and path.parent == folder and not with_key:
                        continue
                    how = zipfile.ZIP_STORED if path.suffix in _PACKED else zipfile.ZIP_DEFLATED
                    with contextlib.suppress(FileNotFoundError):
                        # What went while it was copied is not part of the copy.
                        packed.write(path, path.relative_to(folder).as_posix(), how)
                        files, size = files + 1, size + path.stat().st_size
                files, size = files + 1, size + copy.stat().st_size
            file.flush()
            os.fsync(file.fileno())
        part.replace(to)
    except sqlite3.DatabaseError as error:
        raise DataFolderError(damaged(folder / DATABASE, error)) from error
    except OSError as error:
        raise FileRefused(f"{to} couldn't be written: {error.strerror or error}.") from error
    finally:
        part.unlink(missing_ok=True)
    return files, size


def _database(at: Path, to: Path) -> None:
    """Copy a consistent snapshot of the database while others may write to it. Raises FileRefused."""
    try:
        _copied(at, to)
    except sqlite3.OperationalError:
        # A folder that can't be written to has no place for what SQLite keeps beside a database with open changes.
        to.unlink(missing_ok=True)
        beside = to.with_name(f"read-{at.name}")
        for ending in ("", "-wal"):
            if (part := at.with_name(at.name + ending)).exists():
                shutil.copyfile(part, beside.with_name(beside.name + ending))
        _copied(beside, to)


def _copied(at: Path, to: Path) -> None:
    with contextlib.closing(read_only(at)) as source, contextlib.closing(sqlite3.connect(to)) as copy:
        source.backup(copy)


def _files(folder: Path, *but: Path) -> Iterator[Path]:
    for path in sorted(folder.rglob("*")):
        if path.is_file() and not path.is_symlink() and path not in but and not path.name.endswith(".part"):
            if path.parent == folder and path.name in LEFT_OUT:
                continue
            yield path


class Restored(NamedTuple):
    """Where the folder that was there before is now, if there was one; and what was switched off, in words."""

    before: Path | None
    switched_off: list[str]


def read(file: Path, folder: Path, at: datetime) -> Restored:
    """Restore a data folder from a file.

    The folder is locked from beginning to end, so nothing is added to one that is about to be replaced. The new one is
    unpacked whole beside it, by a process of its own, and then takes its name. Its database is copied row by row, and
    what could let others in or start programs is switched off. Raises FolderInUse, and FileRefused for a file that is
    no backup, damaged, or of a later version.
    """
    beside = folder.with_name(f"{folder.name}.restoring")
    with contextlib.ExitStack() as ending:
        locks = [FolderLock(folder, "a restore")] if folder.exists() else []
        shutil.rmtree(beside, ignore_errors=True)
        ending.callback(shutil.rmtree, beside, ignore_errors=True)
        for lock in locks:
            ending.callback(lock.release)
        try:
            folder.parent.mkdir(parents=True, exist_ok=True)
            beside.mkdir(mode=0o700)
            switched_off = in_own_process(_unpack, file, beside, at)
            # Held until its new name is known, so that nobody starts with a folder that is only half in place.
            locks.append(FolderLock(beside, "a restore"))
            ending.callback(locks[-1].release)
            if os.name == "nt":
                # There a folder in which a file is open keeps its name.
                for lock in locks:
                    lock.release()
            return Restored(_in_place(beside, folder), switched_off)
        except OSError as error:
            raise FileRefused(f"Not restored: {error.strerror or error}. Nothing was changed.") from error


def _unpack(file: Path, beside: Path, at: datetime) -> list[str]:
    """Unpack a backup into an empty folder; what was switched off in it, in words."""
    with file.open("rb") as packed, Archive(packed, MOST_FILES, MOST_BYTES) as archive:
        _check_list(archive)
        # The database is there twice while it is copied, and once more in its write-ahead log.
        archive.must_fit(beside, 3 * archive.sizes.get(DATABASE, 0))
        for name in archive.sizes:
            if name not in (LIST, *LEFT_OUT):
                path = beside / name
                path.parent.mkdir(parents=True, exist_ok=True)
                archive.copy(name, path)
                path.chmod(0o600)
        foreign = beside / f"{DATABASE}.foreign"
        try:
            archive.copy(DATABASE, foreign)
        except KeyError:
            raise FileRefused(NO_DATABASE) from None
    adopt(foreign, beside)
    foreign.unlink()
    return switch_off(beside, at)


def _check_list(archive: Archive) -> None:
    try:
        told = archive.document(LIST, MOST_LIST)
    except (KeyError, ValueError):
        told = None
    if not isinstance(told, dict) or told.get("kind") != KIND:
        raise FileRefused("This is not a backup. Create one with `tesoura backup FILE`.")
    if not isinstance(told.get("version"), int) or told["version"] > VERSION or str(told.get("database")) > HEAD:
        raise NewerDocument("This backup was made by a newer Tesoura. Update Tesoura, then restore it.")


def _in_place(beside: Path, folder: Path) -> Path | None:
    before = None
    if folder.exists():
        names = (folder.with_name(f"{folder.name}.before-{number}") for number in count(1))
        before = next(one for one in names if not one.exists())
        folder.rename(before)
    try:
        beside.rename(folder)
    except OSError:
        if before is not None:
            before.rename(folder)
        raise
    return before
