"""Files whose paths others choose: a pipe, a device, a folder or a link in their place is never waited for or read."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import pytest

from tesoura.plain_files import open_below, open_plain
from tesoura.saves.keeping import StillWritten, keep
from tesoura.saves.looking import SaveSource, files_of

PUT: dict[str, Callable[[Path, Path], object]] = {
    "pipe": lambda at, secret: os.mkfifo(at),
    "folder": lambda at, secret: at.mkdir(),
    "link": lambda at, secret: at.symlink_to(secret),
    "link to nothing": lambda at, secret: at.symlink_to("nowhere"),
    "another file": lambda at, secret: at.write_bytes(b"other"),
    "nothing": lambda at, secret: None,
}


@pytest.fixture
def secret(tmp_path: Path) -> Path:
    (tmp_path / "secret").write_bytes(b"alpha")
    return tmp_path / "secret"


def test_a_plain_file_is_opened_by_a_link_too_and_nothing_else_is(tmp_path: Path, secret: Path) -> None:
    (tmp_path / "link").symlink_to(secret)
    with open_plain(tmp_path / "link") as file:
        assert file.read() == b"alpha"
    os.mkfifo(tmp_path / "pipe")
    for path in (tmp_path / "pipe", tmp_path, Path("/dev/zero"), Path("/dev/tty"), tmp_path / "nothing"):
        with pytest.raises(OSError, match=r"regular|such|device|directory"):
            open_plain(path)


def test_below_a_folder_no_link_is_followed(tmp_path: Path, secret: Path) -> None:
    (tmp_path / "save" / "deep").mkdir(parents=True)
    (tmp_path / "save" / "deep" / "a").write_bytes(b"one")
    (tmp_path / "save" / "away").symlink_to(tmp_path)
    (tmp_path / "linked").symlink_to(tmp_path / "save")
    with open_below(tmp_path / "save", "deep/a") as file:
        assert file.read() == b"one"
    with open_below(secret, "") as file:
        assert file.read() == b"alpha"
    for root, path in ((tmp_path / "save", "away/secret"), (tmp_path / "linked", "deep/a"), (tmp_path / "linked", "")):
        with pytest.raises(OSError, match=r"symbolic links|Not a directory|plain"):
            open_below(root, path)


@pytest.mark.parametrize("folder", [True, False])
@pytest.mark.parametrize("what", PUT)
def test_a_save_that_something_else_stands_for_since_it_was_looked_at_is_not_kept(
    tmp_path: Path, secret: Path, folder: bool, what: str
) -> None:
    save = tmp_path / "save"
    at = save / "deep" / "a" if folder else save
    at.parent.mkdir(parents=True, exist_ok=True)
    at.write_bytes(b"alpha")
    source = SaveSource(save, folder)
    found = files_of(source)
    at.unlink()
    PUT[what](at, secret)
    with pytest.raises(StillWritten):
        keep(tmp_path / "objects", source, found)
    assert not [one for one in (tmp_path / "objects").rglob("*") if one.is_file()]


def test_a_folder_of_a_save_replaced_by_a_link_is_not_followed(tmp_path: Path) -> None:
    save, other = tmp_path / "save", tmp_path / "other"
    for one in (save / "deep", other):
        one.mkdir(parents=True)
        (one / "a").write_bytes(b"alpha")
    source = SaveSource(save, True)
    found = files_of(source)
    (save / "deep").rename(tmp_path / "was")
    (save / "deep").symlink_to(other)
    os.utime(other / "a", ns=(found[0].mtime_ns, found[0].mtime_ns))
    with pytest.raises(StillWritten):
        keep(tmp_path / "objects", source, found)
