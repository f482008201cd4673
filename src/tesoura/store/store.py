"""The store as the rest of Tesoura sees it: read from any thread, write through the one writer."""

from __future__ import annotations

import contextlib
import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TypeVar

from sqlalchemy import Engine
from sqlmodel import Session

from tesoura.errors import DataFolderError, FolderInUse
from tesoura.store import keys
from tesoura.store import log as event_log
from tesoura.store.database import open_as_is, open_database, prepare_folder, writer_database
from tesoura.store.guarding import FolderLock, keep_private
from tesoura.store.secrets import Secrets, new_secrets, open_secrets
from tesoura.store.writer import Writer

T = TypeVar("T")
RESERVE, RESERVE_BYTES = "tesoura.reserve", 256 * 1024
"""A file that only takes up room. On a full disk it makes way for what SQLite needs to open the database at all."""


class ReadOnlyStore:
    """A data folder that is only read: nothing in it is created, migrated or written."""

    def __init__(self, folder: Path, engine: Engine, secrets: Secrets | None) -> None:
        self.folder = folder
        self._engine = engine
        self._secrets = secrets

    @property
    def secrets(self) -> Secrets:
        """The folder's secrets. Raises DataFolderError when it has no key file."""
        if self._secrets is None:
            raise DataFolderError(f"The key file of {self.folder} is missing. Restore it, or start Tesoura once.")
        return self._secrets

    def read(self, question: Callable[[Session], T]) -> T:
        """Ask the database something."""
        with Session(self._engine, expire_on_commit=False) as session:
            return question(session)

    def stream(self, question: Callable[[Session], Iterator[T]]) -> Iterator[T]:
        """Ask the database something whose answer is too long to hold at once."""
        with Session(self._engine, expire_on_commit=False) as session:
            yield from question(session)

    def close(self) -> None:
        """Close the database."""
        self._engine.dispose()


class Store(ReadOnlyStore):
    """An open data folder: read from any thread, written to by one. Holds the folder's lock if it is given one."""

    def __init__(self, folder: Path, engine: Engine, secrets: Secrets, lock: FolderLock | None = None) -> None:
        super().__init__(folder, engine, secrets)
        self._lock = lock
        self._writing = writer_database(folder)
        self.writer = Writer(self._writing)
        self._keys: dict[str, str] = {}

    def write(self, job: Callable[[Session], T]) -> T:
        """Change the database and wait until it is committed. Not for the event loop."""
        return self.writer.write(job)

    def index_words(self, most: int) -> bool:
        """Let the log's latest events be found by their words; whether so many are left that it is worth going on."""
        return self.write(lambda session: event_log.index_words(session, most)) == most

    def key_name(self, key: str) -> str | None:
        """Whose API key this is, or None. Keys that work are remembered, since every event brings one."""
        name = self._keys.get(key)
        if name is None:
            row = self.read(lambda session: keys.find(session, key))
            name = row.name if row else None
            if name is not None:
                self._keys[key] = name
        return name

    def forget_keys(self) -> None:
        """Ask for every key anew: one was revoked."""
        self._keys.clear()

    def close(self) -> None:
        """Finish writing, close, and only then let another process have the folder."""
        self.writer.close()
        self._writing.dispose()
        super().close()
        if self._lock is not None:
            self._lock.release()


def open_store(folder: Path, holder: str = "a command of Tesoura") -> Store:
    """Lock a data folder, inspect it, migrate it to this version and open it, creating it on the first start.

    This is the one way to a folder that may be changed. `holder` is what another process is told about this one.
    Raises FolderInUse, and DataFolderError.
    """
    prepare_folder(folder)
    lock = FolderLock(folder, holder)
    try:
        # The key is made after the database: a folder with a key once had a whole database.
        secrets = open_secrets(folder)
        engine = _with_reserve(folder, lambda: open_database(folder, has_key=secrets is not None))
        try:
            secrets = secrets or new_secrets(folder)
            keep_private(folder)
        except BaseException:
            engine.dispose()
            raise
    except BaseException:
        lock.release()
        raise
    return Store(folder, engine, secrets, lock)


def _with_reserve(folder: Path, opening: Callable[[], Engine]) -> Engine:
    """Open a database, on a full disk with the room that was put aside for that, and put some aside for next time."""
    reserve = folder / RESERVE
    try:
        engine = opening()
    except DataFolderError:
        if not reserve.exists() or shutil.disk_usage(folder).free >= RESERVE_BYTES:
            raise
        reserve.unlink()
        return opening()
    with contextlib.suppress(OSError):
        if not reserve.exists():
            reserve.write_bytes(os.urandom(RESERVE_BYTES))
    return engine


def join_store(folder: Path) -> Store:
    """Open a data folder to change it, also while Tesoura runs on it: then it is neither created nor migrated.

    Raises DataFolderError, also when another version of Tesoura runs on it.
    """
    try:
        return open_store(folder)
    except FolderInUse:
        engine = open_as_is(folder)
    secrets = open_secrets(folder)
    if secrets is None:
        engine.dispose()
        raise DataFolderError(f"Tesoura is just starting with {folder}. Try again in a moment.")
    return Store(folder, engine, secrets)


def read_store(folder: Path) -> ReadOnlyStore:
    """Open a data folder for reading only, even while another process uses it. Raises DataFolderError."""
    return ReadOnlyStore(folder, open_as_is(folder, read_only=True), open_secrets(folder))
