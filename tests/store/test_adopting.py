"""A backup that somebody else may have made: its rows come over, and nothing that acts by itself."""

from __future__ import annotations

import gzip
import json
import sqlite3
import zipfile
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest

from tesoura.bundles import backups
from tesoura.errors import FileRefused, NewerDocument
from tesoura.settings import wall_clock
from tesoura.store import feeds, keys, log, state
from tesoura.store.database import FILE_NAME
from tesoura.store.store import open_store
from tests.conftest import Running
from tests.runtime.test_clips import act
from tests.store.test_backups import changed, tesoura
from tests.store.test_upgrading import FOLDERS, VERSIONS


@pytest.fixture
def backup(running: Running, tmp_path: Path) -> Path:
    running.event(type="kill", data={"actor": "mara_vane", "target": "otto_knot"})
    act(running, "instrument.new", kind="run", choices={"title": "Mile"})
    backups.write(running.folder, tmp_path / "show.zip", wall_clock())
    return tmp_path / "show.zip"


def with_database(backup: Path, to: Path, change: Callable[[sqlite3.Connection], object]) -> Path:
    """The backup with its database changed."""
    at = to.with_suffix(".db")
    with zipfile.ZipFile(backup) as packed:
        at.write_bytes(packed.read(FILE_NAME))
    with closing(sqlite3.connect(at, isolation_level=None)) as database:
        change(database)
    return changed(backup, to, **{FILE_NAME: at.read_bytes()})


def restored(backup: Path, to: Path) -> list[str]:
    return backups.read(backup, to, wall_clock()).switched_off


def definitions(at: Path) -> set[tuple[Any, ...]]:
    with closing(sqlite3.connect(at)) as database:
        return set(
            database.execute("SELECT type, name, tbl_name, sql FROM sqlite_master WHERE name NOT LIKE 'sqlite_%'")
        )


def test_triggers_views_and_other_tables_stay_behind(backup: Path, tmp_path: Path) -> None:
    acting = """
        CREATE TRIGGER bite AFTER INSERT ON event BEGIN DELETE FROM choice; END;
        CREATE VIEW everything AS SELECT * FROM api_key;
        CREATE TABLE more (x); INSERT INTO more VALUES (1);
        CREATE INDEX slow ON event (data);
    """
    crafted = with_database(backup, tmp_path / "crafted.zip", lambda base: base.executescript(acting))
    restored(backup, tmp_path / "good")
    restored(crafted, tmp_path / "back")
    assert definitions(tmp_path / "back" / FILE_NAME) == definitions(tmp_path / "good" / FILE_NAME)
    with closing(open_store(tmp_path / "back")) as store:
        (event, *_) = [one for one in store.read(lambda session: log.latest(session, 50)) if one.event.type == "kill"]
        assert event.event.data == {"actor": "mara_vane", "target": "otto_knot"}


@pytest.mark.parametrize(
    "change",
    [
        "DROP TABLE clip; CREATE VIEW clip AS SELECT 1 AS id",
        "DROP TABLE overlay",
        "ALTER TABLE choice RENAME COLUMN value TO other",
        "DROP TABLE choice; CREATE TABLE choice (name TEXT, value TEXT GENERATED ALWAYS AS (upper(name)))",
        "INSERT INTO signal (name, feed_id, path, unit, wanted) VALUES ('x.y', 999, 'x', '', 'number')",
        "DELETE FROM alembic_version",
        "INSERT INTO alembic_version VALUES ('0001')",
        "PRAGMA writable_schema=ON; UPDATE sqlite_master SET rootpage = 2 WHERE name = 'feed'",
        "DROP TABLE api_key; CREATE TABLE api_key AS SELECT 1 AS id, 'a' AS name, 'h' AS hash, 'e' AS ending, "
        "NULL AS created_at, NULL AS revoked_at",
    ],
)
def test_a_database_of_another_shape_is_refused_and_leaves_nothing(backup: Path, tmp_path: Path, change: str) -> None:
    crafted = with_database(backup, tmp_path / "crafted.zip", lambda base: base.executescript(change))
    with pytest.raises(FileRefused, match="The database in the file is damaged or not from Tesoura"):
        restored(crafted, tmp_path / "back")
    assert not [one for one in tmp_path.iterdir() if one.name.startswith("back")]


