"""A shelf as one file: out and in the same; files that would lead out, are damaged, or from a later version."""

from __future__ import annotations

import io
import json
import os
import stat
import zipfile
from pathlib import Path
from typing import Any

import pytest

from tesoura.archives import Archive
from tesoura.errors import CommandRefused, FileRefused, NewerDocument
from tesoura.saves import carrying, putting
from tesoura.saves.carrying import CarriedSave, CarriedShelf, listed, unpack, write
from tesoura.saves.keeping import Content, SavedFile, keep, object_at
from tesoura.saves.looking import SaveSource, files_of


@pytest.fixture
def objects(tmp_path: Path) -> Path:
    return tmp_path / "objects"


def content(objects: Path, at: Path, **files: bytes) -> Content:
    at.mkdir(parents=True)
    for name, data in files.items():
        (at / name).write_bytes(data)
    source = SaveSource(at, True)
    return keep(objects, source, files_of(source))


@pytest.fixture
def shelf(objects: Path, tmp_path: Path) -> CarriedShelf:
    one = content(objects, tmp_path / "one", a=b"alpha", b=b"beta" * 50_000)
    two = content(objects, tmp_path / "two", a=b"alpha")
    return CarriedShelf(
        "The Lantern Mile",
        True,
        "slots",
        (
            CarriedSave(1, 0, True, "Lower town"),
            CarriedSave(2, 1, False, "Twins", "one lamp left", "", one),
            CarriedSave(3, 0, False, "Twins", "", "2026-11-26T20:00:00+00:00", two),
        ),
    )


def packed(shelf: CarriedShelf, objects: Path) -> io.BytesIO:
    file = io.BytesIO()
    write(file, shelf, objects)
    return file


def opened(file: io.BytesIO) -> CarriedShelf:
    with Archive(file, carrying.MOST_PARTS + 1, carrying.MOST_UNPACKED) as archive:
        return listed(archive)


def unpacked(file: io.BytesIO, told: CarriedShelf, objects: Path) -> None:
    with Archive(file, carrying.MOST_PARTS + 1, carrying.MOST_UNPACKED) as archive:
        unpack(archive, told, objects)


def changed(file: io.BytesIO, **to: Any) -> io.BytesIO:
    """The file with another list."""
    found = io.BytesIO()
    with zipfile.ZipFile(file) as old, zipfile.ZipFile(found, "w") as new:
        for one in old.namelist():
            if one == carrying.LIST:
                told = json.loads(old.read(one))
                new.writestr(one, json.dumps({**told, **to}))
            else:
                new.writestr(one, old.read(one))
    return found


def entry(path: str = "a", **to: Any) -> dict[str, Any]:
    file = [path, 5, 1, "0" * 64]
    return {"number": 1, "parent": 0, "name": "x", "content": {"files": [file], "folders": []}, **to}


def test_what_goes_out_comes_in_the_same_each_content_once(shelf: CarriedShelf, objects: Path, tmp_path: Path) -> None:
    file = packed(shelf, objects)
    told = opened(file)
    assert told == shelf
    assert (told.saves, told.size, len(told.digests)) == (2, 200_005, 2)
    other = tmp_path / "other"
    unpacked(file, told, other)
    assert {object_at(other, one).read_bytes() for one in told.digests} == {b"alpha", b"beta" * 50_000}


def test_whatever_names_a_save_has_it_comes_in_again(objects: Path, tmp_path: Path) -> None:
    names = (
        b"back\\slash",
        b"C:",
        b"x.tesoura-new",
        b"A.sav",
        b"a.sav",
        b"not\xffutf-8",
        b"two\nlines",
        "Käse".encode(),
        b" spaces ",
        b"-dash",
        b"q" * 255,
    )
    at = tmp_path / "one"
    at.mkdir()
    for name in names:
        Path(os.fsdecode(os.fsencode(at) + b"/" + name)).write_bytes(name)
    (at / "deep:er" / "empty\\").mkdir(parents=True)
    source = SaveSource(at, True)
    save = CarriedSave(1, 0, False, "Odd  names", "first line\nsecond", "", keep(objects, source, files_of(source)))
    out = CarriedShelf("Mile", True, "one", (save,))
    file = packed(out, objects)
    assert opened(file) == out
    unpacked(file, opened(file), tmp_path / "other")
    back = opened(file).entries[0].content
    assert back is not None
    into = SaveSource(tmp_path / "game", True)
    putting.put(tmp_path / "other", back, into, 1, keeps_times=True)
    assert sorted(os.listdir(os.fsencode(into.at))) == sorted([*names, b"deep:er"])
    assert (into.at / "deep:er" / "empty\\").is_dir()


