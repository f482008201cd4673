"""Zip files that somebody else made: read by streaming, within limits, and in a process of their own."""

from __future__ import annotations

import contextlib
import re
import shutil
import stat
import struct
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path, PurePosixPath
from typing import IO, Any, TypeVar

from tesoura.core.values import from_json
from tesoura.errors import FileRefused, TesouraError
from tesoura.workers import JobFailed, Overrun, Worker

T = TypeVar("T")
INCOMING = "incoming-"
"""How the names begin of files that were sent and are not imported yet, and of what is unpacked of them."""
WAITING = re.compile(rf"{INCOMING}[0-9a-f]{{32}}\.zip")
"""The name of such a file."""
BLOCK = 1 << 20
MOST_NAME_BYTES = 4_200
"""A path of a part, in bytes."""
MOST_VALUES = 1_000_000
"""The lists, groups and single values in one document."""
LEAST_S, BYTES_A_SECOND = 30.0, 4_000_000
"""The seconds that reading a file may take in any case, and the slowest that a sound one is read on a slow disk."""
LEAST_FREE = 200_000_000
"""Bytes that stay free on a disk."""
_DIRECTORY, _END, _WIDE_END, _WIDE_AT = 46, "<4s4H2LH", "<4sQ2H2L4Q", "<4sLQL"
DAMAGED = "The file is damaged or not a zip file. Export it again."


def in_own_process(job: Callable[..., T], path: Path, *given: Any) -> T:
    """Return what a job makes of an archive, in a process that is ended when it takes too long or too much memory.

    The job is called with the path and what else is given. Raises what it raised of Tesoura's errors, and FileRefused.
    """
    worker = Worker(limit_s=LEAST_S + path.stat().st_size / BYTES_A_SECOND)
    try:
        return worker.run_now(job, path, *given)
    except Overrun as error:
        what = "takes too long" if error.slow else "takes too much memory"
        raise FileRefused(f"Reading the file {what}, so it was stopped. Nothing was imported.") from error
    except JobFailed as error:
        raise FileRefused(DAMAGED) from error
    finally:
        worker.stop()


