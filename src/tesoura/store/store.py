"""The store as the rest of Tesoura sees it: read from any thread, write through the one writer."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TypeVar

from sqlalchemy import Engine
from sqlmodel import Session

from tesoura.store import keys
from tesoura.store import log as event_log
from tesoura.store.database import open_database, prepare_folder, writer_database
from tesoura.store.guarding import keep_private
from tesoura.store.secrets import Secrets, open_secrets
from tesoura.store.writer import Writer

T = TypeVar("T")


class Store:
    """An open data folder."""

    def __init__(self, folder: Path, engine: Engine, secrets: Secrets) -> None:
        self.folder = folder
        self.secrets = secrets
        self._writing = writer_database(folder)
        self.writer = Writer(self._writing)
        self._engine = engine
        self._keys: dict[str, str] = {}

    def read(self, question: Callable[[Session], T]) -> T:
        """Ask the database something."""
        with Session(self._engine, expire_on_commit=False) as session:
            return question(session)

    def stream(self, question: Callable[[Session], Iterator[T]]) -> Iterator[T]:
        """Ask the database something whose answer is too long to hold at once."""
        with Session(self._engine, expire_on_commit=False) as session:
            yield from question(session)

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
        """Finish writing and close."""
        self.writer.close()
        self._writing.dispose()
        self._engine.dispose()


def open_store(folder: Path) -> Store:
    """Open a data folder, making it on the first start. Raises DataFolderError."""
    prepare_folder(folder)
    secrets = open_secrets(folder)
    store = Store(folder, open_database(folder), secrets)
    keep_private(folder)
    return store
