"""The data folder is locked, then inspected, then migrated; read-only commands change nothing."""

from __future__ import annotations

import shutil
import sqlite3
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from pathlib import Path
from threading import Barrier

import pytest
from click.testing import CliRunner

from tesoura.bundles import backups
from tesoura.cli import main
from tesoura.errors import DataFolderError, FileRefused, FolderInUse
from tesoura.settings import wall_clock
from tesoura.store import feeds, keys, log, paused, writer
from tesoura.store.database import FILE_NAME, HEAD, read_only
from tesoura.store.guarding import LOCK, FolderLock
from tesoura.store.secrets import FILE_NAME as KEY_FILE
from tesoura.store.store import Store, join_store, open_store, read_store
from tests.conftest import Running
from tests.runtime.test_clips import act


def tesoura(*words: str) -> tuple[int, str]:
    found = CliRunner().invoke(main, list(words))
    assert found.exception is None or isinstance(found.exception, SystemExit), found.exception
    return found.exit_code, found.output


def version_of(folder: Path, set_to: str = "") -> str:
    with closing(sqlite3.connect(folder / FILE_NAME)) as base:
        if set_to:
            base.executescript(
                "DROP TABLE save; DROP TABLE save_game; UPDATE alembic_version SET version_num = '0007'"
                if set_to == "0007"
                else f"UPDATE alembic_version SET version_num = '{set_to}'"
            )
        return str(base.execute("SELECT version_num FROM alembic_version").fetchone()[0])


def used(folder: Path) -> Path:
    """A data folder that has been used and closed."""
    open_store(folder).close()
    return folder


def files_of(folder: Path) -> dict[str, bytes]:
    return {str(path.relative_to(folder)): path.read_bytes() for path in folder.rglob("*") if path.is_file()}


def test_of_many_first_starts_at_once_one_has_the_folder_and_its_key(tmp_path: Path) -> None:
    for number in range(5):
        folder, together = tmp_path / str(number), Barrier(6)

        def start(folder: Path = folder, together: Barrier = together) -> Store | None:
            together.wait()
            try:
                return open_store(folder)
            except FolderInUse:
                return None

        with ThreadPoolExecutor(6) as pool:
            stores = [one for one in pool.map(lambda _: start(), range(6)) if one is not None]
        assert len(stores) == 1
        derived = stores[0].secrets.derive("x")
        stores[0].close()
        with closing(open_store(folder)) as again:
            assert again.secrets.derive("x") == derived


@pytest.mark.parametrize("opening", [open_store, join_store, read_store])
def test_a_folder_in_use_by_an_older_version_is_not_migrated(tmp_path: Path, opening: Callable[[Path], Store]) -> None:
    used(tmp_path)
    version_of(tmp_path, "0007")
    lock = FolderLock(tmp_path, "an older Tesoura")
    with pytest.raises(DataFolderError, match=r"an older Tesoura|last used by another version"):
        opening(tmp_path)
    lock.release()
    assert version_of(tmp_path) == "0007"
    open_store(tmp_path).close()
    assert version_of(tmp_path) == HEAD


def test_a_key_is_made_while_tesoura_runs_and_with_no_folder_yet(tmp_path: Path) -> None:
    with closing(open_store(tmp_path)) as store:
        code, said = tesoura("key", "new", "lamp", "--data", str(tmp_path))
        assert (code, store.key_name(said.split()[0])) == (0, "lamp")
    assert tesoura("key", "new", "lamp", "--data", str(tmp_path / "new"))[0] == 0
    assert (tmp_path / "new" / FILE_NAME).is_file()


def test_a_command_that_only_reads_creates_nothing_and_changes_no_file(tmp_path: Path) -> None:
    code, said = tesoura("shelf", "list", "--data", str(tmp_path / "nowhere"))
    assert (code, "is not a data folder of Tesoura" in said) == (1, True)
    assert list(tmp_path.iterdir()) == []
    folder = used(tmp_path / "data")
    before = files_of(folder)
    report = tmp_path / "report.json"
    report.write_text('{"kind": "tesoura.sponsor_report"}')
    assert tesoura("shelf", "list", "--data", str(folder)) == (0, "")
    assert "Invalid signature:" in tesoura("verify", str(report), "--data", str(folder))[1]
    assert files_of(folder) == before
    version_of(folder, "0007")
    before = files_of(folder)
    code, said = tesoura("shelf", "list", "--data", str(folder))
    assert (code, "was last used by another version of Tesoura" in said) == (1, True)
    assert files_of(folder) == before


