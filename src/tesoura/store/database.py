"""Opening the database: the folder, the pragmas, the migrations."""

from __future__ import annotations

import errno
import logging
import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any
from urllib.parse import quote

from sqlalchemy import Engine, create_engine, event, exc, inspect, text

from tesoura.errors import DataFolderError, NewerDocument
from tesoura.store.secrets import FILE_NAME as KEY_FILE

log = logging.getLogger(__name__)
FILE_NAME = "tesoura.db"
BEFORE = "before-upgrade"
"""The folder in which the database is kept as an earlier version left it."""
HEAD = "0011"
"""The newest migration, so that a folder that is up to date opens without loading what migrates."""
READERS = 20
"""So many may read at once before more are opened for a while, and as many again before one waits."""
_MIGRATIONS = Path(__file__).parent / "migrations"
_EMPTIED = (
    "{path} is missing or empty, although the data folder {folder} was used before. Restore a backup with "
    "`tesoura restore "
    "FILE`, or choose another folder with --data to start over. Nothing was changed."
)


def prepare_folder(folder: Path) -> Path:
    """Create the data folder if need be and check that it can be written to. Raises DataFolderError."""
    probe = folder / f".writable-{os.getpid()}"
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        probe.write_text("")
        probe.unlink(missing_ok=True)
    except OSError as error:
        if error.errno == errno.ENOSPC and folder.is_dir():
            # Overlays can be shown from a full disk; what can't be saved is reported when it happens.
            return folder
        raise DataFolderError(
            f"Nothing can be written to the data folder {folder} ({error.strerror}). "
            "Choose another one with --data, or change its permissions."
        ) from error
    return folder


def open_database(folder: Path, has_key: bool = False) -> Engine:
    """Open the folder's database and migrate it to this version. Raises DataFolderError.

    Called under the folder's lock. `has_key` says that the folder has been used: a database that is missing or empty
    then is a loss, and no first start.
    """
    path = folder / FILE_NAME
    if has_key and not (path.is_file() and path.stat().st_size):
        raise DataFolderError(_EMPTIED.format(path=path, folder=folder))
    engine = _engine(folder, "NORMAL", pool_size=READERS, max_overflow=READERS, pool_timeout=10)
    with _reported(engine, path):
        present = _version(engine)
        if present is None and has_key:
            raise DataFolderError(_EMPTIED.format(path=path, folder=folder))
        if present != HEAD:
            _migrate(engine, present)
    return engine


def open_as_is(folder: Path, read_only: bool = False) -> Engine:
    """Open the folder's database without creating or migrating anything. Raises DataFolderError.

    For a process that doesn't hold the folder's lock. With `read_only`, not a single file is written or created.
    """
    path = folder / FILE_NAME
    if not path.is_file():
        raise DataFolderError(f"{folder} is not a data folder of Tesoura. Choose the right one with --data.")
    engine = _engine(folder, "FULL", read_only, pool_size=2, max_overflow=0)
    with _reported(engine, path):
        if (present := _version(engine)) != HEAD:
            raise DataFolderError(
                f"The data folder {folder} was last used by another version of Tesoura (its database is at {present}, "
                f"this version's at {HEAD}). Run the command with that version, or start this one with the folder once."
            )
    return engine


@contextmanager
def _reported(engine: Engine, path: Path) -> Iterator[None]:
    """Report in Tesoura's own errors what keeps a database from being opened, and close it then."""
    try:
        yield
    except exc.DatabaseError as error:
        engine.dispose()
        if is_damage(str(error.orig)):
            raise DataFolderError(damaged(path, error.orig)) from error
        raise DataFolderError(f"{path}: {problem_of(str(error.orig))}") from error
    except DataFolderError:
        engine.dispose()
        raise


def damaged(path: Path, error: object) -> str:
    """Return what to tell the user about a database file that can't be read."""
    return (
        f"{path} is damaged and can't be read as a database ({error}). Restore a backup with `tesoura restore FILE`, "
        f"or move the file away together with {KEY_FILE} to start over."
    )


_PROBLEMS = {
    "full": "The disk is full. Free some space.",
    "locked": "Another program has locked the database. Close it, or wait until it's done.",
    "readonly": "The database can't be written to. Check the data folder's permissions.",
    "unable to open": "The database can't be opened. Check the data folder's permissions.",
    "disk I/O": "The disk reports an error. Check the disk, and whether it is full.",
}


_DAMAGE = ("malformed", "not a database", "unsupported file format", "no such table", "no such column")


def is_damage(message: str) -> bool:
    """Whether SQLite says that the file itself is not what it should be."""
    return any(part in message for part in _DAMAGE)


