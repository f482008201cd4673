"""Files of saved games: what a save is, how it is kept, and that another takes its place whole or not at all."""

from __future__ import annotations

import errno
import fcntl
import json
import os
import shutil
import subprocess
import sys
import threading
import time
from collections import namedtuple
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tesoura.errors import CommandRefused, InvalidField
from tesoura.saves import keeping, looking, putting, settling
from tesoura.saves.keeping import Content, StillWritten, content_of, keep
from tesoura.saves.looking import FoundFile, SaveSource, expanded, files_of, folders_of, listed
from tesoura.saves.putting import before_at, mend, put

Room = namedtuple("Room", "total used free")


@pytest.fixture
def objects(tmp_path: Path) -> Path:
    return tmp_path / "objects"


@pytest.fixture
def file(tmp_path: Path) -> SaveSource:
    at = tmp_path / "game" / "mile.sav"
    at.parent.mkdir()
    at.write_bytes(b"gatekeeper")
    return SaveSource(at, False)


@pytest.fixture
def folder(tmp_path: Path) -> SaveSource:
    at = tmp_path / "game" / "slots"
    (at / "deep").mkdir(parents=True)
    (at / "empty").mkdir()
    (at / "one.sav").write_bytes(b"one")
    (at / "deep" / "two.sav").write_bytes(b"two")
    return SaveSource(at, True)


def kept(objects: Path, source: SaveSource) -> Content:
    return keep(objects, source, files_of(source))


def there(source: SaveSource) -> dict[str, bytes]:
    return {one.path: one.at.read_bytes() for one in files_of(source)}


def left(source: SaveSource) -> list[str]:
    """What stands beside a save that is Tesoura's."""
    return sorted(one.name for one in source.at.parent.iterdir() if looking.OWN in one.name)


# Looking


def test_a_save_is_a_file_or_all_that_is_in_a_folder_with_the_empty_ones(file: SaveSource, tmp_path: Path) -> None:
    assert [(one.path, one.size) for one in files_of(file)] == [("", 10)]
    at = tmp_path / "slots"
    (at / "deep").mkdir(parents=True)
    (at / "empty").mkdir()
    (at / "one.sav").write_bytes(b"one")
    (at / "deep" / "tʷo é.sav").write_bytes(b"two")
    source = SaveSource(at, True)
    assert [one.path for one in files_of(source)] == ["deep/tʷo é.sav", "one.sav"]
    assert folders_of(source) == ["empty"]
    shutil.rmtree(at)
    assert files_of(source) == []


def test_links_and_what_is_no_file_are_not_followed_and_say_so(folder: SaveSource, tmp_path: Path) -> None:
    (tmp_path / "secret").write_text("x")
    (folder.at / "way_out").symlink_to(tmp_path / "secret")
    with pytest.raises(CommandRefused, match="is a link"):
        files_of(folder)
    (folder.at / "way_out").unlink()
    (folder.at / "way_out").symlink_to(tmp_path, target_is_directory=True)
    with pytest.raises(CommandRefused, match="is a link"):
        files_of(folder)
    (folder.at / "way_out").unlink()
    os.mkfifo(folder.at / "pipe")
    with pytest.raises(CommandRefused, match="not a regular file"):
        files_of(folder)
    (folder.at / "pipe").unlink()
    assert len(files_of(folder)) == 2
    with pytest.raises(CommandRefused, match="is a file now"):
        files_of(SaveSource(folder.at / "one.sav", True))
    with pytest.raises(CommandRefused, match="is a folder now"):
        files_of(SaveSource(folder.at, False))