def test_what_is_read_beside_a_running_tesoura_is_what_was_committed_last(tmp_path: Path) -> None:
    with closing(open_store(tmp_path)) as store:
        store.write(lambda session: keys.new_key(session, "lamp", wall_clock()))
        with closing(read_store(tmp_path)) as reading:
            assert [one.name for one in reading.read(keys.listed)] == ["lamp"]


def test_a_restore_holds_the_folder_from_its_beginning_to_its_end(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder, file, tried = used(tmp_path / "data"), tmp_path / "show.zip", list[str]()
    backups.write(folder, file, wall_clock())

    def at(step: str) -> None:
        with pytest.raises(FolderInUse):
            open_store(folder)
        tried.append(step)

    in_place = backups._in_place

    def unpacking(job: Callable[..., list[str]], *given: object) -> list[str]:
        at("unpacking")
        return job(*given)

    def placing(beside: Path, to: Path) -> Path | None:
        before = in_place(beside, to)
        at("in place")
        return before

    monkeypatch.setattr(backups, "in_own_process", unpacking)
    monkeypatch.setattr(backups, "_in_place", placing)
    backups.read(file, folder, wall_clock())
    assert (tried[0], tried[-1]) == ("unpacking", "in place")
    open_store(folder).close()


def test_a_lock_on_a_folder_that_was_replaced_meanwhile_is_none(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from tesoura.store import guarding

    folder, taken = used(tmp_path / "data"), guarding._take

    def replaced(file: object) -> bool:
        folder.rename(tmp_path / "data.before-1")
        shutil.copytree(tmp_path / "data.before-1", folder)
        return taken(file)  # type: ignore[arg-type]

    monkeypatch.setattr(guarding, "_take", replaced)
    with pytest.raises(FolderInUse, match="was just replaced"):
        FolderLock(folder, "x")


@pytest.mark.parametrize("harm", ["emptied", "deleted", "no tables"])
def test_a_used_folder_without_its_database_does_not_start_as_a_new_one(tmp_path: Path, harm: str) -> None:
    path = used(tmp_path) / FILE_NAME
    if harm == "emptied":
        path.write_bytes(b"")
    else:
        path.unlink()
    if harm == "no tables":
        with closing(sqlite3.connect(path)) as base:
            base.execute("PRAGMA journal_mode = WAL")
            base.execute("PRAGMA user_version = 7")
    left = {name: body for name, body in files_of(tmp_path).items() if name != LOCK}
    code, said = tesoura("serve", "--data", str(tmp_path))
    assert (code, "is missing or empty, although the data folder" in said) == (1, True)
    assert {name: body for name, body in files_of(tmp_path).items() if name != LOCK} == left


def test_flipped_bits_end_a_start_in_words(tmp_path: Path) -> None:
    folder = used(tmp_path)
    whole = (folder / FILE_NAME).read_bytes()
    for at in (30, 110, 5_000, 9_000, len(whole) // 2):
        (folder / FILE_NAME).write_bytes(
            whole[:at] + bytes(255 - one for one in whole[at : at + 900]) + whole[at + 900 :]
        )
        for ending in ("-wal", "-shm"):
            (folder / f"{FILE_NAME}{ending}").unlink(missing_ok=True)
        try:
            open_store(folder).close()
        except DataFolderError as error:
            assert "is damaged" in str(error)  # noqa: PT017 - some bits lie where nothing is read at a start


def test_a_key_file_that_is_gone_is_told_and_what_it_sealed_stays(tmp_path: Path) -> None:
    with closing(open_store(tmp_path)) as store:
        row = store.write(lambda session: feeds.add_feed(session, "reach", "Reach", "http", {}, wall_clock()))
        store.write(lambda session: feeds.keep_secrets(session, row.id or 0, {"key": "s"}, store.secrets))
        assert store.read(lambda session: feeds.unreadable(session, store.secrets)) == {}
    (tmp_path / KEY_FILE).rename(tmp_path / "kept.key")
    with closing(open_store(tmp_path)) as store:
        assert store.read(lambda session: feeds.unreadable(session, store.secrets)) == {"reach": "Reach"}
    (tmp_path / "kept.key").replace(tmp_path / KEY_FILE)
    with closing(open_store(tmp_path)) as store:
        assert store.read(lambda session: feeds.secrets_of(session, row.id or 0, store.secrets)) == {"key": "s"}


def test_a_backup_of_a_folder_that_cannot_be_written_to_has_what_was_committed_last(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder, file = tmp_path / "data", tmp_path / "show.zip"
    store = open_store(folder)
    store.write(lambda session: keys.new_key(session, "lamp", wall_clock()))
    # A copy with its write-ahead log, as a crash leaves it, on a file system that is read-only.
    frozen = tmp_path / "frozen"
    shutil.copytree(folder, frozen, ignore=shutil.ignore_patterns("*-shm"))
    store.close()
    reading = read_only

    def refused(path: Path) -> sqlite3.Connection:
        if path.parent == frozen:
            raise sqlite3.OperationalError("unable to open database file")
        return reading(path)

    monkeypatch.setattr(backups, "read_only", refused)
    assert tesoura("backup", str(file), "--data", str(frozen))[0] == 0
    monkeypatch.undo()
    assert tesoura("restore", str(file), "--data", str(tmp_path / "back"))[0] == 0
    with closing(open_store(tmp_path / "back")) as back:
        (number,) = back.read(paused.read).keys
        assert back.write(lambda session: keys.revoke(session, number, None)) == "lamp"
    (frozen / FILE_NAME).write_bytes(b"SQLite format 3\0" + b"\xff" * 5_000)
    (frozen / f"{FILE_NAME}-wal").unlink()
    code, said = tesoura("backup", str(tmp_path / "other.zip"), "--data", str(frozen))
    assert (code, "is damaged" in said) == (1, True)


def test_a_locked_database_is_told_from_a_full_disk(tmp_path: Path) -> None:
    with closing(open_store(tmp_path)) as store:

        def locked(_: object) -> None:
            raise sqlite3.OperationalError("database is locked")

        with pytest.raises(DataFolderError, match="Another program has locked the database"):
            store.writer.submit_plain(locked).result()
        assert store.read(lambda session: log.last_seq(session)) == 0


def test_a_restore_of_what_is_no_backup_leaves_a_running_folder_alone(tmp_path: Path) -> None:
    (tmp_path / "x.zip").write_bytes(b"no zip")
    with pytest.raises(FileRefused):
        backups.read(tmp_path / "x.zip", used(tmp_path / "data"), wall_clock())
    open_store(tmp_path / "data").close()


def test_on_a_full_disk_overlays_are_shown_and_pages_say_why_nothing_is_saved(
    running: Running, monkeypatch: pytest.MonkeyPatch
) -> None:
    act(running, "instrument.new", kind="now_playing", choices={"title": "Songs"})
    act(running, "instrument.new", kind="countdown", choices={"title": "Kettle"})
    running.event(type="gift", data={"name": "teacup_ana"})
    token = running.add_overlay("{gift.name} gave a spool")
    running.stop()

    def refused(self: writer.Writer, batch: list[object]) -> None:
        writer._refuse(batch, sqlite3.OperationalError("database or disk is full"))  # type: ignore[arg-type]

    monkeypatch.setattr(writer.Writer, "_commit", refused)
    monkeypatch.setattr(writer.Writer, "_commit_plain", refused)
    with monkeypatch.context() as without_key:
        without_key.setattr(Store, "write", lambda self, job: "no key can be made")
        again = Running(running.folder)
    try:
        assert "teacup_ana gave a spool" in again.client.get(f"/o/{token}").text
        assert again.client.get("/").status_code == 200
        answer = again.press("/", "/instruments/kettle/do/start")
        assert "The disk is full. Free some space." in answer.text
    finally:
        again.stop()