class Archive:
    """An open zip file whose parts are known to be plain files with paths inside, each once."""

    def __init__(self, file: IO[bytes], most_parts: int, most_bytes: int) -> None:
        """Raises FileRefused for what is no zip file, or has more parts or unpacked bytes than it may."""
        with _reading():
            if (listed := _directory_bytes(file)) > most_parts * (_DIRECTORY + 200):
                raise FileRefused(
                    f"The file lists too many parts ({listed / 1e6:,.0f} MB); at most {most_parts:,} fit."
                )
            file.seek(0)
            self._file = zipfile.ZipFile(file)
        self.sizes: dict[str, int] = {}
        """The unpacked bytes of each part, by its path."""
        with _reading():
            for one in self._file.infolist():
                if not one.is_dir():
                    self._add(one)
        if len(self.sizes) > most_parts:
            raise FileRefused(f"The file has {len(self.sizes):,} parts; at most {most_parts:,} fit.")
        self.total = sum(self.sizes.values())
        if self.total > most_bytes:
            raise FileRefused(
                f"The file unpacks to {self.total / 1e6:,.0f} MB; at most {most_bytes / 1e6:,.0f} MB "
                "fit. It was not unpacked."
            )

    def _add(self, one: zipfile.ZipInfo) -> None:
        name = one.filename
        if not _is_inside(name):
            raise FileRefused(f"{name[:60]!a} in the file points outside its folder. Nothing was imported.")
        if stat.S_IFMT(one.external_attr >> 16) not in (0, stat.S_IFREG):
            raise FileRefused(f"{name[:60]!a} in the file is a link or device. Nothing was imported.")
        if one.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED) or one.flag_bits & 1:
            raise FileRefused(f"{name[:60]!a} is encrypted or compressed in an unsupported way.")
        if name in self.sizes:
            raise FileRefused(f"{name[:60]!a} is in the file twice. Nothing was imported.")
        self.sizes[name] = one.file_size

    def blocks(self, name: str) -> Iterator[bytes]:
        """Yield a part block by block. Raises KeyError when there is none, and FileRefused when it is damaged."""
        if name not in self.sizes:
            raise KeyError(name)
        with _reading():
            part = self._file.open(name)
        left = self.sizes[name]
        with part:
            while True:
                with _reading():
                    block = part.read(BLOCK)
                left -= len(block)
                if left < 0 or (left and not block):
                    raise FileRefused(DAMAGED)
                if not block:
                    return
                yield block

    def read(self, name: str, most_bytes: int) -> bytes:
        """Return a small part whole. Raises KeyError, and FileRefused when it is larger or damaged."""
        if self.sizes[name] > most_bytes:
            raise FileRefused(
                f"{name[:60]} in the file has {self.sizes[name] / 1e6:,.0f} MB; at most {most_bytes / 1e6:,.1f} MB fit."
            )
        return b"".join(self.blocks(name))

    def document(self, name: str, most_bytes: int) -> Any:
        """Return the JSON in a part. Raises KeyError, ValueError, and FileRefused when it is too large or damaged."""
        found = from_json(self.read(name, most_bytes))
        if _is_larger(found, MOST_VALUES):
            raise FileRefused(f"{name[:60]} in the file has more than {MOST_VALUES:,} values.")
        return found

    def copy(self, name: str, to: Path) -> None:
        """Unpack a part into a new file. Raises KeyError, FileRefused, and OSError when it can't be written."""
        with to.open("xb") as file:
            for block in self.blocks(name):
                file.write(block)

    def must_fit(self, folder: Path, more_bytes: int = 0) -> None:
        """Check that all parts fit onto the folder's disk. Raises FileRefused."""
        needed, free = self.total + more_bytes, shutil.disk_usage(folder).free
        if needed + LEAST_FREE > free:
            raise FileRefused(
                f"This needs {needed / 1e6:,.0f} MB, and {free / 1e6:,.0f} MB are free. Free some disk space."
            )

    def close(self) -> None:
        """Close the archive; the file it is in stays open."""
        self._file.close()

    def __enter__(self) -> Archive:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()


@contextlib.contextmanager
def _reading() -> Iterator[None]:
    """Whatever a library raises over a damaged file, say that it is damaged."""
    try:
        yield
    except (TesouraError, MemoryError):
        raise
    except Exception as error:
        raise FileRefused(DAMAGED) from error


def _directory_bytes(file: IO[bytes]) -> int:
    """How long a zip file's list of parts says it is, so that none is read that takes all memory."""
    size = file.seek(0, 2)
    start = max(0, size - 65_557)
    file.seek(start)
    tail = file.read()
    at = tail.rfind(b"PK\5\6")
    if at < 0:
        raise FileRefused(DAMAGED)
    listed = int(struct.unpack_from(_END, tail, at)[5])
    wide = tail.rfind(b"PK\6\7", 0, at)
    if wide >= 0:
        file.seek(struct.unpack_from(_WIDE_AT, tail, wide)[2])
        listed = max(listed if listed != 0xFFFFFFFF else 0, struct.unpack(_WIDE_END, file.read(56))[8])
    return listed


def _is_inside(name: str) -> bool:
    parts = name.split("/")
    odd = any(part in ("", ".", "..") or any(char in part for char in "\\:\0") for part in parts)
    return not odd and not PurePosixPath(name).is_absolute() and len(name.encode("utf-8", "replace")) <= MOST_NAME_BYTES


def _is_larger(found: Any, most: int) -> bool:
    left, todo = most, [found]
    while todo:
        one = todo.pop()
        left -= 1
        if left < 0:
            return True
        todo.extend(one.values() if isinstance(one, dict) else one if isinstance(one, list) else ())
    return False
