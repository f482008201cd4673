"""The store: what lasts, what is secret, and what is said when the folder cannot be used."""

from __future__ import annotations

import os
import sqlite3
import stat
import subprocess
import threading
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import create_engine
from sqlmodel import Session, SQLModel

from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.values import Event, Freshness, Signal
from tesoura.errors import DataFolderError
from tesoura.store import database, feeds, keys, log, media, overlays, readings, state
from tesoura.store.guarding import FolderLock, keep_private_on_windows
from tesoura.store.readings import KeptReading
from tesoura.store.secrets import new_secrets, open_secrets
from tesoura.store.store import Store, open_store
from tesoura.store.tables import MediaRow
from tests.conftest import Running

NOON = datetime(2026, 11, 26, 12, 0, 0, 123456, tzinfo=UTC)
LATER = NOON + timedelta(minutes=1)


@pytest.fixture
def store(tmp_path: Path) -> Iterator[Store]:
    made = open_store(tmp_path)
    yield made
    made.close()


def event(number: int, source: str = "game", kind: str = "kill") -> Event:
    return Event(str(number), source, kind, NOON + timedelta(seconds=number), {"target": f"kite {number}"})


def test_events_are_kept_in_order_exactly_and_once(store: Store) -> None:
    first = store.write(lambda session: log.append(session, [event(1), event(2), event(1)], LATER))
    again = store.write(lambda session: log.append(session, [event(2), event(1, "other")], LATER))
    assert [one.seq for one in first] == [1, 2]
    assert [(one.event.source, one.event.id) for one in again] == [("other", "1")]
    kept = store.read(lambda session: log.after(session, 0))
    assert [one.event for one in kept[:2]] == [event(1), event(2)]
    assert store.read(lambda session: log.latest(session, 1))[0].event.source == "other"
    assert store.read(lambda session: log.counts_since(session, NOON + timedelta(seconds=2))) == {"kill": 1}


def test_a_job_that_fails_takes_nobody_elses_work_with_it(store: Store) -> None:
    def broken(session: Session) -> None:
        log.append(session, [event(9)], NOON)
        raise ValueError("no")

    futures = [
        store.writer.submit(job)
        for job in (lambda s: log.append(s, [event(1)], NOON), broken, lambda s: log.append(s, [event(2)], NOON))
    ]
    assert [one.exception(5) is None for one in futures] == [True, False, True]
    assert [one.event.id for one in store.read(lambda session: log.after(session, 0))] == ["1", "2"]


def test_signals_come_back_as_they_were_saved(store: Store) -> None:
    signal = Signal("reach.members", 1284, "kite friends", NOON, Freshness.LATE, trail=((1.0, 2.0),))
    saved = state.SavedSignal(signal, "reach", None, None)
    store.write(lambda session: state.save(session, [saved], 7, trails=True))
    later = state.SavedSignal(Signal("reach.members", 1285, "kite friends", NOON, Freshness.LATE), "reach", None, None)
    store.write(lambda session: state.save(session, [later], 8, trails=False))
    [loaded], position = store.read(state.load)
    assert position == 8
    assert (loaded.signal.value, loaded.signal.trail) == (1285, ((1.0, 2.0),))


def test_the_last_start_of_a_session_can_be_taken_back(store: Store) -> None:
    assert store.read(state.present_session) is None
    store.write(lambda session: state.start_session(session, NOON))
    store.write(lambda session: state.start_session(session, NOON + timedelta(hours=2)))
    assert store.write(state.undo_start) == NOON
    assert store.write(state.undo_start) is None


def test_a_key_works_until_it_is_revoked_and_is_not_kept(store: Store, tmp_path: Path) -> None:
    key = store.write(lambda session: keys.new_key(session, "script", NOON))
    found = store.read(lambda session: keys.find(session, key))
    assert found is not None
    assert found.name == "script"
    store.write(lambda session: keys.revoke(session, found.id or 0, NOON))
    assert store.read(lambda session: keys.find(session, key)) is None
    assert store.read(lambda session: keys.find(session, "tes_guess")) is None
    assert key.encode() not in (tmp_path / "tesoura.db").read_bytes() + (tmp_path / "tesoura.db-wal").read_bytes()


def test_a_feeds_key_is_encrypted_and_its_file_is_the_users_alone(store: Store, tmp_path: Path) -> None:
    def job(session: Session) -> int:
        row = feeds.add_feed(session, "reach", "Reach", "http", {}, NOON)
        feeds.keep_secrets(session, row.id or 0, {"key": "paper-kite"}, store.secrets)
        return row.id or 0

    feed_id = store.write(job)
    assert store.read(lambda session: feeds.secrets_of(session, feed_id, store.secrets)) == {"key": "paper-kite"}
    assert b"paper-kite" not in (tmp_path / "tesoura.db").read_bytes() + (tmp_path / "tesoura.db-wal").read_bytes()
    if os.name == "posix":
        assert stat.S_IMODE((tmp_path / "secret.key").stat().st_mode) == 0o600