def test_more_than_can_be_kept_is_refused(folder: SaveSource, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(looking, "MOST_FILES", 1)
    with pytest.raises(CommandRefused, match="more than 1 files"):
        files_of(folder)


@pytest.mark.parametrize(
    ("typed", "found"),
    [
        ("%APPDATA%/Mile", "/roaming/Mile"),
        ("%appdata%/Mile", "/roaming/Mile"),
        ("$HOME/x", "/home/mara/x"),
        ("${HOME}/x", "/home/mara/x"),
        ('"/a b/c"', "/a b/c"),
    ],
)
def test_the_systems_variables_are_understood(typed: str, found: str) -> None:
    assert expanded(typed, {"APPDATA": "/roaming", "HOME": "/home/mara"}) == Path(found)


@pytest.mark.parametrize(
    ("typed", "why"), [("%NOWHERE%/x", "doesn't know %NOWHERE%"), ("$NO/x", "doesn't know \\$NO"), ("x/y", "full path")]
)
def test_a_path_that_leads_nowhere_says_where_to_begin(typed: str, why: str) -> None:
    with pytest.raises(InvalidField, match=why):
        expanded(typed, {})


def test_what_changed_last_stands_first_where_one_looks_and_no_link_is_offered(tmp_path: Path) -> None:
    for age, name in ((30, "old.sav"), (10, "new.sav")):
        (tmp_path / name).write_text("x")
        os.utime(tmp_path / name, (time.time() - age,) * 2)
    (tmp_path / "link").symlink_to("/etc")
    (tmp_path / ".mile.sav.tesoura-before-3").write_text("x")
    found, more = listed(tmp_path)
    assert ([one.name for one in found], more) == (["new.sav", "old.sav"], 0)
    with pytest.raises(CommandRefused, match="can't be read:"):
        listed(tmp_path / "nowhere")


# Keeping


def test_a_content_is_stored_once_and_the_same_save_is_known_again(objects: Path, folder: SaveSource) -> None:
    first = kept(objects, folder)
    os.utime(folder.at / "one.sav", (1, 1))
    again = kept(objects, folder)
    assert (first.same, first.size, first.folders) == (again.same, 6, ("empty",))
    assert sum(one.is_file() for one in objects.rglob("*")) == 2
    assert content_of(first.plain()) == first
    (folder.at / "one.sav").write_bytes(b"One")
    assert kept(objects, folder).same != first.same


def test_a_save_of_nothing_is_kept_as_such(objects: Path, file: SaveSource) -> None:
    file.at.write_bytes(b"")
    content = kept(objects, file)
    assert (content.size, len(content.files)) == (0, 1)
    file.at.write_bytes(b"later")
    put(objects, content, file, 1, False)
    assert there(file) == {"": b""}


def test_what_changes_while_it_is_copied_is_not_kept(
    objects: Path, file: SaveSource, monkeypatch: pytest.MonkeyPatch
) -> None:
    def writes(source: SaveSource, found: FoundFile, to: Path) -> None:
        shutil.copyfile(found.at, to)
        file.at.write_bytes(b"another")

    monkeypatch.setattr(keeping, "copied_as_found", writes)
    with pytest.raises(StillWritten):
        kept(objects, file)
    assert [one for one in objects.rglob("*") if one.is_file()] == []


def full(*given: Any) -> None:
    given[-1].write_bytes(b"half")
    raise OSError(errno.ENOSPC, "No space left on device")


def test_a_full_disk_leaves_nothing_half(objects: Path, file: SaveSource, monkeypatch: pytest.MonkeyPatch) -> None:
    content = kept(objects, file)
    file.at.write_bytes(b"played on")
    monkeypatch.setattr(keeping, "copied_as_found", full)
    monkeypatch.setattr(putting, "copied", full)
    with pytest.raises(CommandRefused, match="the disk is full"):
        kept(objects, file)
    with pytest.raises(CommandRefused, match="the disk is full"):
        put(objects, content, file, 1, False)
    assert (there(file), left(file)) == ({"": b"played on"}, [])
    monkeypatch.setattr(shutil, "disk_usage", lambda at: Room(10**9, 10**9, 1_000))
    with pytest.raises(CommandRefused, match="Free some space and try again"):
        put(objects, content, file, 1, False)


# Putting


def test_a_save_takes_the_place_of_the_games_and_that_stands_beside_it(objects: Path, file: SaveSource) -> None:
    os.chmod(file.at, 0o600)
    os.utime(file.at, (1_000, 1_000))
    content = kept(objects, file)
    file.at.write_bytes(b"played on")
    put(objects, content, file, 7, keeps_times=True)
    assert (there(file), before_at(file, 7).read_bytes()) == ({"": b"gatekeeper"}, b"played on")
    assert (file.at.stat().st_mtime, file.at.stat().st_mode & 0o777) == (1_000, 0o600)
    assert left(file) == [".mile.sav.tesoura-before-7"]
    putting.let_go(before_at(file, 7))
    put(objects, content, file, 8, keeps_times=False)
    assert abs(file.at.stat().st_mtime - time.time()) < 60


def modes(at: Path) -> dict[str, int]:
    return {one.relative_to(at).as_posix(): one.stat().st_mode & 0o777 for one in (at, *at.rglob("*"))}


def test_permissions_of_files_and_folders_come_back_with_a_save(objects: Path, tmp_path: Path) -> None:
    at = tmp_path / "slots"
    (at / "one" / "two").mkdir(parents=True)
    (at / "empty").mkdir()
    (at / "one" / "two" / "a.sav").write_bytes(b"lamp")
    (at / "run.sh").write_bytes(b"#!")
    for name, mode in {".": 0o700, "one": 0o750, "one/two/a.sav": 0o600, "run.sh": 0o755, "empty": 0o770}.items():
        (at / name).chmod(mode)
    source, before = SaveSource(at, True), modes(at)
    content = content_of(json.loads(json.dumps(kept(objects, source).plain())))
    shutil.rmtree(at)
    put(objects, content, source, 1, keeps_times=False)
    assert modes(at) == before
    # A save that was kept without its permissions has those of what it replaces.
    put(objects, content._replace(modes=None), source, 2, keeps_times=False)
    assert modes(at) == before


@pytest.mark.parametrize("at_once", [True, False])
def test_a_folder_takes_the_place_of_another_as_one(
    objects: Path, folder: SaveSource, at_once: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    if not at_once:
        monkeypatch.setattr(putting, "_swapped", lambda one, other: False)
    content = kept(objects, folder)
    (folder.at / "one.sav").unlink()
    (folder.at / "three.sav").write_bytes(b"three")
    put(objects, content, folder, 3, False)
    assert there(folder) == {"one.sav": b"one", "deep/two.sav": b"two"}
    assert (folder.at / "empty").is_dir()
    assert there(SaveSource(before_at(folder, 3), True)) == {"three.sav": b"three", "deep/two.sav": b"two"}
    shutil.rmtree(folder.at)
    put(objects, content, folder, 4, False)
    assert (len(there(folder)), before_at(folder, 4).exists()) == (2, False)


def test_a_shelf_whose_copy_was_changed_or_is_gone_is_never_put_back(objects: Path, file: SaveSource) -> None:
    content = kept(objects, file)
    kept_at = keeping.object_at(objects, content.files[0].digest)
    file.at.write_bytes(b"played on")
    kept_at.write_bytes(b"gatekeepeR")
    with pytest.raises(CommandRefused, match="Nothing was changed"):
        put(objects, content, file, 1, False)
    kept_at.unlink()
    with pytest.raises(CommandRefused, match="Nothing was changed"):
        put(objects, content, file, 1, False)
    assert (there(file), left(file)) == ({"": b"played on"}, [])


def test_stopped_in_the_middle_the_game_has_what_it_had(objects: Path, folder: SaveSource) -> None:
    content = kept(objects, folder)
    (folder.at / "one.sav").write_bytes(b"later")
    done = list[int]()
    with pytest.raises(CommandRefused, match="Stopped"):
        put(objects, content, folder, 1, False, done.append, lambda: bool(done))
    assert (there(folder)["one.sav"], left(folder)) == (b"later", [])


def test_after_a_crash_between_two_names_the_game_has_what_it_had(folder: SaveSource) -> None:
    folder.at.rename(before_at(folder, 5))
    folder.beside(putting.NEW).mkdir()
    mend(folder, 5)
    assert (len(there(folder)), left(folder)) == (2, [])


def test_whoever_reads_finds_one_of_the_two_whole(objects: Path, file: SaveSource) -> None:
    one, other = b"a" * 300_000, b"b" * 200_000
    contents = []
    for data in (one, other):
        file.at.write_bytes(data)
        contents.append(kept(objects, file))
    seen, over = set[bytes](), threading.Event()

    def read() -> None:
        while not over.is_set():
            seen.add(file.at.read_bytes())

    reader = threading.Thread(target=read)
    reader.start()
    for number in range(30):
        put(objects, contents[number % 2], file, number, False)
        putting.let_go(before_at(file, number))
    over.set()
    reader.join()
    assert seen <= {one, other}


def test_contents_that_nothing_needs_go_and_no_others(objects: Path, file: SaveSource) -> None:
    first = kept(objects, file)
    file.at.write_bytes(b"another")
    second = kept(objects, file)
    (objects / ".x.part").write_text("left by a crash")
    for one in objects.rglob("*"):
        os.utime(one, (1, 1))
    assert keeping.sweep(objects, [first.files[0].digest]) == 1
    put(objects, first, file, 1, False)
    with pytest.raises(CommandRefused, match="missing"):
        put(objects, second, file, 2, False)
    assert not (objects / ".x.part").exists()


# Waiting


def test_a_save_that_is_written_is_waited_for_then_refused_with_who_holds_it(file: SaveSource) -> None:
    os.utime(file.at, (1, 1))
    assert len(settling.wait_until_settled(file, 0)) == 1
    # One that changed a moment ago is looked at once more.
    file.at.write_bytes(b"now")
    began = time.monotonic()
    settling.wait_until_settled(file, 5)
    assert time.monotonic() - began >= settling.LOOK_EVERY_S


@pytest.fixture
def holder(file: SaveSource) -> Iterator[subprocess.Popen[bytes]]:
    code = f"f = open({str(file.at)!r}, 'r+b'); print('open', flush=True); input()"
    started = subprocess.Popen([sys.executable, "-c", code], stdin=subprocess.PIPE, stdout=subprocess.PIPE)
    assert started.stdout
    started.stdout.readline()
    yield started
    started.communicate(b"\n")


@pytest.mark.skipif(sys.platform != "linux", reason="other systems do not tell it")
def test_who_has_it_open_to_write_is_told(file: SaveSource, holder: subprocess.Popen[bytes]) -> None:
    os.utime(file.at, (1, 1))
    with pytest.raises(CommandRefused, match=rf"python\S* \(process {holder.pid}\) has it open to write"):
        settling.wait_until_settled(file, 0.3)
    with pytest.raises(CommandRefused, match="Stopped"):
        settling.wait_until_settled(file, 60, lambda: True)


def test_one_that_is_locked_or_read_only_is_refused(file: SaveSource) -> None:
    os.utime(file.at, (1, 1))
    with file.at.open("rb") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        with pytest.raises(CommandRefused, match=r"mile\.sav is locked by another program"):
            settling.wait_until_settled(file, 0)
    os.chmod(file.at, 0o444)
    with pytest.raises(CommandRefused, match=r"mile\.sav is read-only"):
        settling.must_be_writable(file, files_of(file))
    shutil.rmtree(file.at.parent)
    with pytest.raises(CommandRefused, match="no longer exists"):
        settling.must_be_writable(file, [])
