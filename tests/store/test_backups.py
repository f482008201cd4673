"""A copy of the whole data folder: made while Tesoura runs, brought back whole or not at all."""

from __future__ import annotations

import stat
import zipfile
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner

from tesoura.bundles import backups
from tesoura.cli import main
from tesoura.errors import FileRefused, NewerDocument
from tesoura.settings import wall_clock
from tesoura.store.store import open_store
from tests.conftest import Running, first_start
from tests.runtime.test_clips import act


def tesoura(*words: str) -> tuple[int, str]:
    found = CliRunner().invoke(main, list(words))
    return found.exit_code, found.output


def test_a_copy_made_while_it_runs_has_all_that_was_accepted_and_comes_back(running: Running, tmp_path: Path) -> None:
    file, other = tmp_path / "show.zip", tmp_path / "other"
    act(running, "instrument.new", kind="run", choices={"title": "Mile"})
    (running.folder / "scripts").mkdir(exist_ok=True)
    (running.folder / "scripts" / "wind.py").write_text("print(1)")
    code, said = tesoura("backup", str(file), "--data", str(running.folder))
    assert (code, "are in" in said, "Store it where nobody else can read it" in said) == (0, True, True)
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    # What comes after the copy is not in it.
    act(running, "instrument.new", kind="run", choices={"title": "Later"})
    assert tesoura("restore", str(file), "--data", str(other))[0] == 0
    store = open_store(other)
    assert store.secrets.derive("x") == running.store.secrets.derive("x")
    store.close()
    assert (other / "scripts" / "wind.py").read_text() == "print(1)"
    with zipfile.ZipFile(file) as packed:
        assert "tesoura.lock" not in packed.namelist()
    assert "already exists" in tesoura("backup", str(file), "--data", str(running.folder))[1]


def test_a_folder_that_runs_is_not_replaced_and_one_that_is_there_is_kept(running: Running, tmp_path: Path) -> None:
    file, other = tmp_path / "show.zip", tmp_path / "other"
    backups.write(running.folder, file, wall_clock())
    other.mkdir()
    (other / "mine.txt").write_text("mine")
    code, said = tesoura("restore", str(file), "--data", str(other))
    assert (code, f"The previous data folder is now {other}.before-1." in said) == (0, True)
    assert (tmp_path / "other.before-1" / "mine.txt").read_text() == "mine"
    from tesoura.store.guarding import FolderLock

    lock = FolderLock(other, "http://127.0.0.1:1")
    code, said = tesoura("restore", str(file), "--data", str(other))
    assert (code, "is in use by" in said) == (1, True)
    lock.release()


def test_without_its_key_a_copy_opens_no_secret(running: Running, tmp_path: Path) -> None:
    file = tmp_path / "show.zip"
    code, said = tesoura("backup", str(file), "--without-key", "--data", str(running.folder))
    assert (code, "must be typed again" in said) == (0, True)
    with zipfile.ZipFile(file) as packed:
        assert "secret.key" not in packed.namelist()


def changed(file: Path, to: Path, **more: Any) -> Path:
    """The file with these parts more, or others."""
    with zipfile.ZipFile(file) as old, zipfile.ZipFile(to, "w") as new:
        for one in old.namelist():
            if one not in more:
                new.writestr(one, old.read(one))
        for name, data in more.items():
            new.writestr(name, data)
    return to


def test_what_is_no_copy_leads_out_or_is_damaged_changes_nothing(running: Running, tmp_path: Path) -> None:
    file, other = tmp_path / "show.zip", tmp_path / "other"
    backups.write(running.folder, file, wall_clock())
    other.mkdir()
    (other / "mine.txt").write_text("mine")
    newer = '{"kind": "tesoura.backup", "version": 1, "database": "9999"}'
    odd: list[tuple[Path, str]] = [
        (changed(file, tmp_path / "a.zip", **{"../out": "x"}), "in the file points outside its folder"),
        (changed(file, tmp_path / "b.zip", **{"backup.json": "{}"}), "This is not a backup"),
        (changed(file, tmp_path / "c.zip", **{"backup.json": newer}), "newer Tesoura"),
        (changed(file, tmp_path / "d.zip", **{"tesoura.db": "what"}), "database in the file is damaged"),
    ]
    (tmp_path / "e.zip").write_bytes(file.read_bytes()[:2_000])
    for path, why in [*odd, (tmp_path / "e.zip", "The file is damaged or not a zip file")]:
        with pytest.raises(FileRefused, match=why) as error:
            backups.read(path, other, wall_clock())
        assert isinstance(error.value, NewerDocument) == (why == "newer Tesoura")
        assert {one.name for one in other.iterdir()} - {"tesoura.lock"} == {"mine.txt"}
    assert not (tmp_path / "out").exists()
    assert sorted(one.name for one in tmp_path.iterdir() if "restoring" in one.name) == []
    assert "is not a Tesoura data folder" in tesoura("backup", str(tmp_path / "x.zip"), "--data", str(other))[1]


def test_a_folder_of_an_earlier_version_is_kept_as_it_was_before_it_is_changed(tmp_path: Path) -> None:
    import sqlite3

    from tesoura.store.database import BEFORE, FILE_NAME, HEAD
    from tesoura.store.store import open_store

    folder = tmp_path / "data"
    folder.mkdir()
    first_start(folder)
    with sqlite3.connect(folder / FILE_NAME) as base:
        base.executescript("DROP TABLE save; DROP TABLE save_game; UPDATE alembic_version SET version_num = '0007'")
    open_store(folder).close()
    with sqlite3.connect(folder / FILE_NAME) as base:
        assert base.execute("SELECT version_num FROM alembic_version").fetchone() == (HEAD,)
    with sqlite3.connect(folder / BEFORE / "tesoura-0007.db") as kept:
        assert kept.execute("SELECT version_num FROM alembic_version").fetchone() == ("0007",)
        assert kept.execute("PRAGMA integrity_check").fetchone() == ("ok",)
