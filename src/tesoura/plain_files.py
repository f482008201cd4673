"""Opening files whose paths others choose: only plain ones, so that nothing waits at a pipe or reads a device."""

from __future__ import annotations

import contextlib
import errno
import os
import stat
from collections.abc import Iterator
from pathlib import Path, PurePosixPath
from typing import BinaryIO

_READ = os.O_RDONLY | getattr(os, "O_BINARY", 0) | getattr(os, "O_CLOEXEC", 0)
_WAITLESS = getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_NOCTTY", 0)
_NO_LINK, _FOLDER = getattr(os, "O_NOFOLLOW", 0), getattr(os, "O_DIRECTORY", 0)
NOT_PLAIN = "Not a regular file"


def open_plain(path: Path) -> BinaryIO:
    """Open a plain file for reading; a link to one, too. Raises OSError, also for a pipe, a device or a folder."""
    return _plain(os.open(path, _READ | _WAITLESS), path)


def open_below(root: Path, path: str) -> BinaryIO:
    """Open a plain file below a folder for reading, following no link on the way there; `root` itself without a path.

    Raises OSError. Where the system can't open relative to a folder, only a link at the end is refused.
    """
    if not path or os.open not in os.supports_dir_fd or not _NO_LINK:
        return _plain(os.open(root / path, _READ | _WAITLESS | _NO_LINK), root / path)
    *folders, name = PurePosixPath(path).parts
    with contextlib.ExitStack() as ending:
        at = os.open(root, _READ | _FOLDER | _NO_LINK)
        ending.callback(os.close, at)
        for one in folders:
            at = os.open(one, _READ | _FOLDER | _NO_LINK, dir_fd=at)
            ending.callback(os.close, at)
        return _plain(os.open(name, _READ | _WAITLESS | _NO_LINK, dir_fd=at), root / path)


def _plain(handle: int, path: Path) -> BinaryIO:
    mode = os.fstat(handle).st_mode
    if not stat.S_ISREG(mode):
        os.close(handle)
        if stat.S_ISDIR(mode):
            raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR), str(path))
        raise OSError(errno.EINVAL, NOT_PLAIN, str(path))
    return os.fdopen(handle, "rb")


def blocks_of(file: BinaryIO, size: int = 1 << 20) -> Iterator[bytes]:
    """Yield what is left of a file, block by block."""
    while block := file.read(size):
        yield block