def test_a_secret_sealed_with_another_key_file_is_not_opened(store: Store, tmp_path: Path) -> None:
    other = open_store(tmp_path / "other")
    assert other.secrets.open(store.secrets.seal("paper-kite")) is None
    other.close()


PIECE = new_piece("text", "a")


def test_versions_on_air_are_kept_and_numbered(store: Store) -> None:
    row = store.write(lambda session: overlays.new_overlay(session, "Kites", Overlay(pieces=(PIECE,)), NOON))
    assert store.read(lambda session: overlays.on_air(session, row)).rev == 0
    assert store.write(lambda session: overlays.publish(session, row, NOON)).rev == 1
    on_air = store.write(lambda session: overlays.publish(session, row, NOON))
    assert (on_air.rev, on_air.overlay.pieces) == (2, (PIECE,))
    assert len(row.token) == 24


def _ours(name: str | None, kind: str, _: object) -> bool:
    return not (kind == "table" and str(name).startswith("event_words"))


def test_the_migrations_make_just_the_tables_there_are(store: Store, tmp_path: Path) -> None:
    engine = create_engine(f"sqlite:///{tmp_path / 'tesoura.db'}")
    with engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": False, "include_name": _ours})
        assert compare_metadata(context, SQLModel.metadata) == []
    engine.dispose()


def test_a_folder_that_is_up_to_date_is_known_without_asking_the_migrations(store: Store) -> None:
    config = Config()
    config.set_main_option("script_location", str(Path(database.__file__).parent / "migrations"))
    config.set_main_option("path_separator", "os")
    assert ScriptDirectory.from_config(config).get_current_head() == database.HEAD


def test_a_database_of_a_newer_version_is_left_alone(tmp_path: Path) -> None:
    open_store(tmp_path).close()
    connection = sqlite3.connect(tmp_path / "tesoura.db")
    connection.execute("UPDATE alembic_version SET version_num = '9999'")
    connection.commit()
    connection.close()
    with pytest.raises(DataFolderError, match="newer Tesoura"):
        open_store(tmp_path)


def test_a_damaged_database_is_said_to_be(tmp_path: Path) -> None:
    (tmp_path / "tesoura.db").write_bytes(b"this is no database at all" * 50)
    with pytest.raises(DataFolderError, match="damaged and can't be read as a database"):
        open_store(tmp_path)


def test_a_damaged_key_file_is_said_to_be(tmp_path: Path) -> None:
    (tmp_path / "secret.key").write_bytes(b"short")
    with pytest.raises(DataFolderError, match="damaged"):
        open_store(tmp_path)


