"""The store as the rest of Tesoura sees it: read from any thread, write through the one writer."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from sqlalchemy import Engine
from sqlmodel import Session

from tesoura.store.database import open_database, prepare_folder
from tesoura.store.secrets import Secrets, open_secrets
from tesoura.store.writer import Writer

T = TypeVar("T")


class Store:
    """An open data folder."""

    def __init__(self, folder: Path, engine: Engine, secrets: Secrets) -> None:
        self.folder = folder
        self.secrets = secrets
        self.writer = Writer(engine)
        self._engine = engine

    def read(self, question: Callable[[Session], T]) -> T:
        """Ask the database something."""
        with Session(self._engine, expire_on_commit=False) as session:
            return question(session)

    def write(self, job: Callable[[Session], T]) -> T:
        """Change the database and wait until it is committed. Not for the event loop."""
        return self.writer.write(job)

    def close(self) -> None:
        """Finish writing and close."""
        self.writer.close()
        self._engine.dispose()


def open_store(folder: Path) -> Store:
    """Open a data folder, making it on the first start. Raises DataFolderError."""
    prepare_folder(folder)
    secrets = open_secrets(folder)
    return Store(folder, open_database(folder), secrets)
