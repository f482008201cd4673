"""The data folder is this user's alone, and one Tesoura's at a time."""

from __future__ import annotations

import contextlib
import getpass
import logging
import os
import stat
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import IO, Any

from tesoura.errors import DataFolderError, FolderInUse

LOCK = "tesoura.lock"
log = logging.getLogger(__name__)


def keep_private(folder: Path) -> None:
    """See that nobody else may read the folder and what is in it; what others may is mended, and said."""
    if os.name == "posix":
        _keep_private_by_modes(folder)
    elif not folder.resolve().is_relative_to(Path.home()):
        # Within a user's own folder everything is that user's already.
        keep_private_on_windows(folder, getpass.getuser(), subprocess.run)


def keep_private_on_windows(folder: Path, user: str, run: Callable[..., Any]) -> None:
    """Take the folder's rights from all but the user, the system and its keepers; `run` is as subprocess has it."""
    given = [f"{who}:(OI)(CI)F" for who in (user, "*S-1-5-18", "*S-1-5-32-544")]
    command = ["icacls", str(folder), "/inheritance:r", *(part for one in given for part in ("/grant:r", one))]
    try:
        answer = run(command, capture_output=True, timeout=20, check=False)
    except (OSError, subprocess.SubprocessError):
        answer = None
    if answer is None or answer.returncode != 0:
        log.warning("Other users may be able to read %s. Change its permissions, or choose another folder.", folder)


def _keep_private_by_modes(folder: Path) -> None:
    mended = 0
    # In a folder that is closed nobody reached what is in it, such as the files of a first start.
    was_open = bool(stat.S_IMODE(folder.stat().st_mode) & 0o077)
    for path in (folder, *_inside(folder)):
        with contextlib.suppress(OSError):
            mode = stat.S_IMODE(path.lstat().st_mode)
            if mode & 0o077 and not path.is_symlink():
                path.chmod(mode & 0o700)
                mended += 1
    if mended and was_open:
        log.warning("Other users could read %d files in the data folder; permissions were fixed.", mended)


def _inside(folder: Path) -> list[Path]:
    """What Tesoura itself keeps there. Text files are for other programs to read."""
    own = [path for path in folder.glob("*") if path.name != "texts"]
    return [*own, *(inner for path in own if path.is_dir() and not path.is_symlink() for inner in path.glob("*"))]


class FolderLock:
    """Holds the data folder while this process runs. The system releases it, however the process ends."""

    def __init__(self, folder: Path, holder: str) -> None:
        """Take the lock and write down who holds it. Raises FolderInUse, and DataFolderError."""
        self._path = folder / LOCK
        try:
            # Opened without truncating: the file names its present holder.
            self._file: IO[str] = os.fdopen(os.open(self._path, os.O_RDWR | os.O_CREAT, 0o600), "r+", encoding="utf-8")
        except OSError as error:
            raise DataFolderError(
                f"The lock file {self._path} can't be opened ({error.strerror}). Check who may write to {folder}."
            ) from error
        if not _take(self._file):
            holder = self._file.read(200).strip() or "another Tesoura"
            self._file.close()
            raise FolderInUse(
                f"The data folder {folder} is in use by {holder}. Stop that one, or choose another folder with --data."
            )
        if not self._is_in_place():
            self._file.close()
            raise FolderInUse(f"The data folder {folder} was just replaced by another process. Try again.")
        with contextlib.suppress(OSError):
            # On a full disk the lock holds all the same, without its holder's name.
            self._file.truncate(0)
            self._file.write(f"process {os.getpid()}, {holder}\n")
            self._file.flush()

    def _is_in_place(self) -> bool:
        """Whether the locked file is the one in the folder now: a restore may have replaced the folder meanwhile."""
        try:
            return os.path.samestat(os.fstat(self._file.fileno()), self._path.stat())
        except OSError:
            return False

    def release(self) -> None:
        """Release the lock. The file stays: another process may be about to lock it."""
        with contextlib.suppress(OSError):
            # What couldn't be written on a full disk can't be written now either.
            self._file.close()


def _take(file: IO[str]) -> bool:
    try:
        if os.name == "posix":
            import fcntl

            fcntl.flock(file.fileno(), fcntl.LOCK_EX | fcntl.LOCK_NB)
        else:
            import msvcrt

            # Beyond what is written, so that others can read who holds it.
            file.seek(1_000)
            msvcrt.locking(file.fileno(), msvcrt.LK_NBLCK, 1)  # type: ignore[attr-defined]
            file.seek(0)
    except OSError:
        return False
    return True