def test_a_folder_that_cannot_be_written_is_said_to_be(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    with pytest.raises(DataFolderError, match="Choose another one with --data"):
        open_store(tmp_path / "file" / "data")


def test_a_full_disk_is_said_and_the_next_job_still_runs(store: Store) -> None:
    def full(session: Session) -> None:
        from sqlalchemy.exc import OperationalError

        raise OperationalError("INSERT", {}, sqlite3.OperationalError("database or disk is full"))

    with pytest.raises(DataFolderError, match="The disk is full"):
        store.write(full)
    assert len(store.write(lambda session: log.append(session, [event(1)], NOON))) == 1


def test_readers_keep_the_writer_from_nothing(store: Store) -> None:
    go_on, reading = threading.Event(), threading.Barrier(31)

    def read(session: Session) -> None:
        log.latest(session, 1)
        reading.wait(20)
        assert go_on.wait(20)

    threads = [threading.Thread(target=store.read, args=(read,)) for _ in range(30)]
    for thread in threads:
        thread.start()
    reading.wait(20)
    try:
        future = store.writer.submit(lambda session: log.append(session, [event(1)], NOON))
        assert len(future.result(timeout=5)) == 1
    finally:
        go_on.set()
        for thread in threads:
            thread.join()


def test_what_is_committed_is_synced(store: Store) -> None:
    def level(session: Session) -> int:
        return int(session.connection().exec_driver_sql("PRAGMA synchronous").scalar_one())

    assert store.write(level) == 2


def test_the_newest_of_a_type_are_found_without_sorting_all_of_it(store: Store) -> None:
    store.write(lambda session: log.append(session, [event(n, kind=("kill", "gift")[n % 2]) for n in range(20)], NOON))
    assert [one["target"] for one in store.read(lambda s: log.recent_data(s, ["gift", "kill"], 3))] == [
        "kite 19",
        "kite 18",
        "kite 17",
    ]

    def plan(session: Session) -> str:
        asked = "EXPLAIN QUERY PLAN SELECT seq, data FROM event WHERE type = 'kill' ORDER BY seq DESC LIMIT 3"
        return " ".join(str(row) for row in session.connection().exec_driver_sql(asked))

    assert "TEMP B-TREE" not in store.read(plan)


def test_readings_are_found_by_instant_and_let_go(store: Store) -> None:
    found = [KeptReading("reach.members", 1_280 + n, NOON + timedelta(minutes=n), n) for n in range(5)]
    store.write(lambda session: readings.keep(session, found))
    at = NOON + timedelta(minutes=2, seconds=30)
    assert store.read(lambda session: readings.at(session, "reach.members", at)) == found[2]
    assert (
        store.read(lambda session: list(readings.between(session, ["reach.members"], at, NOON.replace(hour=13))))
        == (found[3:])
    )
    assert store.write(lambda session: readings.let_go(session, at)) == 3
    assert store.read(lambda session: readings.at(session, "reach.members", at)) is None


def test_a_file_that_is_kept_for_a_time_goes_when_nothing_shows_it(running: Running) -> None:
    day, token = timedelta(days=1), running.add_overlay("hello")
    now = running.runtime.settings.clock()

    def keep(session: Session) -> None:
        for name, until in (("a.webm", now - day), ("b.webm", now + day), ("c.webm", now + day), ("d.webm", None)):
            owner = None if until is None else "replays"
            row = MediaRow(
                name=name,
                kind="video",
                title=name,
                type="video/webm",
                facts={},
                added_at=now - 2 * day,
                owner=owner,
                kept_until=until,
            )
            media.keep(session, row)
            media.put_file(running.store.folder, name, b"clip")

    running.store.write(keep)
    running.edit(1, {"do": "add", "kind": "video", "set": {"media": "c.webm"}})

    def over(session: Session) -> None:
        row = next(row for row in media.all_media(session, "video") if row.name == "c.webm")
        row.kept_until = now - day
        session.add(row)

    running.store.write(over)
    running.runtime.call(lambda self: self.persistence.let_go())
    left = [row.name for row in running.store.read(lambda session: media.all_media(session, "video"))]
    assert sorted(left) == ["b.webm", "c.webm", "d.webm"]
    assert not (running.store.folder / "media" / "a.webm").exists()
    assert [row.name for row in running.store.read(lambda session: media.of_owner(session, "replays"))] == [
        "b.webm",
        "c.webm",
    ]
    assert token


@pytest.mark.skipif(os.name != "posix", reason="on Windows a user's folder is the user's already")
def test_what_others_could_read_is_this_users_alone_after_a_start(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    folder = tmp_path / "data"
    open_store(folder).close()
    assert "permissions were fixed" not in caplog.text, "a first start alarms nobody"
    folder.chmod(0o755)
    (folder / "tesoura.db").chmod(0o644)
    (folder / "scripts").mkdir(exist_ok=True)
    (folder / "scripts" / "a.py").write_text("")
    (folder / "scripts" / "a.py").chmod(0o755)
    open_store(folder).close()
    assert "permissions were fixed" in caplog.text
    modes = {path.name: stat.S_IMODE(path.stat().st_mode) for path in (folder, *folder.rglob("*"))}
    assert {name for name, mode in modes.items() if mode & 0o077} == set()
    assert modes["a.py"] == 0o700


def test_one_folder_is_one_tesouras_at_a_time_and_says_whose(tmp_path: Path) -> None:
    first = FolderLock(tmp_path, "http://127.0.0.1:8765")
    with pytest.raises(
        DataFolderError, match=rf"in use by process {os.getpid()}, http://127.0.0.1:8765\. Stop that one"
    ):
        FolderLock(tmp_path, "http://127.0.0.1:8766")
    first.release()
    FolderLock(tmp_path, "http://127.0.0.1:8766").release()


def test_a_key_file_is_written_whole_or_not_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(descriptor: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(DataFolderError, match="No space left"):
        new_secrets(tmp_path)
    assert list(tmp_path.iterdir()) == []
    monkeypatch.undo()
    made, read = new_secrets(tmp_path), open_secrets(tmp_path)
    assert read is not None
    assert made.derive("x") == read.derive("x")


def test_on_windows_the_systems_own_program_takes_others_rights(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    asked: list[list[str]] = []

    def run(command: list[str], **_: object) -> subprocess.CompletedProcess[bytes]:
        asked.append(command)
        return subprocess.CompletedProcess(command, 0 if len(asked) == 1 else 5)

    keep_private_on_windows(tmp_path, "MARA\\vane", run)
    assert asked == [
        [
            "icacls",
            str(tmp_path),
            "/inheritance:r",
            "/grant:r",
            "MARA\\vane:(OI)(CI)F",
            "/grant:r",
            "*S-1-5-18:(OI)(CI)F",
            "/grant:r",
            "*S-1-5-32-544:(OI)(CI)F",
        ]
    ]
    assert caplog.text == ""
    keep_private_on_windows(tmp_path, "MARA\\vane", run)
    assert "Other users may be able to read" in caplog.text