def test_an_unknown_version_is_refused(backup: Path, tmp_path: Path) -> None:
    crafted = with_database(
        backup, tmp_path / "x.zip", lambda base: base.execute("UPDATE alembic_version SET version_num = '0999'")
    )
    with pytest.raises(NewerDocument):
        restored(crafted, tmp_path / "back")


def test_what_lets_others_in_or_starts_programs_comes_switched_off(running: Running, tmp_path: Path) -> None:
    scripts = running.folder / "scripts"
    scripts.mkdir(exist_ok=True)
    (scripts / "wind.py").write_text("print(1)")
    running.press("/", "/feeds/new/script", {"title": "Wind", "program": "wind.py", "keep_anyway": "yes"})
    act(running, "instrument.new", kind="cue", choices={"title": "Storm", "do_1": "script", "program_1": "wind.py"})
    act(running, "listening.on", password="paper-kite-99", tls="no")
    running.store.write(lambda session: state.choose(session, "text_folder", str(tmp_path / "elsewhere")))
    backups.write(running.folder, tmp_path / "show.zip", wall_clock())
    code, said = tesoura("restore", str(tmp_path / "show.zip"), "--data", str(tmp_path / "back"))
    assert code == 0
    assert (
        "Switched off until you turn it on: network access, the folder for text files, 1 API key, 1 script, 1 cue "
        "that runs a program."
    ) in said
    back = Running(tmp_path / "back")
    try:
        assert back.runtime.listening.door is None
        assert back.client.get("/api/signals", headers=running.auth).status_code == 401
        assert back.runtime.paused.holds("instrument:storm")
        assert "Imported and paused: 1 feed, 1 instrument, 1 API key" in back.client.get("/").text
        wind = back.store.read(lambda session: feeds.by_name(session, "wind"))
        assert wind is not None
        assert wind.paused
        back.do("show.start_imported")
        assert back.client.get("/api/signals", headers=running.auth).status_code == 200
        assert not back.runtime.paused.holds("instrument:storm")
        assert back.runtime.listening.door is None
    finally:
        back.stop()


@pytest.mark.parametrize("version", VERSIONS)
def test_a_backup_of_every_earlier_version_is_restored_whole(version: str, tmp_path: Path) -> None:
    data = gzip.decompress((FOLDERS / f"{version}.db.gz").read_bytes())
    (tmp_path / "old.db").write_bytes(data)
    with zipfile.ZipFile(tmp_path / "old.zip", "w") as packed:
        packed.writestr("backup.json", json.dumps({"kind": "tesoura.backup", "version": 1, "database": "0001"}))
        packed.writestr(FILE_NAME, data)
    restored(tmp_path / "old.zip", tmp_path / "back")
    with (
        closing(sqlite3.connect(tmp_path / "old.db")) as old,
        closing(sqlite3.connect(tmp_path / "back" / FILE_NAME)) as new,
    ):
        for table in ("event", "feed", "signal", "overlay"):
            asked = f"SELECT count(*) FROM {table}"
            assert new.execute(asked).fetchone() == old.execute(asked).fetchone(), table
    with closing(open_store(tmp_path / "back")) as store:
        assert store.read(lambda session: log.latest(session, 1))
        assert store.read(keys.listed) == []


def test_the_log_goes_on_counting_where_it_was(running: Running, backup: Path, tmp_path: Path) -> None:
    restored(backup, tmp_path / "back")
    with closing(open_store(tmp_path / "back")) as store:
        assert store.read(log.last_seq) == running.store.read(log.last_seq)