def problem_of(message: str) -> str:
    """Return what is wrong with the database and what to do, given what SQLite says."""
    if is_damage(message):
        return f"The database is damaged ({message}). Stop Tesoura and restore a backup with `tesoura restore FILE`."
    known = next((words for part, words in _PROBLEMS.items() if part in message), None)
    return known or f"The database reports “{message}”. Check the disk."


def writer_database(folder: Path) -> Engine:
    """The one thread's connections that write: with a session, and for plain jobs. They wait for none who read.

    What it has committed is on the disk and not only handed to the system, so that a loss of power takes nothing.
    """
    return _engine(folder, "FULL", pool_size=2, max_overflow=0)


def _engine(folder: Path, synchronous: str, read_only: bool = False, **pool: int) -> Engine:
    path = folder / FILE_NAME
    address = f"sqlite:///{_read_only_uri(path)}&uri=true" if read_only else f"sqlite:///{path}"
    engine = create_engine(address, connect_args={"timeout": 10.0, "check_same_thread": False}, **pool)
    writing = () if read_only else ("journal_mode=WAL", f"synchronous={synchronous}", "foreign_keys=ON")

    def set_pragmas(connection: Any, _: object) -> None:
        # Transactions are begun by hand, so that savepoints work.
        connection.isolation_level = None
        cursor = connection.cursor()
        for pragma in (*writing, "temp_store=MEMORY"):
            cursor.execute(f"PRAGMA {pragma}")
        cursor.close()

    event.listen(engine, "connect", set_pragmas)
    event.listen(engine, "begin", _begin)
    return engine


def _begin(connection: Any) -> None:
    connection.exec_driver_sql("BEGIN")


def _read_only_uri(path: Path) -> str:
    """Return the address at which SQLite reads a file without creating another beside it.

    Without a write-ahead log nobody has the database open, and all there is stands in the file itself.
    """
    wal = path.with_name(f"{path.name}-wal")
    quiet = not (wal.exists() and wal.stat().st_size)
    return f"file:{quote(str(path))}?mode=ro{'&immutable=1' if quiet else ''}"


def read_only(path: Path) -> sqlite3.Connection:
    """Open a database file to read it alone. Raises sqlite3.Error."""
    return sqlite3.connect(_read_only_uri(path), uri=True)


def _version(engine: Engine) -> str | None:
    """The migration at which a database is; None when it has no tables yet."""
    with engine.connect() as connection:
        if not inspect(connection).has_table("alembic_version"):
            return None
        return connection.execute(text("SELECT version_num FROM alembic_version")).scalar()


def _keep_before(engine: Engine, present: str) -> None:
    """Keep the database as an earlier version left it, before it is changed. Raises DataFolderError without room."""
    folder = Path(str(engine.url.database)).parent
    kept = folder / BEFORE / f"tesoura-{present}.db"
    made = kept.with_suffix(".new")
    try:
        kept.parent.mkdir(mode=0o700, exist_ok=True)
        made.unlink(missing_ok=True)
        with closing(engine.raw_connection()) as raw:
            raw.cursor().execute("VACUUM INTO ?", (str(made),))
        made.chmod(0o600)
        made.replace(kept)
    except (OSError, sqlite3.DatabaseError) as error:
        raise DataFolderError(
            "This data folder is from an earlier Tesoura, and there is no space for a copy of its database "
            f"({error}). Make "
            "room, or write it elsewhere with `tesoura backup FILE`, then start again. Nothing was changed."
        ) from error
    log.warning("This data folder is from an earlier Tesoura. Its database as it was is kept: %s", kept)


def _migrate(engine: Engine, present: str | None) -> None:
    if present is not None and present not in _versions():
        raise DataFolderError(
            f"This data folder was last used by a newer Tesoura (its database is at {present}). "
            "Start that version, or choose another folder with --data. Nothing was changed."
        )
    if present is not None:
        _keep_before(engine, present)
    upgraded(engine)


def _migrations() -> Any:
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS).replace("%", "%%"))
    config.set_main_option("path_separator", "os")
    return config


def _versions() -> set[str]:
    from alembic.script import ScriptDirectory

    return {revision.revision for revision in ScriptDirectory.from_config(_migrations()).walk_revisions()}


def upgraded(engine: Engine, to: str = "head") -> None:
    """Bring a database to a version, this one unless another is named."""
    from alembic import command

    config = _migrations()
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, to)


@contextmanager
def new_database(folder: Path, version: str) -> Iterator[Engine]:
    """Create an empty database in a folder, as that version had it. Raises NewerDocument for an unknown version."""
    if version not in _versions():
        raise NewerDocument("This backup was made by a newer Tesoura. Update Tesoura, then restore it.")
    engine = _engine(folder, "NORMAL")
    try:
        upgraded(engine, version)
        yield engine
    finally:
        engine.dispose()
