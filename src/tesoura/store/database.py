"""Opening the database: the folder, the pragmas, the migrations."""

from __future__ import annotations

import logging
import os
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event, exc, inspect, text

from tesoura.errors import DataFolderError

log = logging.getLogger(__name__)
FILE_NAME = "tesoura.db"
BEFORE = "before-upgrade"
"""The folder in which the database is kept as an earlier version left it."""
HEAD = "0008"
"""The newest migration, so that a folder that is up to date opens without loading what migrates."""
READERS = 20
"""So many may read at once before more are opened for a while, and as many again before one waits."""
_MIGRATIONS = Path(__file__).parent / "migrations"


def prepare_folder(folder: Path) -> Path:
    """Make the data folder and see that it can be written, or raise DataFolderError."""
    probe = folder / f".writable-{os.getpid()}"
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        probe.write_text("")
        probe.unlink()
    except OSError as error:
        raise DataFolderError(
            f"Nothing can be written to the data folder {folder} ({error.strerror}). "
            "Give another one with --data, or make this one yours to write."
        ) from error
    return folder


def open_database(folder: Path) -> Engine:
    """Open the folder's database, brought up to this version. Raises DataFolderError."""
    engine = _engine(folder, "NORMAL", pool_size=READERS, max_overflow=READERS, pool_timeout=10)
    try:
        _upgrade(engine)
    except exc.DatabaseError as error:
        engine.dispose()
        raise DataFolderError(
            f"{folder / FILE_NAME} cannot be read as a database ({error.orig}). "
            "If it is damaged, move it away and start again, or put a copy of it back."
        ) from error
    except DataFolderError:
        engine.dispose()
        raise
    return engine


def writer_database(folder: Path) -> Engine:
    """The one thread's connections that write: with a session, and for plain jobs. They wait for none who read.

    What it has committed is on the disk and not only handed to the system, so that a loss of power takes nothing.
    """
    return _engine(folder, "FULL", pool_size=2, max_overflow=0)


def _engine(folder: Path, synchronous: str, **pool: int) -> Engine:
    engine = create_engine(
        f"sqlite:///{folder / FILE_NAME}", connect_args={"timeout": 10.0, "check_same_thread": False}, **pool
    )

    def set_pragmas(connection: Any, _: object) -> None:
        # Transactions are begun by hand, so that savepoints work.
        connection.isolation_level = None
        cursor = connection.cursor()
        for pragma in ("journal_mode=WAL", f"synchronous={synchronous}", "foreign_keys=ON", "temp_store=MEMORY"):
            cursor.execute(f"PRAGMA {pragma}")
        cursor.close()

    event.listen(engine, "connect", set_pragmas)
    event.listen(engine, "begin", _begin)
    return engine


def _begin(connection: Any) -> None:
    connection.exec_driver_sql("BEGIN")


def _upgrade(engine: Engine) -> None:
    present = _present(engine)
    if present != HEAD:
        _migrate(engine, present)


def _present(engine: Engine) -> str | None:
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
            f"This data folder is from an earlier Tesoura, and there is no room to keep it as it was ({error}). Make "
            "room, or write it elsewhere with `tesoura backup FILE`, then start again. Nothing was changed."
        ) from error
    log.warning("This data folder is from an earlier Tesoura. Its database as it was is kept: %s", kept)


def _migrate(engine: Engine, present: str | None) -> None:
    from alembic import command
    from alembic.config import Config
    from alembic.script import ScriptDirectory

    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS).replace("%", "%%"))
    config.set_main_option("path_separator", "os")
    known = {revision.revision for revision in ScriptDirectory.from_config(config).walk_revisions()}
    if present is not None and present not in known:
        raise DataFolderError(
            f"This data folder was last used by a newer Tesoura (its database is at {present}). "
            "Start that version, or give another folder with --data. Nothing was changed."
        )
    if present is not None:
        _keep_before(engine, present)
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