@pytest.mark.parametrize("path", ["C:x", "a\\b", "..\\..\\x", "ends.", "what?"])
def test_names_that_windows_cannot_write_are_refused_there_before_anything_is_changed(
    objects: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, path: str
) -> None:
    monkeypatch.setattr(putting, "WINDOWS", True)
    found = Content((SavedFile(path, 5, 1, "0" * 64),))
    with pytest.raises(CommandRefused, match=r"not a valid file name on Windows.*Nothing was changed"):
        putting.put(objects, found, SaveSource(tmp_path / "game", True), 1, keeps_times=False)
    assert not (tmp_path / "game").exists()


@pytest.mark.parametrize(
    "path", ["../a", "/etc/passwd", "a/../../b", "", ".", "a//b", "a\0b", "..", "a/" * 2_049, "\ud800", "a/\udfff.sav"]
)
def test_a_path_that_leads_out_is_refused(shelf: CarriedShelf, objects: Path, path: str) -> None:
    with pytest.raises(FileRefused, match=r"is not a path inside the save\. Nothing was imported"):
        opened(changed(packed(shelf, objects), entries=[entry(path)]))
    told = entry()
    told["content"]["folders"] = [path]
    with pytest.raises(FileRefused, match="is not a path inside the save"):
        opened(changed(packed(shelf, objects), entries=[told]))
    told = entry()
    told["content"]["modes"] = {path if path != "." else "..": 0o600}
    with pytest.raises(FileRefused, match="is not a path inside the save"):
        opened(changed(packed(shelf, objects), entries=[told]))


@pytest.mark.parametrize(
    ("to", "why"),
    [
        ({"kind": "another"}, "This is not a saves file"),
        ({"version": 2}, "newer Tesoura"),
        ({"entries": {}}, "no entries"),
        ({"entries": [3]}, "An entry in the list is invalid"),
        ({"entries": [{"name": "x"}]}, "no number"),
        ({"entries": [entry(content={})]}, "no files"),
        ({"entries": [entry(content={"files": [[1]]})]}, "A file in the list is incomplete"),
        ({"entries": [entry(content={"files": [["a", -1, 1, "0" * 64]]})]}, "A file in the list is incomplete"),
        ({"entries": [entry(content={"files": [["a", 1, 1, "../x"]]})]}, "A file in the list is incomplete"),
        ({"entries": [entry(), entry()]}, "two entries share a number, or an entry's folder is missing"),
        ({"entries": [entry(parent=9)]}, "two entries share a number, or an entry's folder is missing"),
        ({"entries": [{"number": 1, "parent": 2}, {"number": 2, "parent": 1}]}, "a folder contains itself"),
        ({"entries": [entry()]}, "” is damaged in the file:"),
        ({"folder": False}, "one file"),
        ({"entries": [entry(content={"files": [["a", 5, 1, "0" * 64], ["a", 5, 1, "0" * 64]]})]}, "the same path"),
        ({"entries": [entry(content={"files": [], "modes": {"a": 0o4755}})]}, "permissions"),
        ({"entries": [entry(content={"files": [], "modes": [3]})]}, "permissions"),
    ],
)
def test_a_list_that_is_not_right_says_why(shelf: CarriedShelf, objects: Path, to: dict[str, Any], why: str) -> None:
    with pytest.raises(FileRefused, match=why) as error:
        opened(changed(packed(shelf, objects), **to))
    assert isinstance(error.value, NewerDocument) == (why == "newer Tesoura")


def test_what_is_no_zip_a_link_and_a_list_that_is_missing_are_refused(shelf: CarriedShelf, objects: Path) -> None:
    for data in (b"", b"PK\x03\x04", b"what", packed(shelf, objects).getvalue()[:300]):
        with pytest.raises(FileRefused, match="The file is damaged or not a zip file"):
            opened(io.BytesIO(data))
    empty, linked = io.BytesIO(), packed(shelf, objects)
    zipfile.ZipFile(empty, "w").close()
    with pytest.raises(FileRefused, match="it has no list"):
        opened(empty)
    with zipfile.ZipFile(linked, "a") as file:
        link = zipfile.ZipInfo("files/x")
        link.external_attr = (stat.S_IFLNK | 0o777) << 16
        file.writestr(link, "/etc/passwd")
    with pytest.raises(FileRefused, match="is a link or device"):
        opened(linked)


def test_a_content_that_is_not_what_its_list_says_is_not_kept(
    shelf: CarriedShelf, objects: Path, tmp_path: Path
) -> None:
    file, found = packed(shelf, objects), io.BytesIO()
    with zipfile.ZipFile(file) as old, zipfile.ZipFile(found, "w", zipfile.ZIP_DEFLATED) as new:
        for one in old.namelist():
            data = old.read(one)
            # As long as it was, and another.
            new.writestr(one, data.replace(b"alpha", b"alphA") if one != carrying.LIST else data)
    told = opened(found)
    with pytest.raises(FileRefused, match="it was changed or is damaged"):
        unpacked(found, told, tmp_path / "other")
    left = [one.name for one in (tmp_path / "other").rglob("*") if one.is_file()]
    assert set(left) <= told.digests
    assert not any(one.endswith(".part") for one in left)
