"""A database that somebody else may have made: its rows are copied into a new one, and nothing else of it.

Triggers, views and other definitions of the foreign file are left behind. What could let others in, or start
programs, is switched off in the copy.
"""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Callable, Iterator, Mapping
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlmodel import Session, col, select

from tesoura.core.cues.setup import starts_programs
from tesoura.errors import FileRefused
from tesoura.store import keys, paused, state
from tesoura.store.database import new_database, read_only, upgraded
from tesoura.store.store import open_store
from tesoura.store.tables import ComputedRow, FeedRow

NO_DATABASE = "The database in the file is damaged or not from Tesoura. Use another backup."
MOST_VALUE_BYTES = 100_000_000
_WORDS = 2
"""The place that tells how far the index of words has come, which is made again."""
STARTS_PROGRAMS: Mapping[str, Callable[[Mapping[str, Any]], bool]] = {"cue": starts_programs}
CHOICES = {"listening": "network access", "text_folder": "the folder for text files"}
"""General choices that are not taken over, and what to call them."""


def adopt(foreign: Path, folder: Path) -> None:
    """Copy a foreign database into a new one of this version in a folder. Raises FileRefused."""
    try:
        with contextlib.closing(read_only(foreign)) as source:
            version = _checked(source)
        with new_database(folder, version) as engine, contextlib.closing(engine.raw_connection()) as raw:
            driver = raw.driver_connection
            assert isinstance(driver, sqlite3.Connection)
            _copy(driver, foreign)
            upgraded(engine)
    except sqlite3.Error as error:
        raise FileRefused(NO_DATABASE) from error


def _checked(source: sqlite3.Connection) -> str:
    """The version of a database whose pages are sound."""
    source.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, MOST_VALUE_BYTES)
    source.execute("PRAGMA trusted_schema=OFF")
    (whole,) = source.execute("PRAGMA integrity_check(1)").fetchone()
    versions = source.execute("SELECT version_num FROM alembic_version").fetchmany(2)
    if whole != "ok" or len(versions) != 1:
        raise FileRefused(NO_DATABASE)
    return str(versions[0][0])


def _copy(to: sqlite3.Connection, foreign: Path) -> None:
    to.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, MOST_VALUE_BYTES)
    to.execute("PRAGMA trusted_schema=OFF")
    to.execute("ATTACH ? AS other", (str(foreign),))
    to.execute("PRAGMA foreign_keys=OFF")
    to.execute("BEGIN")
    for table in _tables(to):
        columns = ", ".join(f'"{one}"' for one in _plain_columns(to, table))
        to.execute(f'DELETE FROM main."{table}"')  # noqa: S608 - names of our own tables
        to.execute(f'INSERT INTO main."{table}" ({columns}) SELECT {columns} FROM other."{table}"')  # noqa: S608
    to.execute("DELETE FROM position WHERE id = ?", (_WORDS,))
    if to.execute("PRAGMA main.foreign_key_check").fetchone() is not None:
        raise FileRefused(NO_DATABASE)
    to.execute("COMMIT")
    to.execute("DETACH other")


def _tables(to: sqlite3.Connection) -> Iterator[str]:
    """Our own tables that hold rows: not the index of words, which is made again."""
    own = to.execute("SELECT name, sql FROM main.sqlite_master WHERE type = 'table' ORDER BY name").fetchall()
    virtual = [name for name, sql in own if str(sql).upper().startswith("CREATE VIRTUAL")]
    for name, _ in own:
        if name != "alembic_version" and not name.startswith("sqlite_") and not name.startswith(tuple(virtual)):
            yield name
    if any(name == "sqlite_sequence" for name, _ in own):
        yield "sqlite_sequence"


def _plain_columns(to: sqlite3.Connection, table: str) -> list[str]:
    """The columns of our own table, each of which the foreign one must have as plain values."""
    kind = to.execute("SELECT type FROM other.sqlite_master WHERE name = ? COLLATE NOCASE", (table,)).fetchall()
    own = [one[1] for one in to.execute(f'PRAGMA main.table_xinfo("{table}")')]
    # The last number is 0 for a column that holds what was written into it, and is not worked out.
    theirs = {one[1] for one in to.execute(f'PRAGMA other.table_xinfo("{table}")') if one[6] == 0}
    if (table != "sqlite_sequence" and kind != [("table",)]) or not theirs.issuperset(own):
        raise FileRefused(NO_DATABASE)
    return own


def switch_off(folder: Path, at: datetime) -> list[str]:
    """Switch off what could let others in or start programs; what that was, in words."""
    store = open_store(folder, "a restore")
    try:
        return store.write(lambda session: _switched_off(session, at))
    finally:
        store.close()


def _switched_off(session: Session, at: datetime) -> list[str]:
    found = [words for name, words in CHOICES.items() if (state.choice(session, name) or "{}") != "{}"]
    for name in CHOICES:
        state.unchoose(session, name)
    own = [one.id or 0 for one in keys.listed(session)]
    for number in own:
        keys.revoke(session, number, at)
    rows = session.exec(select(FeedRow).where(FeedRow.kind == "script", col(FeedRow.removed_at).is_(None)))
    feeds = [row for row in rows if not row.paused]
    for row in feeds:
        row.paused = True
        session.add(row)
    computed = session.exec(select(ComputedRow).where(col(ComputedRow.kind).in_(STARTS_PROGRAMS)))
    cues = [one.name for one in computed if STARTS_PROGRAMS[one.kind](one.choices)]
    paused.add(session, [one.name for one in feeds], cues, own)
    counts = (
        (len(own), "API key", "API keys"),
        (len(feeds), "script", "scripts"),
        (len(cues), "cue that runs a program", "cues that run programs"),
    )
    return found + [f"{count} {one if count == 1 else several}" for count, one, several in counts if count]
